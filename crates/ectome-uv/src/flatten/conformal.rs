//! Least squares conformal maps: angles first, and exact for whatever can be unrolled.
//!
//! B. Lévy, S. Petitjean, N. Ray, J. Maillot, *Least Squares Conformal Maps for Automatic Texture Atlas Generation*,
//! SIGGRAPH 2002, in the form of M. Desbrun, M. Meyer, P. Alliez, *Intrinsic Parameterizations of Surface Meshes*, 2002: the Dirichlet
//! energy less the area. Two vertices are held.

use ectome_mesh::Progress;
use glam::{DVec2, DVec3};

use super::sparse::Pattern;
use crate::{chart::Chart, face_graph::NONE};

/// The map, in the size of the chart up to a factor. `None` when the system cannot be solved, or when the work is
/// stopped.
pub fn map(chart: &Chart, places: &[DVec3], progress: &Progress) -> Option<Vec<DVec2>> {
    let n = chart.point.len();
    let (a, b) = far_apart(chart, places)?;
    let apart = places[chart.point[a as usize] as usize]
        .distance(places[chart.point[b as usize] as usize])
        .max(1e-9);
    let mut unknown = vec![NONE; n];
    let mut count = 0u32;
    for v in 0..n as u32 {
        if v != a && v != b {
            unknown[v as usize] = count;
            count += 1;
        }
    }
    if count == 0 {
        return None;
    }
    // Of the held vertices only b is away from the origin, along x.
    let held = |v: u32| if v == b { apart } else { 0.0 };
    let mut rhs = vec![0.0; 2 * count as usize];
    let mut entries = Vec::with_capacity(chart.faces.len() * 24);
    let mut values = Vec::with_capacity(chart.faces.len() * 24);
    // Adds h to the Hessian between coordinate s of v and coordinate t of w, both ways.
    let mut add =
        |v: u32, s: u32, w: u32, t: u32, h: f64| match (unknown[v as usize], unknown[w as usize]) {
            (NONE, NONE) => {}
            (i, NONE) => {
                if t == 0 {
                    rhs[(2 * i + s) as usize] -= h * held(w);
                }
            }
            (NONE, j) => {
                if s == 0 {
                    rhs[(2 * j + t) as usize] -= h * held(v);
                }
            }
            (i, j) => {
                let (p, q) = (2 * i + s, 2 * j + t);
                entries.push((p.max(q), p.min(q)));
                values.push(h);
            }
        };
    for (corners, &[p, q]) in chart.corners.iter().zip(&chart.rest) {
        let at = [DVec2::ZERO, p, q];
        for k in 0..3 {
            let (i, j) = (corners[(k + 1) % 3], corners[(k + 2) % 3]);
            let (to_i, to_j) = (at[(k + 1) % 3] - at[k], at[(k + 2) % 3] - at[k]);
            let half_cot = 0.5 * to_i.dot(to_j) / to_i.perp_dot(to_j);
            for s in 0..2 {
                add(i, s, i, s, half_cot);
                add(j, s, j, s, half_cot);
                add(i, s, j, s, -half_cot);
            }
        }
    }
    for side in chart.loops.iter().flatten() {
        let corners = chart.corners[side.face as usize];
        let (i, j) = (
            corners[side.corner as usize],
            corners[(side.corner as usize + 1) % 3],
        );
        add(i, 0, j, 1, -0.5);
        add(j, 0, i, 1, 0.5);
    }
    let pattern = Pattern::new(2 * count as usize, &entries)?;
    if !pattern.solve(&values, &mut rhs, progress) {
        return None;
    }
    Some(
        unknown
            .iter()
            .enumerate()
            .map(|(v, &i)| match i {
                NONE => DVec2::new(held(v as u32), 0.0),
                i => DVec2::new(rhs[2 * i as usize], rhs[2 * i as usize + 1]),
            })
            .collect(),
    )
}

/// Two border vertices about as far apart as any: the furthest from the furthest from the first.
fn far_apart(chart: &Chart, places: &[DVec3]) -> Option<(u32, u32)> {
    let border: Vec<u32> = chart
        .loops
        .iter()
        .flatten()
        .map(|&s| chart.from(s))
        .collect();
    let place = |v: u32| places[chart.point[v as usize] as usize];
    let furthest = |from: u32| {
        border
            .iter()
            .copied()
            .filter(|&v| v != from)
            .max_by(|&v, &w| {
                let d = |v| place(v).distance_squared(place(from));
                d(v).total_cmp(&d(w)).then(w.cmp(&v))
            })
    };
    let a = furthest(*border.first()?)?;
    Some((a, furthest(a)?))
}
