//! A polygon filled with the triangles whose worst is best, by dynamic programming over its stretches (G. T. Klincsek, *Minimal
//! Triangulations of Polygonal Domains*, 1980): cubic in its corners, which are few.

use glam::DVec2;

/// A polygon, and scratch memory; used again and again.
#[derive(Default)]
pub struct Polygon {
    corners: Vec<DVec2>,
    /// Pairs of corners between which no side may run.
    shut: Vec<bool>,
    best: Vec<f64>,
    cut: Vec<u8>,
}

impl Polygon {
    /// Begins with the corners, counter-clockwise; at most 256.
    pub fn begin(&mut self, corners: impl Iterator<Item = DVec2>) {
        self.corners.clear();
        self.corners.extend(corners);
        let n = self.corners.len();
        self.shut.clear();
        self.shut.resize(n * n, false);
    }

    /// No side may run between two corners.
    pub fn shut(&mut self, i: usize, j: usize) {
        let n = self.corners.len();
        self.shut[i * n + j] = true;
        self.shut[j * n + i] = true;
    }

    /// True where no side may run.
    pub fn is_shut(&self, i: usize, j: usize) -> bool {
        self.shut[i * self.corners.len() + j]
    }

    /// The triangles that fill it, by numbers of corners; false where it cannot be filled with triangles that stand upright and have
    /// area.
    pub fn fill(&mut self, into: &mut Vec<[u8; 3]>) -> bool {
        let n = self.corners.len();
        into.clear();
        self.best.clear();
        self.best.resize(n * n, 0.0);
        self.cut.clear();
        self.cut.resize(n * n, 0);
        for length in 2..n {
            for from in 0..n - length {
                let to = from + length;
                let (mut best, mut cut) = (f64::INFINITY, 0);
                // The whole polygon is closed by a side of its own.
                if !self.shut[from * n + to] || length == n - 1 {
                    for k in from + 1..to {
                        let inner = self.best[from * n + k].max(self.best[k * n + to]);
                        if inner < best {
                            let [a, b, c] = [from, k, to].map(|i| self.corners[i]);
                            let worst = badness(a, b, c).max(inner);
                            if worst < best {
                                (best, cut) = (worst, k);
                            }
                        }
                    }
                }
                self.best[from * n + to] = best;
                self.cut[from * n + to] = cut as u8;
            }
        }
        let filled = n >= 3 && self.best[n - 1].is_finite();
        if filled {
            self.collect(0, n - 1, into);
        }
        filled
    }

    /// The triangles of the best filling of a stretch.
    fn collect(&self, from: usize, to: usize, into: &mut Vec<[u8; 3]>) {
        if to - from < 2 {
            return;
        }
        let k = self.cut[from * self.corners.len() + to] as usize;
        into.push([from as u8, k as u8, to as u8]);
        self.collect(from, k, into);
        self.collect(k, to, into);
    }
}

/// How far a triangle is from an even one: the sum of its squared sides over twice its area; infinite where it does not stand upright.
fn badness(a: DVec2, b: DVec2, c: DVec2) -> f64 {
    let twice = (b - a).perp_dot(c - a);
    let sides = a.distance_squared(b) + b.distance_squared(c) + c.distance_squared(a);
    if twice > 1e-7 * sides {
        sides / twice
    } else {
        f64::INFINITY
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn filled(corners: &[(f64, f64)], shut: &[(usize, usize)]) -> Option<Vec<[u8; 3]>> {
        let mut polygon = Polygon::default();
        polygon.begin(corners.iter().map(|&(x, y)| DVec2::new(x, y)));
        shut.iter().for_each(|&(i, j)| polygon.shut(i, j));
        let mut out = Vec::new();
        polygon.fill(&mut out).then_some(out)
    }

    #[test]
    fn the_worst_triangle_is_the_best_it_can_be() {
        // A kite: the short diagonal makes the better pair.
        let kite = [(0.0, 0.0), (1.0, -0.4), (3.0, 0.0), (1.0, 0.4)];
        let made = filled(&kite, &[]).unwrap();
        assert!(made.iter().all(|t| t.contains(&1) && t.contains(&3)));
        let other = filled(&kite, &[(1, 3)]).unwrap();
        assert!(other.iter().all(|t| t.contains(&0) && t.contains(&2)));
        assert_eq!(filled(&kite, &[(1, 3), (0, 2)]), None);
    }

    #[test]
    fn corners_on_a_straight_side_and_hollow_ones_are_no_hindrance() {
        let straight = [(0.0, 0.0), (1.0, 0.0), (2.0, 0.0), (2.0, 2.0), (0.0, 2.0)];
        assert_eq!(filled(&straight, &[]).unwrap().len(), 3);
        let hollow = [(0.0, 0.0), (2.0, 0.0), (2.0, 2.0), (1.0, 0.2), (0.0, 2.0)];
        assert_eq!(filled(&hollow, &[]).unwrap().len(), 3);
        assert_eq!(filled(&[(0.0, 0.0), (1.0, 0.0), (2.0, 0.0)], &[]), None);
    }

    proptest! {
        /// Whatever star of corners is filled: n − 2 triangles, upright, and together as large as the polygon.
        #[test]
        fn a_star_is_filled_whole(radii in prop::collection::vec(0.2f64..1.0, 3..20)) {
            let n = radii.len();
            let corner = |(i, r): (usize, &f64)| {
                let a = std::f64::consts::TAU * i as f64 / n as f64;
                (r * a.cos(), r * a.sin())
            };
            let corners: Vec<(f64, f64)> = radii.iter().enumerate().map(corner).collect();
            let at = |i: u8| DVec2::from(corners[i as usize]);
            let whole: f64 = (0..n)
                .map(|i| DVec2::from(corners[i]).perp_dot(DVec2::from(corners[(i + 1) % n])))
                .sum();
            if let Some(made) = filled(&corners, &[]) {
                prop_assert_eq!(made.len(), n - 2);
                let areas = made.iter().map(|&[a, b, c]| (at(b) - at(a)).perp_dot(at(c) - at(a)));
                prop_assert!(areas.clone().all(|a| a > 0.0));
                prop_assert!((areas.sum::<f64>() - whole).abs() < 1e-9);
            }
        }
    }
}
