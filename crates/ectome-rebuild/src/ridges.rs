//! Where a source has edges that a skin must follow, and what of it sticks out of the cells: in places.
//!
//! Every edge of a scan is a little sharp. One is taken for an edge of the shape where it is longer than a cell, or goes on straight at one
//! of its ends at least, with no third sharp edge there.

use ectome_mesh::{Progress, nearest::SurfaceIndex};
use glam::Vec3;
use rayon::prelude::*;

use crate::{RebuildError, bare::bare, ground::Ground};

/// The cosine of the least angle between faces of the source that makes an edge: 18°. Less is taken for a curve. An edge that turns by
/// less goes on straight.
pub(crate) const SHARP: f32 = 0.95;
/// Places along an edge, in cells.
const APART: f32 = 0.5;
/// How far what is no edge may be off the skin, in cells: what is finer is left to the maps.
const ROUGH: f32 = 0.25;

/// A place that the skin should come to.
pub(crate) struct Mark {
    pub at: Vec3,
    /// The mean of the normals beside it, either way.
    pub out: Vec3,
    /// How far the skin may be from it.
    pub within: f32,
}

/// Places along the edges of a source, and points of it in cells that the skin does not run through.
pub(crate) struct Marks(pub Vec<Mark>);

impl Marks {
    /// `is_even` says whether the skin does not run through the cell around a place, `is_left_out` of which faces nothing is asked.
    pub fn of(
        ground: &Ground<'_>,
        is_even: impl Fn(Vec3) -> bool + Sync,
        is_left_out: impl Fn(u32) -> bool + Sync,
        progress: &Progress,
    ) -> Result<Self, RebuildError> {
        let mesh = ground.mesh;
        let point = same_places(&mesh.points);
        let mut outward = vec![Vec3::ZERO; mesh.points.len()];
        let mut half: Vec<([u32; 2], u32)> = Vec::with_capacity(3 * mesh.face_count());
        for f in (0..mesh.face_count()).filter(|&f| !is_left_out(f as u32)) {
            let corners = mesh.triangle_points(f).map(|p| point[p as usize]);
            let normal = ground.normal(f as u32).unwrap_or_default();
            for k in 0..3 {
                let (a, b) = (corners[k], corners[(k + 1) % 3]);
                half.push(([a.min(b), a.max(b)], f as u32));
                outward[a as usize] += normal;
            }
        }
        progress.go_on()?;
        half.par_sort_unstable();
        progress.go_on()?;
        let sharp: Vec<Edge> = half
            .chunk_by(|a, b| a.0 == b.0)
            .filter_map(|pair| match pair {
                [(ends, f), (_, g)] => {
                    let normals = [f, g].map(|&f| ground.normal(f).unwrap_or_default());
                    let out = normals[0] + normals[1];
                    (normals[0].dot(normals[1]) < SHARP).then_some(Edge { ends: *ends, out })
                }
                _ => None,
            })
            .collect();
        progress.go_on()?;
        let is_straight = straight(&mesh.points, &sharp);
        let mut marks: Vec<Mark> = sharp
            .iter()
            .flat_map(|edge| edge.places(&mesh.points, &is_straight, ground.cell))
            .collect();
        // Edges that meet have their ends in common.
        marks.par_sort_by_key(|m| m.at.to_array().map(f32::to_bits));
        marks.dedup_by(|a, b| a.at == b.at);
        marks.par_extend(outward.par_iter().enumerate().filter_map(|(p, out)| {
            let (at, out) = (mesh.points[p], out.try_normalize()?);
            let within = ROUGH * ground.cell;
            is_even(at).then_some(Mark { at, out, within })
        }));
        progress.go_on()?;
        Ok(Self(marks))
    }

    /// The points of a skin around which the source has an edge.
    pub fn beside(
        &self,
        places: &[Vec3],
        triangles: &[[u32; 3]],
        progress: &Progress,
    ) -> Result<Vec<bool>, RebuildError> {
        let mut is_beside = vec![false; places.len()];
        let edges = self.0.iter().filter(|m| m.within == 0.0);
        let edges: Vec<Vec3> = edges.map(|m| m.at).collect();
        if edges.is_empty() {
            return Ok(is_beside);
        }
        let index = SurfaceIndex::of_while(&bare(places, triangles), progress)?;
        for near in index.nearest_each(&edges).into_iter().flatten() {
            for v in triangles[near.face as usize] {
                is_beside[v as usize] = true;
            }
        }
        Ok(is_beside)
    }
}

/// A sharp edge of the source.
struct Edge {
    ends: [u32; 2],
    /// The normals beside it together.
    out: Vec3,
}

impl Edge {
    /// The places along it; none where it is no edge of the shape.
    fn places(
        &self,
        points: &[Vec3],
        is_straight: &[bool],
        cell: f32,
    ) -> impl Iterator<Item = Mark> + use<> {
        let [from, to] = self.ends.map(|p| points[p as usize]);
        let length = from.distance(to);
        let is_shape = length >= cell || self.ends.iter().any(|&p| is_straight[p as usize]);
        let steps = (length / (APART * cell)).ceil().max(1.0) as usize;
        let count = if is_shape { steps + 1 } else { 0 };
        let out = self.out.normalize_or_zero();
        (0..count).map(move |k| Mark {
            at: from.lerp(to, k as f32 / steps as f32),
            out,
            within: 0.0,
        })
    }
}

/// Points at which two sharp edges meet, and nothing but, of which one goes on as the other.
fn straight(points: &[Vec3], sharp: &[Edge]) -> Vec<bool> {
    let mut at: Vec<(u32, u32)> = sharp
        .iter()
        .flat_map(|e| [(e.ends[0], e.ends[1]), (e.ends[1], e.ends[0])])
        .collect();
    at.par_sort_unstable();
    let mut is_straight = vec![false; points.len()];
    for own in at.chunk_by(|a, b| a.0 == b.0) {
        if let &[(p, a), (_, b)] = own {
            let way = |to: u32| (points[to as usize] - points[p as usize]).normalize_or_zero();
            is_straight[p as usize] = way(a).dot(way(b)) < -SHARP;
        }
    }
    is_straight
}

/// For each point the first one at the same place.
fn same_places(points: &[Vec3]) -> Vec<u32> {
    let key = |p: u32| points[p as usize].to_array().map(f32::to_bits);
    let mut order: Vec<u32> = (0..points.len() as u32).collect();
    order.par_sort_unstable_by_key(|&p| (key(p), p));
    let mut first = vec![0; points.len()];
    for group in order.chunk_by(|&a, &b| key(a) == key(b)) {
        group.iter().for_each(|&p| first[p as usize] = group[0]);
    }
    first
}
