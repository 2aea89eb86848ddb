//! Borders between islands drawn shorter, and where they are seen less.
//!
//! Charts that grow face by face end in teeth. Between two neighbours the border is drawn anew: of all borders within a
//! band around the old one the one that costs least, length times how much a seam shows, is a minimum cut of the band's
//! faces (L. Ford, D. Fulkerson, *Maximal Flow through a Network*, 1956; for borders of charts: S. Katz, A. Tal, *Hierarchical
//! Mesh Decomposition using Fuzzy Clustering and Cuts*, SIGGRAPH 2003; K. Zhou, J. Snyder, B. Guo, H. Shum, *Iso-charts*,
//! SGP 2004). It stands only where both islands still lie flat within their bound.

use std::{
    cmp::Reverse,
    collections::{BinaryHeap, HashMap, VecDeque},
};

use ectome_mesh::Cancelled;
use petgraph::{
    algo::dinics,
    graph::{DiGraph, NodeIndex},
    visit::EdgeRef,
};
use rayon::prelude::*;

use crate::{
    chart::Chart,
    face_graph::{FaceGraph, NONE},
    flatten::{Care, flatten},
    region::{Division, Region, Rules},
};

/// Half the width of the band, as shares of the root of the smaller island's area: the wide one first, narrower ones where
/// an island with the new border does not hold its bound.
const BANDS: [f64; 3] = [0.4, 0.2, 0.1];

/// How often all borders are gone through. A third round takes 3 % more and as long as the second.
const ROUNDS: usize = 2;

/// A new border is worth it when it costs less than this share of the old one.
const WORTH: f64 = 0.98;

/// By how much both islands together may come to be stretched more (mean stretch L²): half of this leaves borders 4 %
/// longer, no bound takes the excess stretch of a figurehead from .0040 to .0050.
const CALM: f64 = 0.002;

/// Costs are whole numbers for the cut: this many for what the old border costs.
const STEPS: f64 = 1e9;

/// Draws the borders between islands anew, pair by pair. Their count stays.
///
/// # Errors
/// [`Cancelled`] when the work is stopped.
pub fn straightened(
    surface: &FaceGraph,
    mut regions: Vec<Region>,
    rules: &Rules,
) -> Result<Vec<Region>, Cancelled> {
    let mut division = Division::of(surface, &regions, rules);
    // In which round an island was last changed.
    let mut changed = vec![0; regions.len()];
    for round in 1..=ROUNDS {
        let borders = division.borders(surface, rules);
        let mut left: Vec<[u32; 2]> = borders
            .into_keys()
            .filter(|pair| pair.iter().any(|&i| changed[i as usize] + 1 >= round))
            .collect();
        while !left.is_empty() {
            rules.progress.go_on()?;
            // Pairs that share no island can be drawn at once.
            let mut busy = vec![false; regions.len()];
            let (now, later): (Vec<[u32; 2]>, Vec<[u32; 2]>) = left.iter().partition(|pair| {
                let free = pair.iter().all(|&i| !busy[i as usize]);
                pair.iter().for_each(|&i| busy[i as usize] |= free);
                free
            });
            let drawn: Vec<Option<[Region; 2]>> = now
                .par_iter()
                .map(|&pair| redrawn(surface, &division, pair, &regions, rules))
                .collect();
            for (pair, new) in now.iter().zip(drawn) {
                let Some(new) = new else { continue };
                for (&i, region) in pair.iter().zip(new) {
                    let old = &regions[i as usize];
                    for &s in old.chart.loops.iter().flatten() {
                        let e = old.chart.edge(surface, s);
                        division.seam[e as usize] =
                            rules.ends(e) || surface.edges[e as usize].fixed;
                    }
                    for &f in &region.chart.faces {
                        division.of_face[f as usize] = i;
                    }
                    regions[i as usize] = region;
                    changed[i as usize] = round;
                }
                for &i in pair {
                    let chart = &regions[i as usize].chart;
                    for &s in chart.loops.iter().flatten() {
                        division.seam[chart.edge(surface, s) as usize] = true;
                    }
                }
            }
            left = later;
        }
    }
    Ok(regions)
}

