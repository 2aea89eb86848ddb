//! Vertices of a skin brought to where the source has its surface, edges and corners.
//!
//! For each vertex the planes of the source nearest to the middles of its quads are taken; the place that lies on all of them as well as
//! can be, by least squares with small eigenvalues left out so that a vertex on a flat stretch stays where it is along it, is where the
//! vertex goes, at most a cell at once and never so far that a face turns over.

use ectome_mesh::{Mesh, Progress, nearest::SurfaceIndex};
use glam::{DMat3, DVec3, Vec3};
use rayon::prelude::*;

use crate::{RebuildError, cells::Sides};

/// Eigenvalues below this share of the largest are left out.
const FLAT: f64 = 0.05;
/// Rounds.
const ROUNDS: usize = 6;
/// A vertex farther than so many cells from the source closes an opening.
pub(crate) const CAP: f32 = 1.2;

/// What a vertex lies on.
pub(crate) struct Fitted {
    pub places: Vec<Vec3>,
    /// Vertices that lie on no source: they close openings.
    pub is_cap: Vec<bool>,
}

/// The source as vertices are fitted to it.
pub(crate) struct Ground<'a> {
    pub mesh: &'a Mesh,
    pub index: &'a SurfaceIndex,
    pub sides: &'a Sides,
    /// Several pieces may hide parts of one another.
    pub may_be_buried: bool,
    pub cell: f32,
}

/// A plane of the source.
#[derive(Clone, Copy)]
struct Plane {
    place: Vec3,
    normal: Vec3,
}

impl Ground<'_> {
    /// The plane of the source nearest to a place, if it is near and can be seen from outside.
    fn plane(&self, place: Vec3) -> Option<Plane> {
        let near = self.index.nearest(place)?;
        if near.distance > CAP * self.cell {
            return None;
        }
        let [a, b, c] = self.mesh.triangle(near.face as usize);
        let normal = (b - a).cross(c - a).try_normalize()?;
        if self.may_be_buried {
            let beside = normal * (0.2 * self.cell);
            let hidden = self.sides.is_enclosed(near.point + beside)
                && self.sides.is_enclosed(near.point - beside);
            if hidden {
                return None;
            }
        }
        Some(Plane {
            place: near.point,
            normal,
        })
    }
}

/// Brings the vertices of quads to the source.
pub(crate) fn to_source(
    start: Vec<Vec3>,
    quads: &[[u32; 4]],
    ground: &Ground<'_>,
    progress: &Progress,
) -> Result<Fitted, RebuildError> {
    let around = quads_of_vertices(start.len(), quads);
    let mut places = start;
    let mut is_cap = vec![false; places.len()];
    for round in 0..ROUNDS {
        progress.at(round as f32 / ROUNDS as f32)?;
        let planes: Vec<Option<Plane>> = quads
            .par_iter()
            .map(|q| {
                let middle = q.map(|v| places[v as usize]).iter().sum::<Vec3>() / 4.0;
                ground.plane(middle)
            })
            .collect();
        let wished: Vec<(Vec3, bool)> = (0..places.len())
            .into_par_iter()
            .map(|v| wish(places[v], around.of(v), &planes, ground))
            .collect();
        // One after another: each step is checked against what stands around it now.
        for v in 0..places.len() {
            let (to, cap) = wished[v];
            is_cap[v] = cap;
            let from = places[v];
            let mut step = to - from;
            let far = step.length();
            if far > ground.cell {
                step *= ground.cell / far;
            }
            // Where there is no way to it, half the way, and in the end the nearest place of the source.
            let near = ground.index.nearest(from).map(|p| p.point);
            let is_last = round + 1 == ROUNDS && !cap;
            let near = near.filter(|p| is_last && p.distance(from) < ground.cell);
            // Folds come from vertices in each other's way: between its neighbours each has room.
            let own = around.of(v);
            let middles = own
                .iter()
                .map(|&q| quads[q as usize].map(|k| places[k as usize]));
            let between = middles.flatten().sum::<Vec3>() / (4 * own.len()) as f32;
            let ways = [
                Some(from + step),
                near,
                Some(from + 0.5 * step),
                Some(from + 0.25 * step),
                Some(between),
            ];
            let free = |to: &Vec3| !turns_over(v, *to, &places, quads, around.of(v));
            if let Some(to) = ways.into_iter().flatten().find(free) {
                places[v] = to;
            }
        }
    }
    progress.at(1.0)?;
    Ok(Fitted { places, is_cap })
}

/// Where a vertex should go, and whether it lies on no source.
fn wish(from: Vec3, own: &[u32], planes: &[Option<Plane>], ground: &Ground<'_>) -> (Vec3, bool) {
    let list: Vec<Plane> = own.iter().filter_map(|&q| planes[q as usize]).collect();
    if list.len() * 2 < own.len() {
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

/// The quads at each vertex.
struct Around {
    starts: Vec<u32>,
    list: Vec<u32>,
}

impl Around {
    fn of(&self, v: usize) -> &[u32] {
        &self.list[self.starts[v] as usize..self.starts[v + 1] as usize]
    }
}

fn quads_of_vertices(vertices: usize, quads: &[[u32; 4]]) -> Around {
    let mut starts = vec![0u32; vertices + 1];
    quads
        .iter()
        .flatten()
        .for_each(|&v| starts[v as usize + 1] += 1);
    for v in 0..vertices {
        starts[v + 1] += starts[v];
    }
    let mut next = starts.clone();
    let mut list = vec![0; 4 * quads.len()];
    for (q, quad) in quads.iter().enumerate() {
        for &v in quad {
            list[next[v as usize] as usize] = q as u32;
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
