//! Makes a map without folds as true to size as it can be: symmetric Dirichlet energy, reweighted step by step.
//!
//! M. Rabinovich, R. Poranne, D. Panozzo, O. Sorkine-Hornung, *Scalable Locally Injective Mappings*, 2017. The energy of
//! a triangle is its area times σ₁² + σ₂² + σ₁⁻² + σ₂⁻², which is least (4) where nothing is stretched and without bound
//! where it collapses; a step never goes so far that a triangle turns over (J. Smith, S. Schaefer, *Bijective
//! Parameterization with Free Boundaries*, 2015).

use ectome_mesh::Progress;
use glam::{DMat2, DVec2};

use super::sparse::Pattern;
use crate::chart::Chart;

/// Holds what the energy leaves free: where the whole lies.
const ANCHOR: f64 = 1e-6;

/// Improves maps of one chart.
pub struct Improver<'a> {
    chart: &'a Chart,
    /// Gradients of the three corner weights in the rest triangle.
    gradients: Vec<[DVec2; 3]>,
    /// Areas of the rest triangles over their sum.
    share: Vec<f64>,
    pattern: Pattern,
}

impl<'a> Improver<'a> {
    /// Prepares for a chart. `None` when its system cannot be analysed.
    pub fn new(chart: &'a Chart) -> Option<Self> {
        let area = |[p, q]: [DVec2; 2]| 0.5 * p.perp_dot(q);
        let whole: f64 = chart.rest.iter().map(|&r| area(r)).sum();
        let gradients = chart.rest.iter().map(|&[p, q]| {
            let inverse = DMat2::from_cols(p, q).inverse().transpose();
            let (b, c) = (inverse.x_axis, inverse.y_axis);
            [-b - c, b, c]
        });
        let n = chart.point.len();
        let mut entries = Vec::with_capacity(chart.faces.len() * 24 + 2 * n);
        for c in &chart.corners {
            blocks(c, |p, q, _, _, _, _| entries.push((p, q)));
        }
        entries.extend((0..2 * n as u32).map(|i| (i, i)));
        Some(Self {
            chart,
            gradients: gradients.collect(),
            share: chart.rest.iter().map(|&r| area(r) / whole).collect(),
            pattern: Pattern::new(2 * n, &entries)?,
        })
    }

    fn jacobian(&self, t: usize, at: &[DVec2]) -> DMat2 {
        let c = self.chart.corners[t];
        let g = self.gradients[t];
        let column = |s: fn(DVec2) -> f64| {
            (0..3).fold(DVec2::ZERO, |sum, k| sum + at[c[k] as usize] * s(g[k]))
        };
        DMat2::from_cols(column(|g| g.x), column(|g| g.y))
    }

    /// Mean energy: 4 for an isometry, infinite when a triangle has turned over.
    pub fn energy(&self, at: &[DVec2]) -> f64 {
        let mut sum = 0.0;
        for t in 0..self.chart.faces.len() {
            let j = self.jacobian(t, at);
            let det = j.determinant();
            if det <= 0.0 {
                return f64::INFINITY;
            }
            let square = j.x_axis.length_squared() + j.y_axis.length_squared();
            sum += self.share[t] * square * (1.0 + 1.0 / (det * det));
        }
        sum
    }

    /// One step from `at`, which must have no fold. Returns the energy after it; `None` when it cannot go on, or
    /// when the work is stopped.
    pub fn step(&self, at: &mut [DVec2], before: f64, progress: &Progress) -> Option<f64> {
        let n = at.len();
        let mut values = Vec::with_capacity(self.chart.faces.len() * 24 + 2 * n);
        let mut rhs = vec![0.0; 2 * n];
        for (t, c) in self.chart.corners.iter().enumerate() {
            let j = self.jacobian(t, at);
            let (rotation, metric) = proxy(j);
            let g = self.gradients[t];
            let share = self.share[t];
            blocks(c, |_, _, k, l, s, u| {
                values.push(share * g[k].dot(g[l]) * metric.col(s)[u]);
            });
            let pull = metric * rotation;
            for k in 0..3 {
                let f = share * (pull * g[k]);
                rhs[2 * c[k] as usize] += f.x;
                rhs[2 * c[k] as usize + 1] += f.y;
            }
        }
        let scale = ANCHOR / n as f64 / self.chart.whole_area().max(1e-30);
        for v in 0..n {
            values.extend([scale; 2]);
            rhs[2 * v] += scale * at[v].x;
            rhs[2 * v + 1] += scale * at[v].y;
        }
        if !self.pattern.solve(&values, &mut rhs, progress) {
            return None;
        }
        let step: Vec<DVec2> = (0..n)
            .map(|v| DVec2::new(rhs[2 * v], rhs[2 * v + 1]) - at[v])
            .collect();
        let mut length = (0.9 * self.reach(at, &step)).min(1.0);
        let start = at.to_vec();
        for _ in 0..12 {
            for v in 0..n {
                at[v] = start[v] + length * step[v];
            }
            let after = self.energy(at);
            if after < before {
                return Some(after);
            }
            length *= 0.5;
        }
        at.copy_from_slice(&start);
        None
    }