/// Two islands with a better border between them.
fn redrawn(
    surface: &FaceGraph,
    division: &Division,
    pair: [u32; 2],
    regions: &[Region],
    rules: &Rules,
) -> Option<[Region; 2]> {
    let old = pair.map(|i| &regions[i as usize]);
    if !old.iter().all(|r| r.chart.is_disk()) {
        return None;
    }
    let between = |e: u32| {
        let edge = &surface.edges[e as usize];
        !edge.fixed && !rules.ends(e) && {
            let [f, g] = edge.faces.map(|f| division.of_face[f as usize]);
            f != g && pair.contains(&f) && pair.contains(&g)
        }
    };
    let cost = |e: u32| surface.edges[e as usize].length * rules.costs[e as usize];
    let border: Vec<u32> = old[0]
        .chart
        .loops
        .iter()
        .flatten()
        .map(|&s| old[0].chart.edge(surface, s))
        .filter(|&e| between(e))
        .collect();
    let before: f64 = border.iter().map(|&e| cost(e)).sum();
    if before <= 0.0 {
        return None;
    }
    let size = old[0].area.min(old[1].area).sqrt();
    let reached = Reached::from(surface, division, pair, &border, BANDS[0] * size);
    let mut last = 0;
    for band in BANDS {
        let faces = reached.within(band * size);
        if faces.len() < 2 || faces.len() == last {
            continue;
        }
        last = faces.len();
        // An edge that is a seam already costs nothing.
        let price = |e: u32| {
            if division.seam[e as usize] && !between(e) {
                0
            } else {
                (cost(e) / before * STEPS) as u64 + 1
            }
        };
        let Some((sides, after)) = least_cut(surface, division, pair, &faces, price) else {
            continue;
        };
        if after as f64 > WORTH * STEPS {
            return None;
        }
        let open = |e: u32| division.seam[e as usize] && !between(e);
        let [a, b] = [0, 1].map(|k| {
            let mut faces: Vec<u32> = old
                .iter()
                .flat_map(|r| &r.chart.faces)
                .copied()
                .filter(|f| {
                    let was = u8::from(division.of_face[*f as usize] == pair[1]);
                    sides.get(f).copied().unwrap_or(was) == k
                })
                .collect();
            faces.sort_unstable();
            let chart = Chart::new(surface, faces, open);
            let flat = chart
                .is_disk()
                .then(|| flatten(surface, &chart, &rules.bound, Care::Trial, rules.progress));
            flat.flatten().map(|flat| Region::new(surface, chart, flat))
        });
        if let (Some(a), Some(b)) = (a, b) {
            let before = old[0].flat.stretch.and(old[1].flat.stretch).l2();
            let after = a.flat.stretch.and(b.flat.stretch).l2();
            if after <= before + CALM {
                return Some([a, b]);
            }
        }
    }
    None
}

/// Faces of two islands and how far they lie from their border, over the middles of faces, in metres.
struct Reached(Vec<(u32, f64)>);

impl Reached {
    fn from(
        surface: &FaceGraph,
        division: &Division,
        pair: [u32; 2],
        border: &[u32],
        most: f64,
    ) -> Self {
        let middle = |f: u32| {
            let [a, b, c] = surface.faces[f as usize].map(|p| surface.points[p as usize]);
            (a + b + c) / 3.0
        };
        let mut distance: HashMap<u32, f64> = HashMap::new();
        // Lengths above zero are in the order of their bits.
        let mut heap: BinaryHeap<Reverse<(u64, u32)>> = border
            .iter()
            .flat_map(|&e| surface.edges[e as usize].faces)
            .map(|f| Reverse((0f64.to_bits(), f)))
            .collect();
        let mut found = Vec::new();
        while let Some(Reverse((bits, face))) = heap.pop() {
            let far = f64::from_bits(bits);
            if distance.get(&face).is_some_and(|&d| d <= far) {
                continue;
            }
            distance.insert(face, far);
            found.push((face, far));
            for e in surface.face_edges[face as usize] {
                let next = surface.across(e, face);
                if next == NONE
                    || division.seam[e as usize]
                    || !pair.contains(&division.of_face[next as usize])
                {
                    continue;
                }
                let d = far + middle(face).distance(middle(next));
                if d <= most {
                    heap.push(Reverse((d.to_bits(), next)));
                }
            }
        }
        Self(found)
    }

