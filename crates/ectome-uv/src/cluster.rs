//! Faces gathered by direction: a tree of clusters from single faces upward.
//!
//! M. Garland, A. Willmott, P. Heckbert, *Hierarchical Face Clustering on Polygonal Surfaces*, 2001, with the L²,¹ metric of D. Cohen-Steiner,
//! P. Alliez, M. Desbrun, *Variational Shape Approximation*, 2004: the cost of a cluster is the area-weighted spread of
//! its normals, 2(A − |Σ A n|); the pair that raises it least is joined first (J. H. Ward, 1963).

use std::{cmp::Reverse, collections::BinaryHeap};

use glam::DVec3;

use crate::face_graph::{FaceGraph, NONE};

/// A cluster of faces.
#[derive(Clone, Copy, Debug)]
pub struct Cluster {
    /// The two clusters it was made of; [`NONE`] twice for a single face.
    pub children: [u32; 2],
    /// Area, in square metres.
    pub area: f64,
    /// Sum of area times normal.
    pub normal: DVec3,
}

impl Cluster {
    /// Mean spread of the normals: 0 for flat, at most 2.
    pub fn spread(&self) -> f64 {
        if self.area > 0.0 {
            2.0 * (1.0 - self.normal.length() / self.area).max(0.0)
        } else {
            0.0
        }
    }
}

/// Clusters over clusters. The first are single faces, in the order they were given.
pub struct Tree {
    /// The faces.
    pub faces: Vec<u32>,
    /// Faces first, then what was made of them.
    pub clusters: Vec<Cluster>,
    /// Clusters that no other contains.
    pub roots: Vec<u32>,
}

impl Tree {
    /// Gathers `faces` across the edges that `may_cross` permits, as far as clusters spread at most `most`.
    pub fn new(
        surface: &FaceGraph,
        faces: Vec<u32>,
        may_cross: impl Fn(u32) -> bool,
        most: f64,
    ) -> Self {
        let n = faces.len();
        let mut index = vec![NONE; surface.faces.len()];
        for (i, &f) in faces.iter().enumerate() {
            index[f as usize] = i as u32;
        }
        let mut clusters: Vec<Cluster> = faces
            .iter()
            .map(|&f| Cluster {
                children: [NONE; 2],
                area: surface.area[f as usize],
                normal: surface.normal[f as usize] * surface.area[f as usize],
            })
            .collect();
        let mut beside: Vec<Vec<u32>> = vec![Vec::new(); n];
        for (i, &f) in faces.iter().enumerate() {
            for e in surface.face_edges[f as usize] {
                if e == NONE || surface.edges[e as usize].fixed || !may_cross(e) {
                    continue;
                }
                let j = index[surface.across(e, f) as usize];
                if j != NONE && j != i as u32 {
                    beside[i].push(j);
                }
            }
            beside[i].sort_unstable();
            beside[i].dedup();
        }
        let rise = |a: &Cluster, b: &Cluster| {
            let apart = a.normal.length() + b.normal.length();
            2.0 * (apart - (a.normal + b.normal).length()).max(0.0)
        };
        let mut heap = BinaryHeap::new();
        for i in 0..n as u32 {
            for &j in beside[i as usize].iter().filter(|&&j| j > i) {
                let cost = rise(&clusters[i as usize], &clusters[j as usize]);
                heap.push(Reverse((Cost(cost), i, j)));
            }
        }
        let mut gone = vec![false; n];
        while let Some(Reverse((_, a, b))) = heap.pop() {
            if gone[a as usize] || gone[b as usize] {
                continue;
            }
            let (ca, cb) = (clusters[a as usize], clusters[b as usize]);
            let joined = Cluster {
                children: [a, b],
                area: ca.area + cb.area,
                normal: ca.normal + cb.normal,
            };
            if joined.spread() > most {
                continue;
            }
            let new = clusters.len() as u32;
            clusters.push(joined);
            gone[a as usize] = true;
            gone[b as usize] = true;
            gone.push(false);
            let mut around = std::mem::take(&mut beside[a as usize]);
            around.append(&mut beside[b as usize]);
            around.retain(|&c| !gone[c as usize]);
            around.sort_unstable();
            around.dedup();
            for &c in &around {
                beside[c as usize].push(new);
                // Lists of clusters with many neighbours are swept when they have grown to twice what they hold.
                let list = &mut beside[c as usize];
                if list.len() > 32 && list.len().is_power_of_two() {
                    list.retain(|&d| d == new || !gone[d as usize]);
                }
                heap.push(Reverse((
                    Cost(rise(&clusters[c as usize], &clusters[new as usize])),
                    c,
                    new,
                )));
            }
            beside.push(around);
        }
        let roots = (0..clusters.len() as u32)
            .filter(|&c| !gone[c as usize])
            .collect();
        Self {
            faces,
            clusters,
            roots,
        }
    }

    /// The faces of a cluster, in rising order.
    pub fn faces_of(&self, cluster: u32) -> Vec<u32> {
        let mut out = Vec::new();
        let mut open = vec![cluster];
        while let Some(c) = open.pop() {
            match self.clusters[c as usize].children {
                [NONE, _] => out.push(self.faces[c as usize]),
                children => open.extend(children),
            }
        }
        out.sort_unstable();
        out
    }
}

/// A cost with a total order.
#[derive(Clone, Copy, PartialEq)]
struct Cost(f64);

impl Eq for Cost {}

impl PartialOrd for Cost {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Cost {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.0.total_cmp(&other.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;

    #[test]
    fn a_box_falls_into_its_six_sides() {
        let surface = FaceGraph::of(&shapes::cuboid(glam::Vec3::new(1.0, 2.0, 3.0)));
        let tree = Tree::new(&surface, (0..12).collect(), |_| true, 1e-6);
        let mut sizes: Vec<usize> = tree.roots.iter().map(|&c| tree.faces_of(c).len()).collect();
        sizes.sort_unstable();
        assert_eq!(sizes, [2; 6]);
    }

    /// Half a sphere has Σ A n = πr² over an area of 2πr², a spread of 1.
    #[test]
    fn half_a_ball_spreads_by_one() {
        let surface = FaceGraph::of(&shapes::icosphere(1.0, 4));
        let upper: Vec<u32> = (0..surface.faces.len() as u32)
            .filter(|&f| surface.normal[f as usize].y > 0.0)
            .collect();
        let tree = Tree::new(&surface, upper, |_| true, 2.0);
        assert_eq!(tree.roots.len(), 1);
        let spread = tree.clusters[tree.roots[0] as usize].spread();
        assert!((spread - 1.0).abs() < 0.02, "{spread}");
    }
}
