//! The way along edges between two points on which a seam is seen least (E. W. Dijkstra, 1959).

use std::{cmp::Reverse, collections::BinaryHeap};

use crate::face_graph::{FaceGraph, NONE};

/// The edges of the cheapest way from point `from` to point `to`, in order; empty when there is none.
pub fn shortest(surface: &FaceGraph, costs: &[f64], from: u32, to: u32) -> Vec<u32> {
    let n = surface.points.len();
    // Edges by point.
    let mut start = vec![0u32; n + 1];
    for e in &surface.edges {
        e.points.iter().for_each(|&p| start[p as usize + 1] += 1);
    }
    (0..n).for_each(|p| start[p + 1] += start[p]);
    let mut fill = start.clone();
    let mut at = vec![0u32; 2 * surface.edges.len()];
    for (i, e) in surface.edges.iter().enumerate() {
        for &p in &e.points {
            at[fill[p as usize] as usize] = i as u32;
            fill[p as usize] += 1;
        }
    }
    let mut way = vec![NONE; n];
    let mut cost = vec![f64::INFINITY; n];
    let mut heap = BinaryHeap::new();
    cost[from as usize] = 0.0;
    // Costs above zero keep their order as bits.
    heap.push(Reverse((0u64, from)));
    while let Some(Reverse((bits, p))) = heap.pop() {
        let so_far = f64::from_bits(bits);
        if so_far > cost[p as usize] {
            continue;
        }
        if p == to {
            break;
        }
        for &e in &at[start[p as usize] as usize..start[p as usize + 1] as usize] {
            let edge = &surface.edges[e as usize];
            let q = if edge.points[0] == p {
                edge.points[1]
            } else {
                edge.points[0]
            };
            let c = so_far + edge.length * costs[e as usize];
            if c < cost[q as usize] {
                cost[q as usize] = c;
                way[q as usize] = e;
                heap.push(Reverse((c.to_bits(), q)));
            }
        }
    }
    let mut path = Vec::new();
    let mut p = to;
    while p != from && way[p as usize] != NONE {
        let edge = &surface.edges[way[p as usize] as usize];
        path.push(way[p as usize]);
        p = if edge.points[0] == p {
            edge.points[1]
        } else {
            edge.points[0]
        };
    }
    path.reverse();
    path
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;

    /// From pole to pole of a ball the way is about half a great circle, and hangs together.
    #[test]
    fn the_way_over_a_ball_is_half_round() {
        let mesh = shapes::icosphere(1.0, 4);
        let surface = FaceGraph::of(&mesh);
        let ends = [1.0f32, -1.0].map(|y| {
            (0..mesh.points.len() as u32)
                .max_by(|&a, &b| {
                    (y * mesh.points[a as usize].y).total_cmp(&(y * mesh.points[b as usize].y))
                })
                .unwrap()
        });
        let costs = vec![1.0; surface.edges.len()];
        let path = shortest(&surface, &costs, ends[0], ends[1]);
        let length: f64 = path.iter().map(|&e| surface.edges[e as usize].length).sum();
        assert!(
            (0.95 * std::f64::consts::PI..1.25 * std::f64::consts::PI).contains(&length),
            "{length}"
        );
        for pair in path.windows(2) {
            let [a, b] = [pair[0], pair[1]].map(|e| surface.edges[e as usize].points);
            assert!(a.iter().any(|p| b.contains(p)));
        }
        assert_eq!(shortest(&surface, &costs, 3, 3), []);
    }
}