    fn within(&self, distance: f64) -> Vec<u32> {
        let mut faces: Vec<u32> = self
            .0
            .iter()
            .filter(|f| f.1 <= distance)
            .map(|f| f.0)
            .collect();
        faces.sort_unstable();
        faces
    }
}

/// The cheapest division of `band` (in rising order) between two islands: 0 or 1 for each of its faces, and what it
/// costs. What lies beyond the band stays; none where one island lies within it whole.
fn least_cut(
    surface: &FaceGraph,
    division: &Division,
    pair: [u32; 2],
    band: &[u32],
    price: impl Fn(u32) -> u64,
) -> Option<(HashMap<u32, u8>, u64)> {
    let mut graph: DiGraph<(), u64> = DiGraph::new();
    let ends = [graph.add_node(()), graph.add_node(())];
    let nodes: Vec<NodeIndex> = band.iter().map(|_| graph.add_node(())).collect();
    let mut held = [false; 2];
    for (i, &f) in band.iter().enumerate() {
        for e in surface.face_edges[f as usize] {
            let g = surface.across(e, f);
            if g == NONE || surface.edges[e as usize].fixed {
                continue;
            }
            let Some(side) = pair.iter().position(|&p| p == division.of_face[g as usize]) else {
                continue;
            };
            match band.binary_search(&g) {
                Ok(j) => {
                    graph.add_edge(nodes[i], nodes[j], price(e));
                }
                Err(_) => {
                    let cost = price(e);
                    held[side] |= cost > 0;
                    match side {
                        0 => graph.add_edge(ends[0], nodes[i], cost),
                        _ => graph.add_edge(nodes[i], ends[1], cost),
                    };
                }
            }
        }
    }
    if held != [true; 2] {
        return None;
    }
    let (least, flows) = dinics(&graph, ends[0], ends[1]);
    // What can still be reached from the first end belongs to the first island.
    let mut spare: HashMap<(NodeIndex, NodeIndex), u64> = HashMap::new();
    for edge in graph.edge_references() {
        let flow = flows[edge.id().index()];
        *spare.entry((edge.source(), edge.target())).or_default() += edge.weight() - flow;
        *spare.entry((edge.target(), edge.source())).or_default() += flow;
    }
    let mut reached = vec![false; graph.node_count()];
    reached[ends[0].index()] = true;
    let mut queue = VecDeque::from([ends[0]]);
    while let Some(node) = queue.pop_front() {
        for next in graph.neighbors_undirected(node) {
            if !reached[next.index()] && spare.get(&(node, next)).is_some_and(|&s| s > 0) {
                reached[next.index()] = true;
                queue.push_back(next);
            }
        }
    }
    let sides = band
        .iter()
        .zip(&nodes)
        .map(|(&f, n)| (f, u8::from(!reached[n.index()])))
        .collect();
    Some((sides, least))
}

#[cfg(test)]
mod tests {
    use ectome_mesh::{Mesh, MeshBuilder, Primitive, Progress};
    use glam::{Affine3A, Vec3};

    use super::*;
    use crate::{flatten::Bound, grow::laid};

    const SIDE: u32 = 16;

