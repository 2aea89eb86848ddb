//! Vertices of a skin brought to where the source has its surface, edges and corners.
//!
//! For each vertex the planes of the source nearest to the middles of its quads are taken; the place that lies on all of them as well as
//! can be, by least squares with small eigenvalues left out so that a vertex on a flat stretch stays where it is along it, is where the
//! vertex goes, at most a cell at once and never so far that a face turns over.

use ectome_mesh::Progress;
use glam::{DMat3, DVec3, Vec3};
use rayon::prelude::*;

use crate::{RebuildError, ground::Ground};

/// Eigenvalues below this share of the largest are left out.
const FLAT: f64 = 0.05;
/// A vertex that moved by less than this share of a cell stood still.
const STILL: f32 = 1e-4;
/// No vertex comes nearer than this share of a cell to one of its faces: a narrow tip would draw all around it to one place, and faces
/// between them would have no area.
const APART: f32 = 0.02;
/// Rounds.
const ROUNDS: usize = 6;
/// Rounds in which what closes an opening is smoothed: enough for the steps of the grid, and too few to pull it flat.
const SMOOTHINGS: usize = 12;
/// A vertex farther than so many cells from the source closes an opening.
pub(crate) const CAP: f32 = 1.2;

/// What a vertex lies on.
pub(crate) struct Fitted {
    pub places: Vec<Vec3>,
    /// Vertices that lie on no source: they close openings.
    pub is_cap: Vec<bool>,
}

/// A plane of the source.
#[derive(Clone, Copy)]
pub(crate) struct Plane {
    place: Vec3,
    normal: Vec3,
    face: u32,
}

impl Plane {
    /// The plane of the source nearest to a place, if it is near and can be seen from outside.
    pub fn near(place: Vec3, before: Option<Self>, ground: &Ground<'_>) -> Option<Self> {
        let seen = before.map(|p| (p.face, p.place));
        let near = ground.nearest(place, CAP * ground.cell, seen)?;
        Some(Self {
            face: near.face,
            place: near.point,
            normal: ground.normal(near.face)?,
        })
    }
}

/// Brings the vertices of quads to the source. Vertices of films around sheets (none where there are no sheets) stay.
pub(crate) fn to_source(
    start: Vec<Vec3>,
    quads: &[[u32; 4]],
    is_film: &[bool],
    ground: &Ground<'_>,
    progress: &Progress,
) -> Result<Fitted, RebuildError> {
    let around = faces_of_vertices(start.len(), quads);
    let mut places = start;
    let mut is_cap = vec![false; places.len()];
    let mut planes: Vec<Option<Plane>> = vec![None; quads.len()];
    let mut wished: Vec<(Vec3, bool)> = places.iter().map(|&p| (p, false)).collect();
    // What stood still has the planes it had.
    let still = (STILL * ground.cell).powi(2);
    let mut moved = vec![true; places.len()];
    for round in 0..ROUNDS {
        progress.at(round as f32 / ROUNDS as f32)?;
        let any_moved = |q: usize| quads[q].iter().any(|&v| moved[v as usize]);
        planes.par_iter_mut().enumerate().for_each(|(q, plane)| {
            if any_moved(q) {
                let middle = quads[q].map(|v| places[v as usize]).iter().sum::<Vec3>() / 4.0;
                *plane = Plane::near(middle, *plane, ground);
            }
        });
        progress.go_on()?;
        wished.par_iter_mut().enumerate().for_each(|(v, wish)| {
            let own = around.of(v);
            if own.iter().any(|&q| any_moved(q as usize)) {
                let own = own.iter().map(|&q| planes[q as usize]);
                *wish = self::wish(places[v], own, ground);
            }
        });
        progress.go_on()?;
        moved.fill(false);
        // One after another: each step is checked against what stands around it now.
        for v in (0..places.len()).filter(|&v| is_film.get(v) != Some(&true)) {
            let (to, cap) = wished[v];
            is_cap[v] = cap;
            let from = places[v];
            let mut step = to - from;
            let far = step.length();
            if far * far <= still {
                continue;
            }
            if far > ground.cell {
                step *= ground.cell / far;
            }
            let own = around.of(v);
            let others = || {
                let corners = own.iter().flat_map(|&q| quads[q as usize]);
                let others = corners.filter(|&k| k as usize != v);
                others.map(|k| places[k as usize])
            };
            let free = |to: Vec3| {
                let is_crowded = is_crowded(to, others(), ground);
                (!is_crowded && !turns_over(v, to, &places, quads, own)).then_some(to)
            };
            // Where there is no way to it, the nearest place of the source in the end; half the way; or between its neighbours, since
            // folds come from vertices in each other's way.
            let is_last = round + 1 == ROUNDS && !cap;
            let near = || {
                let near = is_last.then(|| ground.nearest(from, ground.cell, None));
                near.flatten().map(|p| p.point)
            };
            let between = || {
                let middles = own
                    .iter()
                    .map(|&q| quads[q as usize].map(|k| places[k as usize]));
                middles.flatten().sum::<Vec3>() / (4 * own.len()) as f32
            };
            let way = free(from + step)
                .or_else(|| near().and_then(free))
                .or_else(|| free(from + 0.5 * step))
                .or_else(|| free(from + 0.25 * step))
                .or_else(|| free(between()));
            if let Some(to) = way {
                moved[v] = to.distance_squared(from) > still;
                places[v] = to;
            }
        }
    }
    relax(&mut places, &is_cap, quads, &around);
    progress.at(1.0)?;
    Ok(Fitted { places, is_cap })
}

