//! Two islands of a layout made one, and one made two.

use ectome_mesh::{Progress, topology::UnionFind};

use crate::{
    chart::Chart,
    face_graph::{FaceGraph, NONE},
    flatten::{Bound, Flat, measured},
    gap,
    grow::union,
    layout::Layout,
    measure::Island,
    pack::orient,
    region::{Region, Rules},
};

/// Edges along which a layout parts its faces.
pub fn seams(surface: &FaceGraph, layout: &Layout) -> Vec<bool> {
    let corner = |f: u32, point: u32| {
        let k = surface.faces[f as usize].iter().position(|&p| p == point);
        k.map(|k| layout.uv[f as usize][k])
    };
    surface
        .edges
        .iter()
        .map(|e| {
            let [f, g] = e.faces;
            e.fixed
                || g == NONE
                || layout.island[f as usize] != layout.island[g as usize]
                || e.points.iter().any(|&p| corner(f, p) != corner(g, p))
        })
        .collect()
}

fn region(surface: &FaceGraph, layout: &Layout, seams: &[bool], island: &Island) -> Region {
    let chart = Chart::new(surface, island.faces.clone(), |e| seams[e as usize]);
    let mut at = vec![glam::DVec2::ZERO; chart.point.len()];
    for (c, &f) in chart.corners.iter().zip(&chart.faces) {
        for k in 0..3 {
            at[c[k] as usize] = layout.uv[f as usize][k];
        }
    }
    let stretch = measured(&chart, &at);
    Region::new(surface, chart, Flat { at, stretch })
}

/// Islands `a` and `b` as one chart, sewn along the longest stretch of their common seam and laid flat anew. `None` when
/// they have none, when the whole cannot lie flat within `bound`, or when the work is stopped.
pub fn join(
    surface: &FaceGraph,
    costs: &[f64],
    layout: &Layout,
    islands: &[Island],
    [a, b]: [u32; 2],
    bound: Bound,
    progress: &Progress,
) -> Option<Region> {
    let seams = seams(surface, layout);
    let of = |i: u32| region(surface, layout, &seams, &islands[i as usize]);
    let none = vec![false; surface.edges.len()];
    let rules = Rules {
        bound,
        seams: &none,
        hard: &none,
        small: 0.0,
        costs,
        progress,
    };
    union(surface, &of(a), &of(b), (&layout.island, b), &seams, &rules)
}

/// Parts an island across its length, in the middle. Both parts stay where they are. False when it is a single triangle.
pub fn split(surface: &FaceGraph, layout: &mut Layout, island: &Island) -> bool {
    if island.faces.len() < 2 {
        return false;
    }
    let corners = island.faces.iter().flat_map(|&f| layout.uv[f as usize]);
    let turn = glam::DVec2::from_angle(orient::least_box(corners.collect()));
    let along = |f: u32| {
        let uv = layout.uv[f as usize];
        turn.rotate((uv[0] + uv[1] + uv[2]) / 3.0).x
    };
    let mut order: Vec<(f64, u32)> = island.faces.iter().map(|&f| (along(f), f)).collect();
    order.sort_unstable_by(|x, y| x.0.total_cmp(&y.0).then(x.1.cmp(&y.1)));
    let (low, high) = (order[0].0, order[order.len() - 1].0);
    let middle = 0.5 * (low + high);
    // Where all lie on one side of the middle the list itself is halved.
    let first = order
        .partition_point(|o| o.0 < middle)
        .clamp(1, order.len() - 1);
    let mut side = vec![NONE; surface.faces.len()];
    for (i, &(_, f)) in order.iter().enumerate() {
        side[f as usize] = u32::from(i >= first);
    }
    // What does not hang together any more becomes islands of its own.
    let seams = seams(surface, layout);
    let mut sets = UnionFind::new(surface.faces.len());
    for (e, edge) in surface.edges.iter().enumerate() {
        let [f, g] = edge.faces;
        if !seams[e] && side[f as usize] != NONE && side[f as usize] == side[g as usize] {
            sets.join(f, g);
        }
    }
    let mut number = std::collections::BTreeMap::new();
    for &f in &island.faces {
        let n = layout.count as u32 + number.len() as u32;
        layout.island[f as usize] = *number.entry(sets.find(f)).or_insert(n);
    }
    layout.count += number.len();
    layout.renumber();
    true
}

/// Islands whose long side is more than `share` of the sheet, longest first.
pub fn over_long(layout: &Layout, islands: &[Island], share: f64) -> Vec<u32> {
    let mut list: Vec<(f64, u32)> = islands
        .iter()
        .enumerate()
        .filter(|(i, island)| island.stack == *i as u32 && island.faces.len() > 1)
        .filter(|(_, i)| (i.high - i.low).length() > share)
        .map(|(i, island)| {
            let outline = gap::outline(layout, &island.faces);
            (
                orient::least_box_size(outline.into_iter().flatten().collect()).x,
                i as u32,
            )
        })
        .filter(|(long, _)| *long > share)
        .collect();
    list.sort_unstable_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
    list.into_iter().map(|l| l.1).collect()
}
