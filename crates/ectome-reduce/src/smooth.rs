//! Which wedges of one place share a normal.
//!
//! A UV seam parts the wedges of a point, but not the surface: where the source's normals on both sides agree, light passes over the
//! seam, and the normals of a result have to agree there as well. A wedge's own mean says only what lies on its side of the seam. So
//! each place of the source where wedges meet says for each pair whether they agree; in a result, where many such places have gone
//! into one, the pair is smooth when most of them said so, and takes one normal: the mean of its wedges by the areas around them.

use std::collections::HashMap;

use ectome_mesh::{Mesh, topology::UnionFind};
use glam::Vec3;

use crate::log::unpack_normal;

/// Normals that a source brings agree within 5°: cosine. More than rounding and coarse packing turn them, less than any crease.
const AGREES: f32 = 0.9962;
/// Means of the faces on two sides belong to one surface where they meet at less than 45°, as faces without normals do everywhere; a hair
/// below.
pub const SMOOTH_COSINE: f32 = std::f32::consts::FRAC_1_SQRT_2 - 1e-4;

/// Two wedges of one point of the source.
pub struct Pair {
    wedges: [u32; 2],
    agree: bool,
}

/// The pairs of wedges that meet in points of the source. Where more than two meet, each meets the ones before it.
///
/// `given` says that the normals are the source's own, not the mean of the faces around.
pub fn pairs(
    mesh: &Mesh,
    of_corner: &[u32],
    wedge_vertex: &[u32],
    normals: &[u32],
    given: bool,
) -> Vec<Pair> {
    let point = |w: u32| mesh.vertex_point[wedge_vertex[w as usize] as usize];
    let mut first = vec![u32::MAX; mesh.points.len()];
    let mut further: Vec<(u32, u32)> = Vec::new();
    for &w in of_corner {
        let p = point(w);
        let known = &mut first[p as usize];
        if *known == u32::MAX {
            *known = w;
        } else if *known != w {
            further.push((p, w));
        }
    }
    further.sort_unstable();
    further.dedup();
    let cosine = if given { AGREES } else { SMOOTH_COSINE };
    let normal = |w: u32| unpack_normal(normals[w as usize]);
    let agree = |a, b| match (normal(a), normal(b)) {
        (Some(a), Some(b)) => a.dot(b) >= cosine,
        _ => false,
    };
    let mut pairs = Vec::with_capacity(further.len());
    let mut before: Vec<u32> = Vec::new();
    for at_point in further.chunk_by(|a, b| a.0 == b.0) {
        before.clear();
        before.push(first[at_point[0].0 as usize]);
        for &(_, b) in at_point {
            let start = pairs.len();
            pairs.extend(before.iter().map(|&a| Pair {
                wedges: [a, b],
                agree: agree(a, b),
            }));
            // In a crowd, as at the pole of a globe, those that agree with one before stand behind it.
            let meets = pairs[start..].iter().any(|pair| pair.agree);
            if before.len() < if meets { FEW } else { MOST } {
                before.push(b);
            }
        }
    }
    pairs
}

/// Up to so many wedges in one point all meet each other.
const FEW: usize = 8;
/// From so many wedges in one point on that agree with none, the further ones meet only those.
const MOST: usize = 32;

/// The wedges of a result that share a normal with another.
#[derive(Default)]
pub struct Shared {
    /// The wedge that stands for all that share its normal, for each that shares one.
    of: HashMap<u32, u32>,
    /// Sum of the normals by the areas around them, for each point and wedge that stands for others.
    sums: HashMap<(u32, u32), Vec3>,
}

impl Shared {
    /// Counts what the pairs say that have gone into the wedges which stand; `stands` follows a wedge of the source to one of those.
    pub fn count(pairs: &[Pair], mut stands: impl FnMut(u32) -> u32) -> Self {
        let mut votes: HashMap<[u32; 2], i64> = HashMap::new();
        for pair in pairs {
            let mut wedges = pair.wedges.map(&mut stands);
            wedges.sort_unstable();
            if wedges[0] != wedges[1] {
                *votes.entry(wedges).or_default() += if pair.agree { 1 } else { -1 };
            }
        }
        let mut joined: Vec<[u32; 2]> = votes
            .into_iter()
            .filter_map(|(wedges, vote)| (vote >= 0).then_some(wedges))
            .collect();
        joined.sort_unstable();
        let mut wedges: Vec<u32> = joined.iter().flatten().copied().collect();
        wedges.sort_unstable();
        wedges.dedup();
        let mut classes = UnionFind::new(wedges.len());
        let number = |w: u32| wedges.binary_search(&w).unwrap_or_default() as u32;
        for [a, b] in joined {
            classes.join(number(a), number(b));
        }
        let of = wedges
            .iter()
            .map(|&w| (w, wedges[classes.find(number(w)) as usize]))
            .collect();
        Self {
            of,
            sums: HashMap::new(),
        }
    }

    /// The wedge that stands for `wedge` and all that share its normal; itself where it shares none.
    pub fn stand_in(&self, wedge: u32) -> u32 {
        self.of.get(&wedge).copied().unwrap_or(wedge)
    }

    /// Adds what one face around a wedge says: the wedge's normal, as much as the face's area.
    pub fn add(&mut self, point: u32, wedge: u32, normal: Option<Vec3>, area: f32) {
        if let (Some(&root), Some(normal)) = (self.of.get(&wedge), normal) {
            *self.sums.entry((point, root)).or_default() += area * normal;
        }
    }

    /// The normal that a wedge shares at a point, if it shares one.
    pub fn normal(&self, point: u32, wedge: u32) -> Option<Vec3> {
        let root = self.of.get(&wedge)?;
        self.sums.get(&(point, *root))?.try_normalize()
    }
}