    /// Half a pipe of radius and length one: `SIDE` by `SIDE` quads, two triangles each, row after row along the axis.
    fn half_pipe() -> Mesh {
        let mut positions = Vec::new();
        for j in 0..=SIDE {
            for i in 0..=SIDE {
                let turn = std::f32::consts::PI * i as f32 / SIDE as f32;
                positions.push(Vec3::new(turn.cos(), j as f32 / SIDE as f32, turn.sin()));
            }
        }
        let at = |i: u32, j: u32| j * (SIDE + 1) + i;
        let quad = |k: u32| {
            let (i, j) = (k % SIDE, k / SIDE);
            let [a, b, c, d] = [at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)];
            [a, b, c, a, c, d]
        };
        let corners = (0..SIDE * SIDE).flat_map(quad).collect();
        let mut builder = MeshBuilder::new();
        builder
            .part("pipe", Affine3A::IDENTITY)
            .primitive(Primitive {
                positions,
                corners,
                ..Primitive::default()
            });
        builder.finish()
    }

    fn length_between(surface: &FaceGraph, regions: &[Region]) -> f64 {
        let inside = |f: u32| regions[0].chart.faces.binary_search(&f).is_ok();
        surface
            .edges
            .iter()
            .filter(|e| !e.fixed && inside(e.faces[0]) != inside(e.faces[1]))
            .map(|e| e.length)
            .sum()
    }

    /// Teeth of one to three quads on a pipe that is cut across: the shortest border is one row of edges, SIDE chords of
    /// 2 sin(π / 2 SIDE).
    #[test]
    fn teeth_are_taken_off() {
        let surface = FaceGraph::of(&half_pipe());
        let none = vec![false; surface.edges.len()];
        let costs = vec![1.0; surface.edges.len()];
        let rules = Rules {
            bound: Bound::stretch(1.02, 3.0),
            seams: &none,
            hard: &none,
            small: 0.0,
            costs: &costs,
            progress: &Progress::new(),
        };
        let below = |f: &u32| {
            let (i, j) = (f / 2 % SIDE, f / 2 / SIDE);
            j < SIDE / 2 + [0, 2, 1, 3][(i % 4) as usize]
        };
        let (low, high): (Vec<u32>, Vec<u32>) = (0..2 * SIDE * SIDE).partition(below);
        let regions: Vec<Region> = [low, high]
            .into_iter()
            .map(|faces| laid(&surface, faces, &rules, Care::Trial).unwrap())
            .collect();
        let straight =
            f64::from(SIDE) * 2.0 * (std::f64::consts::FRAC_PI_2 / f64::from(SIDE)).sin();
        assert!(length_between(&surface, &regions) > 1.3 * straight);
        let after = straightened(&surface, regions, &rules).unwrap();
        assert!((length_between(&surface, &after) - straight).abs() < 1e-5);
        let faces: usize = after.iter().map(|r| r.chart.faces.len()).sum();
        assert_eq!((after.len(), faces), (2, (2 * SIDE * SIDE) as usize));
        assert!(after.iter().all(|r| r.flat.stretch.l2() < 1.0001));
    }

    /// A border that was asked for is not moved.
    #[test]
    fn seams_that_were_marked_stay() {
        let surface = FaceGraph::of(&half_pipe());
        let between = |e: &crate::face_graph::Edge| {
            let row = |f: u32| f / 2 / SIDE;
            !e.fixed && (row(e.faces[0]) < 5) != (row(e.faces[1]) < 5)
        };
        let seams: Vec<bool> = surface.edges.iter().map(between).collect();
        let none = vec![false; seams.len()];
        let costs = vec![1.0; seams.len()];
        let rules = Rules {
            bound: Bound::stretch(1.02, 3.0),
            seams: &seams,
            hard: &none,
            small: 0.0,
            costs: &costs,
            progress: &Progress::new(),
        };
        let (low, high): (Vec<u32>, Vec<u32>) =
            (0..2 * SIDE * SIDE).partition(|f| f / 2 / SIDE < 5);
        let regions: Vec<Region> = [low.clone(), high]
            .into_iter()
            .map(|faces| laid(&surface, faces, &rules, Care::Trial).unwrap())
            .collect();
        let after = straightened(&surface, regions, &rules).unwrap();
        assert_eq!(after[0].chart.faces, low);
    }
}
