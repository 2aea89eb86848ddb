//! Edges and corners of the source that a skin falls short of: points of it are drawn out to them, or new ones are set in there.
//!
//! A corner or an edge that is thinner than a cell has no corner of the grid inside, so that the skin ends where it is still a cell wide; and
//! where an edge runs askew to the grid, triangles span it whose points have no way to it. Places along the sharp edges of the source are
//! asked how far the skin is from each. Farthest first, the triangle or the edge of the skin that lies nearest is divided at that place and
//! the new point set on the source, as in greedy insertion (M. Garland, P. Heckbert, *Fast Polygonal Approximation of Terrains and Height
//! Fields*, 1995). A division leaves a closed surface closed and of the genus it had.

use ectome_mesh::{
    Progress,
    nearest::{Place, SurfaceIndex},
};
use glam::Vec3;
use rayon::prelude::*;

use crate::{
    RebuildError,
    bare::{bare, normal},
    fit::{Around, Fitted, faces_of_vertices, is_crowded},
    ground::Ground,
    keyed::HashSet,
    ridges::{Mark, Marks},
};

/// Farther than so many cells from the skin is something that the skin leaves out: what is thinner than half a cell all along.
const FARTHEST: f32 = 4.0;
/// Beside an edge it is asked for what hides it, as a share of a cell.
const BESIDE: f32 = 0.05;
/// A place of a triangle is at a corner or on a side of it within this share.
const AT: f32 = 0.15;
/// Triangles of less than this part of the area of a cell's face are not made.
const SLIM: f32 = 1e-4;
/// What a division brings may be off the source by so much of what the place was.
const GAIN: f32 = 0.5;
/// Rounds at most; where one brings fewer than this part of what is left to where it should be, it is the last.
const ROUNDS: usize = 6;
const FEW: usize = 10;

/// Brings a closed skin to the marks that are farther from it than so many cells.
pub(crate) fn reach(
    fitted: &mut Fitted,
    triangles: &mut Vec<[u32; 3]>,
    is_film: &[bool],
    (marks, within): (&Marks, f32),
    ground: &Ground<'_>,
    progress: &Progress,
) -> Result<(), RebuildError> {
    let within = within * ground.cell;
    let mut list: Vec<&Mark> = marks.0.iter().collect();
    for _ in 0..ROUNDS {
        progress.go_on()?;
        if list.is_empty() {
            return Ok(());
        }
        let index = SurfaceIndex::of_while(&bare(&fitted.places, triangles), progress)?;
        let places: Vec<Vec3> = list.iter().map(|m| m.at).collect();
        let near = index.nearest_each(&places);
        progress.go_on()?;
        let mut far: Vec<(&Mark, Place)> = list
            .into_par_iter()
            .zip(near)
            .filter_map(|(mark, near)| Some((mark, near?)))
            .filter(|(mark, near)| {
                near.distance > within.max(mark.within)
                    && near.distance < FARTHEST * ground.cell
                    && is_seen(mark, ground)
            })
            .collect();
        far.sort_by(|a, b| {
            let key = |m: &Mark| m.at.to_array().map(f32::to_bits);
            b.1.distance
                .total_cmp(&a.1.distance)
                .then(key(a.0).cmp(&key(b.0)))
        });
        let around = faces_of_vertices(fitted.places.len(), triangles);
        let mut drawn = Drawn {
            free: |v: u32| !fitted.is_cap[v as usize] && is_film.get(v as usize) != Some(&true),
            around: &around,
            ground,
            taken: HashSet::default(),
        };
        let mut places = fitted.places.clone();
        let mut came = 0;
        for (mark, near) in &far {
            came += usize::from(drawn.out(mark.at, near, &mut places, triangles));
        }
        fitted.is_cap.resize(places.len(), false);
        fitted.places = places;
        if came * FEW < far.len() {
            return Ok(());
        }
        list = far.into_iter().map(|(mark, _)| mark).collect();
    }
    Ok(())
}

/// Whether a mark can be seen from outside: on one side of it there is nothing.
fn is_seen(mark: &Mark, ground: &Ground<'_>) -> bool {
    let beside = mark.out * (BESIDE * ground.cell);
    let both = ground
        .sides
        .are_inside(&[mark.at + beside, mark.at - beside]);
    both.contains(&false)
}

/// What is drawn out in one round.
struct Drawn<'a, F> {
    /// Points that may move, and whose triangles may be divided.
    free: F,
    /// The triangles at each point as the round began.
    around: &'a Around,
    ground: &'a Ground<'a>,
    /// Triangles that have changed.
    taken: HashSet<u32>,
}

