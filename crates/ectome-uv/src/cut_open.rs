//! Cutting a chart until it is a disk.
//!
//! X. Gu, S. Gortler, H. Hoppe, *Geometry Images*, 2002: faces are taken in one after another, the edges over which they
//! were never reached are a cut graph, and its loose ends are taken back. Edges where a seam costs most are crossed
//! first (a maximum spanning tree), so that the cut runs where it costs little.

use std::{cmp::Ordering, collections::BinaryHeap};

use crate::{
    chart::Chart,
    face_graph::{FaceGraph, NONE},
};

struct Crossing {
    cost: f64,
    face: u32,
    edge: u32,
}

impl PartialEq for Crossing {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other) == Ordering::Equal
    }
}

impl Eq for Crossing {}

impl PartialOrd for Crossing {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Crossing {
    fn cmp(&self, other: &Self) -> Ordering {
        self.cost
            .total_cmp(&other.cost)
            .then(other.edge.cmp(&self.edge))
    }
}

/// The edges to open so that a chart becomes a disk; none for a disk. `cost` is what a seam along an edge costs.
pub fn edges_to_open(surface: &FaceGraph, chart: &Chart, cost: impl Fn(u32) -> f64) -> Vec<u32> {
    if chart.is_disk() || chart.faces.is_empty() {
        return Vec::new();
    }
    let n = chart.faces.len();
    let edge_of = |i: usize, k: usize| surface.face_edges[chart.faces[i] as usize][k];
    let mut on_border = vec![[false; 3]; n];
    for s in chart.loops.iter().flatten() {
        on_border[s.face as usize][s.corner as usize] = true;
    }
    let neighbour = |i: usize, k: usize| -> Option<usize> {
        if on_border[i][k] {
            return None;
        }
        let g = surface.across(edge_of(i, k), chart.faces[i]);
        chart.faces.binary_search(&g).ok()
    };
    let mut taken = vec![false; n];
    let mut crossed: Vec<u32> = Vec::with_capacity(n);
    let mut heap = BinaryHeap::new();
    heap.push(Crossing {
        cost: 0.0,
        face: 0,
        edge: NONE,
    });
    while let Some(Crossing { face, edge, .. }) = heap.pop() {
        let i = face as usize;
        if std::mem::replace(&mut taken[i], true) {
            continue;
        }
        if edge != NONE {
            crossed.push(edge);
        }
        for k in 0..3 {
            if let Some(j) = neighbour(i, k).filter(|&j| !taken[j]) {
                heap.push(Crossing {
                    cost: cost(edge_of(i, k)),
                    face: j as u32,
                    edge: edge_of(i, k),
                });
            }
        }
    }
    crossed.sort_unstable();

    // The cut graph, each inner edge once, with its ends; border vertices hold whatever ends there.
    let mut cut: Vec<(u32, [u32; 2])> = Vec::new();
    for i in 0..n {
        for k in 0..3 {
            let e = edge_of(i, k);
            if neighbour(i, k).is_some_and(|j| j > i) && crossed.binary_search(&e).is_err() {
                cut.push((e, [chart.corners[i][k], chart.corners[i][(k + 1) % 3]]));
            }
        }
    }
    let mut degree = vec![0u32; chart.point.len()];
    for s in chart.loops.iter().flatten() {
        degree[chart.from(*s) as usize] += 2;
    }
    let mut at: Vec<Vec<u32>> = vec![Vec::new(); chart.point.len()];
    for (c, (_, ends)) in cut.iter().enumerate() {
        for &v in ends {
            degree[v as usize] += 1;
            at[v as usize].push(c as u32);
        }
    }
    let mut kept = vec![true; cut.len()];
    let mut loose: Vec<u32> = (0..degree.len() as u32)
        .filter(|&v| degree[v as usize] == 1)
        .collect();
    while let Some(v) = loose.pop() {
        let Some(&c) = at[v as usize].iter().find(|&&c| kept[c as usize]) else {
            continue;
        };
        kept[c as usize] = false;
        for w in cut[c as usize].1 {
            degree[w as usize] -= 1;
            if degree[w as usize] == 1 {
                loose.push(w);
            }
        }
    }
    let mut open: Vec<u32> = (0..cut.len())
        .filter(|&c| kept[c])
        .map(|c| cut[c].0)
        .collect();
    if open.is_empty() && chart.loops.is_empty() {
        // A closed ball: everything was taken back. Any one edge opens it.
        open.extend(
            cut.iter()
                .map(|c| c.0)
                .max_by(|&a, &b| cost(b).total_cmp(&cost(a))),
        );
    }
    open.sort_unstable();
    open
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{edit::kept, shapes};
    use rstest::rstest;

    #[rstest]
    #[case::torus(shapes::torus(1.0, 0.3, 16, 8))]
    #[case::ball(shapes::icosphere(1.0, 2))]
    #[case::pipe(kept(&shapes::icosphere(1.0, 3), |f| {
        let ball = shapes::icosphere(1.0, 3);
        ball.triangle(f).iter().all(|p| p.y.abs() < 0.6)
    }))]
    fn whatever_it_was_it_becomes_a_disk(#[case] mesh: ectome_mesh::Mesh) {
        let surface = FaceGraph::of(&mesh);
        let faces: Vec<u32> = (0..mesh.face_count() as u32).collect();
        let chart = Chart::new(&surface, faces.clone(), |_| false);
        assert!(!chart.is_disk());
        let length = |e: u32| surface.edges[e as usize].length;
        let open = edges_to_open(&surface, &chart, length);
        let disk = Chart::new(&surface, faces, |e| open.binary_search(&e).is_ok());
        assert!(disk.is_disk(), "{} {}", disk.euler, disk.loops.len());
    }
}
