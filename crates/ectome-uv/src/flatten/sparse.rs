//! Symmetric positive definite systems with a pattern that stays while the figures change.

use ectome_mesh::Progress;

use super::cholesky::Elimination;

/// Where the entries of a symmetric matrix stand: its lower triangle, column by column.
pub struct Pattern {
    elimination: Elimination,
    /// How many places are named.
    places: usize,
    /// Which of them each entry goes to.
    slots: Vec<u32>,
}

impl Pattern {
    /// The pattern of a matrix of `n` rows from `(row, column)` pairs of its lower triangle, in which pairs may repeat.
    /// Every place of the diagonal must be named. `None` when it cannot be analysed.
    pub fn new(n: usize, entries: &[(u32, u32)]) -> Option<Self> {
        let mut order: Vec<u32> = (0..entries.len() as u32).collect();
        let key = |i: u32| {
            let (row, column) = entries[i as usize];
            (u64::from(column) << 32) | u64::from(row)
        };
        order.sort_unstable_by_key(|&i| key(i));
        let mut slots = vec![0; entries.len()];
        let mut column_starts = vec![0; n + 1];
        let mut rows = Vec::new();
        let mut last = None;
        for &i in &order {
            if last != Some(key(i)) {
                let (row, column) = entries[i as usize];
                rows.push(row);
                column_starts[column as usize + 1] += 1;
                last = Some(key(i));
            }
            slots[i as usize] = rows.len() as u32 - 1;
        }
        for c in 0..n {
            column_starts[c + 1] += column_starts[c];
        }
        Some(Self {
            elimination: Elimination::new(&column_starts, &rows)?,
            places: rows.len(),
            slots,
        })
    }

    /// Solves for `rhs` in place. `entries` stand in the order of [`Pattern::new`]; those of one place are added.
    /// False when the matrix is not positive definite, or when the work is stopped.
    pub fn solve(&self, entries: &[f64], rhs: &mut [f64], progress: &Progress) -> bool {
        let mut values = vec![0.0; self.places];
        for (&slot, v) in self.slots.iter().zip(entries) {
            values[slot as usize] += v;
        }
        self.elimination.solve(&values, rhs, progress)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Hand-worked: [[4, 1], [1, 3]] x = (1, 2) has x = (1/11, 7/11).
    #[test]
    fn a_system_of_two_is_solved() {
        let pattern = Pattern::new(2, &[(0, 0), (1, 0), (1, 1), (0, 0)]).unwrap();
        let mut x = [1.0, 2.0];
        assert!(pattern.solve(&[3.0, 1.0, 3.0, 1.0], &mut x, &Progress::new()));
        assert!((x[0] - 1.0 / 11.0).abs() < 1e-12 && (x[1] - 7.0 / 11.0).abs() < 1e-12);
        assert!(!pattern.solve(&[-3.0, 1.0, 3.0, 1.0], &mut x, &Progress::new()));
    }
}