    /// How far along `step` the first triangle collapses.
    fn reach(&self, at: &[DVec2], step: &[DVec2]) -> f64 {
        let mut reach = f64::INFINITY;
        for c in &self.chart.corners {
            let [a, b, d] = c.map(|v| at[v as usize]);
            let [p, q, r] = c.map(|v| step[v as usize]);
            let (e, f, g, h) = (b - a, d - a, q - p, r - p);
            // Twice the area is quadratic in the length of the step.
            let (z, y, x) = (g.perp_dot(h), e.perp_dot(h) + g.perp_dot(f), e.perp_dot(f));
            reach = reach.min(smallest_positive_root(z, y, x));
        }
        reach
    }
}

/// The smallest positive root of z t² + y t + x with x > 0, or infinity.
fn smallest_positive_root(z: f64, y: f64, x: f64) -> f64 {
    let d = y * y - 4.0 * z * x;
    if d < 0.0 {
        return f64::INFINITY;
    }
    // The form without cancellation.
    let q = -0.5 * (y + d.sqrt().copysign(y));
    let roots = [q / z, x / q];
    roots
        .into_iter()
        .filter(|t| *t > 0.0 && t.is_finite())
        .fold(f64::INFINITY, f64::min)
}

/// The rotation a triangle should have and the weights by which it is pulled there.
fn proxy(j: DMat2) -> (DMat2, DMat2) {
    // Closed form of the singular values of a 2 × 2 matrix: j = turn · stretch.
    let (a, b, c, d) = (j.x_axis.x, j.y_axis.x, j.x_axis.y, j.y_axis.y);
    let (e, f, g, h) = ((a + d) / 2.0, (a - d) / 2.0, (c + b) / 2.0, (c - b) / 2.0);
    let (q, r) = (e.hypot(h), f.hypot(g));
    let (large, small) = (q + r, (q - r).max(1e-12));
    let (sum, difference) = (h.atan2(e), g.atan2(f));
    let left = (sum + difference) / 2.0;
    let rotation = DMat2::from_angle(sum);
    let weight = |s: f64| {
        let gap = s - 1.0;
        if gap.abs() < 1e-7 {
            4.0
        } else {
            ((s - s.powi(-3)) / gap).max(1e-9)
        }
    };
    let u = DMat2::from_angle(left);
    let metric = u * DMat2::from_diagonal(DVec2::new(weight(large), weight(small))) * u.transpose();
    (rotation, metric)
}

/// Calls `each` with row, column, the two corners and the two coordinates of every entry that a triangle adds to the lower
/// triangle of the matrix.
fn blocks(c: &[u32; 3], mut each: impl FnMut(u32, u32, usize, usize, usize, usize)) {
    for k in 0..3 {
        for l in 0..3 {
            for s in 0..2 {
                for u in 0..2 {
                    let (p, q) = (2 * c[k] + s as u32, 2 * c[l] + u as u32);
                    if p >= q {
                        each(p, q, k, l, s, u);
                    }
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Hand-worked: a turn by 30° after a stretch to 2 and ½ is pulled to the turn, by (σ − σ⁻³)/(σ − 1) = 15/8 and 15.
    #[test]
    fn the_proxy_of_a_stretched_turn_is_the_turn() {
        let turn = DMat2::from_angle(0.5);
        let (rotation, metric) = proxy(turn * DMat2::from_diagonal(DVec2::new(2.0, 0.5)));
        assert!(
            (rotation - turn)
                .to_cols_array()
                .iter()
                .all(|x| x.abs() < 1e-9)
        );
        let back = turn.transpose() * metric * turn;
        assert!((back.x_axis.x - 15.0 / 8.0).abs() < 1e-9, "{back}");
        assert!((back.y_axis.y - 15.0).abs() < 1e-9, "{back}");
    }

    #[test]
    fn a_root_is_found_without_cancellation() {
        assert_eq!(smallest_positive_root(0.0, -2.0, 1.0), 0.5);
        assert_eq!(smallest_positive_root(1.0, -3.0, 2.0), 1.0);
        assert_eq!(smallest_positive_root(1.0, 3.0, 2.0), f64::INFINITY);
    }
}
