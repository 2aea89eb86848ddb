//! A map of a disk that never folds: its border on a circle, every other vertex in the middle of its neighbours.
//!
//! W. T. Tutte, *How to Draw a Graph*, 1963; M. S. Floater, *Parametrization and smooth approximation of surface
//! triangulations*, 1997: with positive weights and a convex border no triangle turns over.

use std::f64::consts::TAU;

use ectome_mesh::Progress;
use glam::{DVec2, DVec3};

use super::sparse::Pattern;
use crate::{chart::Chart, face_graph::NONE};

/// The map of a disk, with the area of the chart. `None` for what is no disk, or when the work is stopped.
pub fn map(chart: &Chart, places: &[DVec3], progress: &Progress) -> Option<Vec<DVec2>> {
    if !chart.is_disk() {
        return None;
    }
    let n = chart.point.len();
    let radius = (chart.whole_area() / std::f64::consts::PI).sqrt();
    let border: Vec<u32> = chart.loops[0].iter().map(|&s| chart.from(s)).collect();
    let place = |v: u32| places[chart.point[v as usize] as usize];
    // Short sides get a share too, so that no two border vertices fall together.
    let side = |i: usize| place(border[i]).distance(place(border[(i + 1) % border.len()]));
    let mean = (0..border.len()).map(side).sum::<f64>() / border.len() as f64;
    let lengths: Vec<f64> = (0..border.len())
        .map(|i| side(i).max(0.05 * mean))
        .collect();
    let whole: f64 = lengths.iter().sum();
    let mut at = vec![DVec2::ZERO; n];
    let mut unknown = vec![0; n];
    let mut run = 0.0;
    for (&v, l) in border.iter().zip(&lengths) {
        at[v as usize] = radius * DVec2::from_angle(TAU * run / whole);
        unknown[v as usize] = NONE;
        run += l;
    }
    let mut count = 0u32;
    for u in unknown.iter_mut().filter(|u| **u != NONE) {
        *u = count;
        count += 1;
    }
    if count == 0 {
        return Some(at);
    }
    let (mut entries, mut values) = (Vec::new(), Vec::new());
    let mut rhs = [vec![0.0; count as usize], vec![0.0; count as usize]];
    for c in &chart.corners {
        for k in 0..3 {
            // Each inner edge is met twice, once from either face.
            let (i, j) = (c[k] as usize, c[(k + 1) % 3] as usize);
            for (from, to) in [(i, j), (j, i)] {
                let (p, q) = (unknown[from], unknown[to]);
                if p == NONE {
                    continue;
                }
                entries.push((p, p));
                values.push(1.0);
                if q == NONE {
                    rhs[0][p as usize] += at[to].x;
                    rhs[1][p as usize] += at[to].y;
                } else if p > q {
                    entries.push((p, q));
                    values.push(-1.0);
                }
            }
        }
    }
    let pattern = Pattern::new(count as usize, &entries)?;
    let [x, y] = &mut rhs;
    if !pattern.solve(&values, x, progress) || !pattern.solve(&values, y, progress) {
        return None;
    }
    for v in 0..n {
        if unknown[v] != NONE {
            let i = unknown[v] as usize;
            at[v] = DVec2::new(x[i], y[i]);
        }
    }
    Some(at)
}
