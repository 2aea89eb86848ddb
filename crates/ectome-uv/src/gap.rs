//! The least distance between islands, and from islands to the edges of their sheet.

use std::collections::HashMap;

use glam::DVec2;

use crate::{island::Island, layout::Layout};

/// A side of an island: the island, where it lies, both ends.
type Side = (u32, (i32, u32), [DVec2; 2]);

/// The least gap in widths of the sheet; `None` without islands. Islands in `overlapping` are measured against the edges only,
/// and what lies beyond an edge not against that: there is no gap to speak of. The figure is exact: distances between sides of triangles on borders.
pub fn smallest(layout: &Layout, islands: &[Island], overlapping: &[u32]) -> Option<f64> {
    let mut least = f64::INFINITY;
    let mut sides: Vec<Side> = Vec::new();
    for (i, island) in islands.iter().enumerate() {
        let sheet = f64::from(island.sheet);
        let edges = [
            island.low.x - sheet,
            sheet + 1.0 - island.high.x,
            island.low.y,
            1.0 - island.high.y,
        ];
        least = edges
            .into_iter()
            .filter(|e| *e >= 0.0)
            .fold(least, f64::min);
        let first = island.stack == i as u32;
        if first && overlapping.binary_search(&(i as u32)).is_err() {
            let of = |s| (i as u32, island.place(), s);
            sides.extend(outline(layout, &island.faces).into_iter().map(of));
        }
    }
    if islands.is_empty() {
        return None;
    }
    let mut cell = 1.0 / 128.0;
    loop {
        // What is nearer than a cell is found for certain.
        let found = within(&sides, cell);
        if found.min(least) <= cell || cell >= 0.5 {
            return Some(least.min(found));
        }
        cell *= 4.0;
    }
}

/// The least distance between sides of different islands, certain up to `cell`.
fn within(sides: &[Side], cell: f64) -> f64 {
    let mut grid: HashMap<((i32, u32), i64, i64), Vec<u32>> = HashMap::new();
    let cells = |s: &[DVec2; 2], more: f64| {
        let (low, high) = (s[0].min(s[1]) - more, s[0].max(s[1]) + more);
        let of = |v: f64| (v / cell).floor() as i64;
        (of(low.x)..=of(high.x)).flat_map(move |x| (of(low.y)..=of(high.y)).map(move |y| (x, y)))
    };
    for (i, (_, sheet, s)) in sides.iter().enumerate() {
        for (x, y) in cells(s, 0.0) {
            grid.entry((*sheet, x, y)).or_default().push(i as u32);
        }
    }
    let mut least = f64::INFINITY;
    for (island, sheet, s) in sides {
        for (x, y) in cells(s, cell) {
            for &j in grid.get(&(*sheet, x, y)).map_or(&[][..], |v| v) {
                let (other, _, t) = &sides[j as usize];
                if other > island {
                    least = least.min(distance(*s, *t));
                }
            }
        }
    }
    least
}

/// The sides of an island that no two of its faces share on the sheet.
pub fn outline(layout: &Layout, faces: &[u32]) -> Vec<[DVec2; 2]> {
    let bits = |p: DVec2| [p.x.to_bits(), p.y.to_bits()];
    let mut count: HashMap<[[u64; 2]; 2], (u32, [DVec2; 2])> = HashMap::new();
    let mut order = Vec::new();
    for &f in faces {
        let uv = layout.uv[f as usize];
        for k in 0..3 {
            let (a, b) = (uv[k], uv[(k + 1) % 3]);
            let (p, q) = (bits(a), bits(b));
            let key = if p <= q { [p, q] } else { [q, p] };
            let entry = count.entry(key).or_insert_with(|| {
                order.push(key);
                (0, [a, b])
            });
            entry.0 += 1;
        }
    }
    order
        .iter()
        .filter_map(|key| count.get(key).filter(|c| c.0 == 1).map(|c| c.1))
        .collect()
}

fn distance(a: [DVec2; 2], b: [DVec2; 2]) -> f64 {
    let side = |p: DVec2, q: DVec2, r: DVec2| (q - p).perp_dot(r - p);
    let crossing = side(a[0], a[1], b[0]) * side(a[0], a[1], b[1]) < 0.0
        && side(b[0], b[1], a[0]) * side(b[0], b[1], a[1]) < 0.0;
    if crossing {
        return 0.0;
    }
    let to = |p: DVec2, [q, r]: [DVec2; 2]| {
        let along = r - q;
        let t = (p - q).dot(along) / along.length_squared().max(1e-300);
        p.distance(q + along * t.clamp(0.0, 1.0))
    };
    to(a[0], b)
        .min(to(a[1], b))
        .min(to(b[0], a))
        .min(to(b[1], a))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn distances_between_segments_are_those_of_geometry() {
        let s = |a: [f64; 2], b: [f64; 2]| [DVec2::from_array(a), DVec2::from_array(b)];
        assert_eq!(
            distance(s([0., 0.], [1., 0.]), s([0.5, 2.], [0.5, 3.])),
            2.0
        );
        assert_eq!(distance(s([0., 0.], [1., 1.]), s([0., 1.], [1., 0.])), 0.0);
        assert!(
            (distance(s([0., 0.], [1., 0.]), s([2., 1.], [3., 1.])) - 2f64.sqrt()).abs() < 1e-12
        );
    }
}