impl<F: Fn(u32) -> bool> Drawn<'_, F> {
    /// Brings the skin to a place that it is nearest to in a place of its own. Returns whether there was a way.
    fn out(
        &mut self,
        to: Vec3,
        near: &Place,
        places: &mut Vec<Vec3>,
        triangles: &mut Vec<[u32; 3]>,
    ) -> bool {
        let t = near.face;
        if self.taken.contains(&t) {
            return false;
        }
        let corners = triangles[t as usize];
        let shares = shares(near.point, corners.map(|v| places[v as usize]));
        let least = (0..3)
            .min_by(|&a, &b| shares[a].total_cmp(&shares[b]))
            .unwrap_or(0);
        if let Some(k) = (0..3).find(|&k| shares[k] > 1.0 - AT)
            && self.moves(corners[k], to, near.distance, places, triangles)
        {
            return true;
        }
        let (a, b) = (corners[(least + 1) % 3], corners[(least + 2) % 3]);
        let other = self.around.of(a as usize).iter().copied().find(|&o| {
            o != t && triangles[o as usize].contains(&b) && triangles[o as usize].contains(&a)
        });
        let side = other.filter(|_| shares[least] < AT);
        let mut divides =
            |which: &[u32], side| self.divides(which, side, to, near.distance, places, triangles);
        side.is_some_and(|other| divides(&[t, other], Some((a, b))) || divides(&[other], None))
            || divides(&[t], None)
    }

    /// Moves a point, unless a triangle around it would turn over or its edges would lie farther off the source.
    fn moves(
        &mut self,
        v: u32,
        to: Vec3,
        distance: f32,
        places: &mut [Vec3],
        triangles: &[[u32; 3]],
    ) -> bool {
        let own = self.around.of(v as usize);
        if !(self.free)(v) || own.iter().any(|t| self.taken.contains(t)) {
            return false;
        }
        let from = places[v as usize];
        let ring: Vec<Vec3> = own
            .iter()
            .flat_map(|&t| triangles[t as usize])
            .filter(|&k| k != v)
            .map(|k| places[k as usize])
            .collect();
        if is_crowded(to, ring.iter().copied(), self.ground) {
            return false;
        }
        let off = |at: Vec3| {
            ring.iter()
                .map(|&k| self.off(0.5 * (at + k)))
                .fold(0.0, f32::max)
        };
        if off(to) >= off(from).max(distance) {
            return false;
        }
        let before: Vec<Vec3> = own
            .iter()
            .map(|&t| normal(places, triangles[t as usize]))
            .collect();
        places[v as usize] = to;
        let turns = own
            .iter()
            .zip(before)
            .any(|(&t, before)| normal(places, triangles[t as usize]).dot(before) <= 0.0);
        if turns {
            places[v as usize] = from;
            return false;
        }
        self.taken.extend(own);
        true
    }

    /// Divides a triangle in three or, along the side that they share, two in four, with the new point at a place.
    fn divides(
        &mut self,
        which: &[u32],
        side: Option<(u32, u32)>,
        to: Vec3,
        distance: f32,
        places: &mut Vec<Vec3>,
        triangles: &mut Vec<[u32; 3]>,
    ) -> bool {
        let old: Vec<[u32; 3]> = which.iter().map(|&t| triangles[t as usize]).collect();
        let is_free = old.iter().flatten().all(|&v| (self.free)(v));
        if !is_free || which.iter().any(|t| self.taken.contains(t)) {
            return false;
        }
        let corners = old.iter().flatten().map(|&v| places[v as usize]);
        if is_crowded(to, corners, self.ground) {
            return false;
        }
        let new = places.len() as u32;
        let mut made: Vec<(usize, [u32; 3])> = Vec::new();
        for (n, t) in old.iter().enumerate() {
            for k in 0..3 {
                let (a, b) = (t[k], t[(k + 1) % 3]);
                if side.is_none_or(|s| s != (a, b) && s != (b, a)) {
                    made.push((n, [a, b, new]));
                }
            }
        }
        places.push(to);
        let normals: Vec<Vec3> = old.iter().map(|&t| normal(places, t)).collect();
        let whole: Vec3 = normals.iter().sum();
        // Along a side that an edge of the source runs beside a triangle may have to turn a lot: it looks the way that both looked.
        let turns = made.iter().any(|&(n, t)| {
            let normal = normal(places, t);
            let is_slim = normal.length() < SLIM * self.ground.cell.powi(2);
            is_slim || (normal.dot(normals[n]) <= 0.0 && normal.dot(whole) <= 0.0)
        });
        let is_off = || {
            let corner = |v: u32| places[v as usize];
            let sides = old.iter().flatten().map(|&v| 0.5 * (corner(v) + to));
            let middles = made
                .iter()
                .map(|(_, t)| t.map(corner).iter().sum::<Vec3>() / 3.0);
            sides.chain(middles).any(|p| self.off(p) > GAIN * distance)
        };
        if turns || is_off() {
            places.pop();
            return false;
        }
        for (n, &t) in which.iter().enumerate() {
            let mut own = made.iter().filter(|m| m.0 == n).map(|m| m.1);
            if let Some(first) = own.next() {
                triangles[t as usize] = first;
            }
            for t in own {
                self.taken.insert(triangles.len() as u32);
                triangles.push(t);
            }
            self.taken.insert(t);
        }
        // What lies beside has a new neighbour: it stays as it is until the next round.
        for v in old.into_iter().flatten() {
            self.taken.extend(self.around.of(v as usize));
        }
        true
    }

    /// How far a place is off the source.
    fn off(&self, place: Vec3) -> f32 {
        let near = self.ground.index.nearest(place);
        near.map_or(0.0, |p| p.distance)
    }
}

/// The shares of a triangle's corners in a place of it, by area.
fn shares(place: Vec3, [a, b, c]: [Vec3; 3]) -> [f32; 3] {
    let whole = (b - a).cross(c - a);
    let area = whole.length_squared();
    if area == 0.0 {
        return [1.0 / 3.0; 3];
    }
    let of = |p: Vec3, q: Vec3| (p - place).cross(q - place).dot(whole) / area;
    [of(b, c), of(c, a), of(a, b)]
}