/// Whether a place is too near to one of the corners of its faces.
pub(crate) fn is_crowded(
    place: Vec3,
    mut others: impl Iterator<Item = Vec3>,
    ground: &Ground<'_>,
) -> bool {
    let apart = (APART * ground.cell).powi(2);
    others.any(|p| p.distance_squared(place) < apart)
}

/// Smooths what closes openings: there the grid is all that a vertex knows of its place. Rims stay.
fn relax(places: &mut [Vec3], is_cap: &[bool], quads: &[[u32; 4]], around: &Around) {
    for _ in 0..SMOOTHINGS {
        let before = &*places;
        let moved: Vec<Vec3> = (0..before.len())
            .into_par_iter()
            .map(|v| {
                if is_cap[v] {
                    let own = around.of(v);
                    let corners = own.iter().flat_map(|&q| quads[q as usize]);
                    corners.map(|k| before[k as usize]).sum::<Vec3>() / (4 * own.len()) as f32
                } else {
                    before[v]
                }
            })
            .collect();
        places.copy_from_slice(&moved);
    }
}

/// Where a vertex should go by the planes around it, and whether it lies on no source.
pub(crate) fn wish(
    from: Vec3,
    own: impl ExactSizeIterator<Item = Option<Plane>>,
    ground: &Ground<'_>,
) -> (Vec3, bool) {
    let all = own.len();
    let list: Vec<Plane> = own.flatten().collect();
    if list.len() * 2 < all {
        return (from, true);
    }
    let n = list.len() as f64;
    let centre = list.iter().map(|p| p.place.as_dvec3()).sum::<DVec3>() / n;
    let mut matrix = DMat3::ZERO;
    let mut right = DVec3::ZERO;
    for p in &list {
        let normal = p.normal.as_dvec3();
        let outer = DMat3::from_cols(normal * normal.x, normal * normal.y, normal * normal.z);
        matrix += outer;
        right += normal * normal.dot(p.place.as_dvec3() - centre);
    }
    let (values, vectors) = eigen(matrix);
    let largest = values.max_element();
    let start = from.as_dvec3() - centre;
    let mut to = start;
    for k in 0..3 {
        let axis = vectors.col(k);
        if values[k] > FLAT * largest {
            to += axis * (axis.dot(right) / values[k] - axis.dot(start));
        }
    }
    let to = (centre + to).as_vec3();
    // Onto the source itself, where that is hardly another place: curved surfaces lie beside their planes.
    match ground.index.nearest(to) {
        Some(p) if p.distance < 0.5 * ground.cell => (p.point, false),
        _ => (to, false),
    }
}

