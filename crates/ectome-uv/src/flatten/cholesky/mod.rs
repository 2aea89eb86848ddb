//! The Cholesky factorisation of a sparse matrix whose pattern stays while its figures change.
//!
//! The multifrontal method (I. S. Duff, J. K. Reid, *The Multifrontal Solution of Indefinite Sparse Symmetric Linear Equations*, 1983;
//! J. W. H. Liu, *The Multifrontal Method for Sparse Matrix Solution*, 1992). What is known from the pattern alone stands in a [`Elimination`]:
//! an order that fills little, and *fronts*, which are columns that lie side by side and have the same rows. The figures then go through
//! small dense matrices only, one a front ([`dense`]).
//!
//! Why not a library: the one that is as quick (`faer`) takes a seventh of a build from nothing, and the small ones go column by column, which
//! takes five to eight times as long on islands of 20 000 points. docs/performance.md, *Building and checking*, has the figures.

mod dense;
mod elimination;

pub use elimination::Elimination;

use ectome_mesh::Progress;

impl Elimination {
    /// Solves for `rhs` in place, for a matrix with these `values`, which stand in the order of the pattern's rows. False when the matrix is
    /// not positive definite, or when the work is stopped; then `rhs` holds nothing of use.
    pub fn solve(&self, values: &[f64], rhs: &mut [f64], progress: &Progress) -> bool {
        let Some(panels) = self.factor(values, progress) else {
            return false;
        };
        let mut x: Vec<f64> = self.order.iter().map(|&old| rhs[old as usize]).collect();
        for f in 0..self.fronts() {
            let (columns, rows) = (self.columns(f), self.rows(f));
            let panel = &panels[self.panel_starts[f]..self.panel_starts[f + 1]];
            for (c, panel) in panel.chunks_exact(rows.len()).enumerate() {
                let at = columns.start + c;
                x[at] /= panel[c];
                let v = x[at];
                for (l, &row) in panel[c + 1..].iter().zip(&rows[c + 1..]) {
                    x[row as usize] -= l * v;
                }
            }
        }
        for f in (0..self.fronts()).rev() {
            let (columns, rows) = (self.columns(f), self.rows(f));
            let panel = &panels[self.panel_starts[f]..self.panel_starts[f + 1]];
            for (c, panel) in panel.chunks_exact(rows.len()).enumerate().rev() {
                let below = panel[c + 1..].iter().zip(&rows[c + 1..]);
                let sum: f64 = below.map(|(l, &row)| l * x[row as usize]).sum();
                let at = columns.start + c;
                x[at] = (x[at] - sum) / panel[c];
            }
        }
        for (&old, v) in self.order.iter().zip(&x) {
            rhs[old as usize] = *v;
        }
        rhs.iter().all(|x| x.is_finite())
    }

