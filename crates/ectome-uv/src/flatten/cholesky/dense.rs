//! Small dense matrices, column by column, of which the lower triangle counts.

/// How many columns are taken off at once: each figure is loaded and stored once for so many products.
const WIDE: usize = 4;

/// Factors the first `columns` of a panel with `rows` rows in place; the rest of those columns becomes what the factor has there. False when
/// a pivot is not positive.
pub fn factor(panel: &mut [f64], rows: usize, columns: usize) -> bool {
    let mut done = 0;
    while done < columns {
        let wide = WIDE.min(columns - done);
        let (_, open) = panel.split_at_mut(done * rows);
        let (block, further) = open.split_at_mut(wide * rows);
        for c in 0..wide {
            let (before, column) = block.split_at_mut(c * rows);
            let column = &mut column[..rows];
            for earlier in before.chunks_exact(rows) {
                take(&mut column[done + c..], &earlier[done + c..]);
            }
            let pivot = column[done + c];
            if pivot.is_nan() || pivot <= 0.0 {
                return false;
            }
            let root = pivot.sqrt();
            column[done + c] = root;
            let inverse = 1.0 / root;
            column[done + c + 1..]
                .iter_mut()
                .for_each(|v| *v *= inverse);
        }
        take_columns(further, rows, block, rows, done + wide);
        done += wide;
    }
    true
}

/// Takes from `square` the product of what the panel has below its own columns with the same turned over.
pub fn take_square(square: &mut [f64], panel: &[f64], rows: usize, columns: usize) {
    for block in panel.chunks(WIDE * rows) {
        take_columns(square, rows - columns, block, rows, columns);
    }
}

/// Takes from each column of `target` (`high` figures a column, their last ones those of the block's rows) what the columns of `block` make of it. The
/// first column of `target` stands for row `first` of the block, and above the diagonal nothing is done.
fn take_columns(target: &mut [f64], high: usize, block: &[f64], rows: usize, first: usize) {
    let offset = rows - high;
    if block.len() == WIDE * rows {
        let (a, bcd) = block.split_at(rows);
        let (b, cd) = bcd.split_at(rows);
        let (c, d) = cd.split_at(rows);
        for (k, column) in target.chunks_exact_mut(high).enumerate() {
            let at = first + k;
            let by = [a[at], b[at], c[at], d[at]];
            let sources = a[at..].iter().zip(&b[at..]).zip(&c[at..]).zip(&d[at..]);
            for (v, (((a, b), c), d)) in column[at - offset..].iter_mut().zip(sources) {
                *v -= (by[0] * a + by[1] * b) + (by[2] * c + by[3] * d);
            }
        }
        return;
    }
    for earlier in block.chunks_exact(rows) {
        for (k, column) in target.chunks_exact_mut(high).enumerate() {
            let at = first + k;
            take(&mut column[at - offset..], &earlier[at..]);
        }
    }
}

/// Takes from a column what an earlier one makes of it; both begin at the column's own row.
fn take(column: &mut [f64], earlier: &[f64]) {
    let by = earlier[0];
    for (v, e) in column.iter_mut().zip(earlier) {
        *v -= by * e;
    }
}