/// Whether a quad around a vertex would face elsewhere with the vertex at another place: either of its triangles by more than a right angle.
fn turns_over(v: usize, to: Vec3, places: &[Vec3], quads: &[[u32; 4]], own: &[u32]) -> bool {
    own.iter().any(|&q| {
        let quad = quads[q as usize];
        let at = |k: u32, moved: bool| {
            if k as usize == v && moved {
                to
            } else {
                places[k as usize]
            }
        };
        let normals = |moved: bool| {
            let p = quad.map(|k| at(k, moved));
            [
                (p[1] - p[0]).cross(p[2] - p[0]),
                (p[2] - p[0]).cross(p[3] - p[0]),
            ]
        };
        let (before, after) = (normals(false), normals(true));
        let whole = before[0] + before[1];
        after.iter().any(|n| n.dot(whole) < 0.0)
    })
}

/// The faces at each vertex.
pub(crate) struct Around {
    starts: Vec<u32>,
    list: Vec<u32>,
}

impl Around {
    pub fn of(&self, v: usize) -> &[u32] {
        &self.list[self.starts[v] as usize..self.starts[v + 1] as usize]
    }
}

/// Which faces of so many corners meet at each vertex.
pub(crate) fn faces_of_vertices<const N: usize>(vertices: usize, faces: &[[u32; N]]) -> Around {
    let mut starts = vec![0u32; vertices + 1];
    faces
        .iter()
        .flatten()
        .for_each(|&v| starts[v as usize + 1] += 1);
    for v in 0..vertices {
        starts[v + 1] += starts[v];
    }
    let mut next = starts.clone();
    let mut list = vec![0; N * faces.len()];
    for (f, corners) in faces.iter().enumerate() {
        for &v in corners {
            list[next[v as usize] as usize] = f as u32;
            next[v as usize] += 1;
        }
    }
    Around { starts, list }
}

/// Eigenvalues and eigenvectors of a symmetric matrix, by Jacobi's turns (C. G. J. Jacobi, 1846).
fn eigen(mut m: DMat3) -> (DVec3, DMat3) {
    let mut vectors = DMat3::IDENTITY;
    for _ in 0..12 {
        let off = [(0, 1), (0, 2), (1, 2)];
        let (p, q) = off
            .into_iter()
            .max_by(|a, b| m.col(a.1)[a.0].abs().total_cmp(&m.col(b.1)[b.0].abs()))
            .unwrap_or((0, 1));
        let apq = m.col(q)[p];
        if apq.abs() < 1e-14 {
            break;
        }
        let theta = (m.col(q)[q] - m.col(p)[p]) / (2.0 * apq);
        let t = theta.signum() / (theta.abs() + (theta * theta + 1.0).sqrt());
        let t = if theta == 0.0 { 1.0 } else { t };
        let c = 1.0 / (t * t + 1.0).sqrt();
        let s = t * c;
        let mut turn = DMat3::IDENTITY;
        turn.col_mut(p)[p] = c;
        turn.col_mut(q)[q] = c;
        turn.col_mut(q)[p] = s;
        turn.col_mut(p)[q] = -s;
        m = turn.transpose() * m * turn;
        vectors *= turn;
    }
    (DVec3::new(m.x_axis.x, m.y_axis.y, m.z_axis.z), vectors)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_symmetric_matrix_is_its_eigenvalues_along_its_eigenvectors() {
        let m = DMat3::from_cols(
            DVec3::new(4.0, 1.0, -2.0),
            DVec3::new(1.0, 2.0, 0.5),
            DVec3::new(-2.0, 0.5, 3.0),
        );
        let (values, vectors) = eigen(m);
        for k in 0..3 {
            let v = vectors.col(k);
            assert!((m * v - v * values[k]).length() < 1e-9);
        }
        let (values, _) = eigen(DMat3::from_diagonal(DVec3::new(3.0, 1.0, 2.0)));
        assert_eq!(values, DVec3::new(3.0, 1.0, 2.0));
    }
}