    /// The factor, panel by panel: each front's columns, as long as it has rows. `None` when a pivot is not positive, or
    /// when the work is stopped.
    fn factor(&self, values: &[f64], progress: &Progress) -> Option<Vec<f64>> {
        let mut panels = vec![0.0; *self.panel_starts.last()?];
        for (&slot, v) in self.slots.iter().zip(values) {
            panels[slot] += v;
        }
        // What fronts leave to those above them, latest last, each a full square of which the lower triangle counts.
        let mut waiting: Vec<f64> = Vec::new();
        // Of each of those: its front, and where it begins.
        let mut left: Vec<(usize, usize)> = Vec::new();
        let mut rest: Vec<f64> = Vec::new();
        // Where a row of the matrix stands in the front at hand.
        let mut place = vec![0_u32; self.order.len()];
        for f in 0..self.fronts() {
            progress.go_on().ok()?;
            let (columns, rows) = (self.columns(f).len(), self.rows(f));
            let panel = &mut panels[self.panel_starts[f]..self.panel_starts[f + 1]];
            let below = rows.len() - columns;
            rest.clear();
            rest.resize(below * below, 0.0);
            for (at, &row) in rows.iter().enumerate() {
                place[row as usize] = at as u32;
            }
            while let Some(&(child, start)) = left.last()
                && self.parents[child] == f as u32
            {
                let given = &self.rows(child)[self.columns(child).len()..];
                for (c, (&column, given_column)) in given
                    .iter()
                    .zip(waiting[start..].chunks_exact(given.len()))
                    .enumerate()
                {
                    let to = place[column as usize] as usize;
                    let target = if to < columns {
                        &mut panel[to * rows.len()..][..rows.len()]
                    } else {
                        &mut rest[(to - columns) * below..][..below]
                    };
                    let skipped = if to < columns { 0 } else { columns };
                    for (v, &row) in given_column[c..].iter().zip(&given[c..]) {
                        target[place[row as usize] as usize - skipped] += v;
                    }
                }
                waiting.truncate(start);
                left.pop();
            }
            if !dense::factor(panel, rows.len(), columns) {
                return None;
            }
            if below > 0 {
                dense::take_square(&mut rest, panel, rows.len(), columns);
                left.push((f, waiting.len()));
                waiting.extend_from_slice(&rest);
            }
        }
        Some(panels)
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// A symmetric matrix by its lower triangle, and its product with a vector, which needs no factor.
    struct Matrix {
        starts: Vec<u32>,
        rows: Vec<u32>,
        values: Vec<f64>,
    }

    impl Matrix {
        /// From `(row, column, value)` of the lower triangle, each place once.
        fn of(n: usize, mut entries: Vec<(u32, u32, f64)>) -> Self {
            entries.sort_by_key(|e| (e.1, e.0));
            let mut starts = vec![0; n + 1];
            entries.iter().for_each(|e| starts[e.1 as usize + 1] += 1);
            for c in 0..n {
                starts[c + 1] += starts[c];
            }
            Self {
                starts,
                rows: entries.iter().map(|e| e.0).collect(),
                values: entries.iter().map(|e| e.2).collect(),
            }
        }

        fn times(&self, x: &[f64]) -> Vec<f64> {
            let mut y = vec![0.0; x.len()];
            for c in 0..x.len() {
                for k in self.starts[c] as usize..self.starts[c + 1] as usize {
                    let row = self.rows[k] as usize;
                    y[row] += self.values[k] * x[c];
                    if row != c {
                        y[c] += self.values[k] * x[row];
                    }
                }
            }
            y
        }

        fn solve(&self, rhs: &[f64]) -> Option<Vec<f64>> {
            let mut x = rhs.to_vec();
            Elimination::new(&self.starts, &self.rows)?
                .solve(&self.values, &mut x, &Progress::new())
                .then_some(x)
        }
    }

    /// Second differences on a line: with ones on the right, x at place i of n is i (n + 1 - i) / 2, counted from one.
    #[test]
    fn a_loaded_string_hangs_in_a_parabola() {
        let n = 500;
        let diagonal = (0..n).map(|i| (i, i, 2.0));
        let matrix = Matrix::of(
            500,
            diagonal.chain((1..n).map(|i| (i, i - 1, -1.0))).collect(),
        );
        let x = matrix.solve(&[1.0; 500]).unwrap();
        for (i, v) in (1..).zip(x) {
            let exact = f64::from(i * (501 - i)) / 2.0;
            assert!((v - exact).abs() < 1e-8 * exact, "{i}: {v} {exact}");
        }
    }

    /// A grid of 60 × 60, whose fronts are wide: the sines of the sheet are its eigenvectors, with 4 - 2 cos - 2 cos.
    #[test]
    fn a_drum_swings_in_sines() {
        let side = 60_u32;
        let mut entries = Vec::new();
        for at in 0..side * side {
            entries.push((at, at, 4.0));
            if at % side + 1 < side {
                entries.push((at + 1, at, -1.0));
            }
            if at / side + 1 < side {
                entries.push((at + side, at, -1.0));
            }
        }
        let step = std::f64::consts::PI / f64::from(side + 1);
        let wave = |at: u32| {
            (3.0 * step * f64::from(at % side + 1)).sin()
                * (5.0 * step * f64::from(at / side + 1)).sin()
        };
        let wave: Vec<f64> = (0..side * side).map(wave).collect();
        let by = 4.0 - 2.0 * (3.0 * step).cos() - 2.0 * (5.0 * step).cos();
        let x = Matrix::of(3600, entries).solve(&wave).unwrap();
        for (v, w) in x.iter().zip(&wave) {
            assert!((v * by - w).abs() < 1e-11, "{v} {w}");
        }
    }

    #[test]
    fn what_is_not_positive_definite_is_told() {
        // Eigenvalues 3 and -1; then a pivot of exactly nothing; then one that is no number.
        for values in [[1.0, 2.0, 1.0], [1.0, 1.0, 1.0], [1.0, f64::NAN, 1.0]] {
            let entries = vec![(0, 0, values[0]), (1, 0, values[1]), (1, 1, values[2])];
            assert_eq!(
                Matrix::of(2, entries).solve(&[1.0, 1.0]),
                None,
                "{values:?}"
            );
        }
        assert_eq!(
            Matrix::of(2, vec![(0, 0, 1.0), (1, 0, 0.5)]).solve(&[1.0; 2]),
            None
        );
        assert_eq!(Matrix::of(0, Vec::new()).solve(&[]), Some(Vec::new()));
    }

    #[test]
    fn a_factorisation_can_be_stopped() {
        let one = Elimination::new(&[0, 1], &[0]).unwrap();
        let progress = Progress::new();
        let mut x = [6.0];
        assert!(one.solve(&[4.0], &mut x, &progress));
        assert_eq!(x, [1.5]);
        progress.cancel();
        assert!(!one.solve(&[4.0], &mut x, &progress));
    }

    proptest! {
        /// Any pattern, in pieces or dense: the product with what was found is the right side again. Each diagonal is more than its row, which
        /// makes the matrix positive definite (Gershgorin).
        #[test]
        fn any_pattern_is_solved(
            n in 1..60_u32,
            pairs in prop::collection::btree_map((0..60_u32, 0..60_u32), -1.0..1.0_f64, 0..400),
        ) {
            let mut sums = vec![0.1; n as usize];
            let mut entries = Vec::new();
            for ((a, b), v) in pairs {
                if a > b && a < n {
                    entries.push((a, b, v));
                    sums[a as usize] += v.abs();
                    sums[b as usize] += v.abs();
                }
            }
            entries.extend((0..n).map(|i| (i, i, sums[i as usize])));
            let matrix = Matrix::of(n as usize, entries);
            let rhs: Vec<f64> = (0..n).map(|i| f64::from(i % 7) - 3.0).collect();
            let x = matrix.solve(&rhs).unwrap();
            for (y, r) in matrix.times(&x).iter().zip(&rhs) {
                prop_assert!((y - r).abs() < 1e-10, "{y} {r}");
            }
        }
    }
}
