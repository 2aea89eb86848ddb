//! Pictures of one bit a texel: what an island touches, and what lies within the padding of it.

use glam::DVec2;

/// What coordinates may be off by, in cells: UVs are stored with single precision.
const SLACK: f64 = 2e-3;

/// Bits row by row, 64 to a word, the lowest bit leftmost.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mask {
    /// Columns.
    pub width: usize,
    /// Rows.
    pub height: usize,
    /// Words in a row.
    pub words: usize,
    /// The bits; those past `width` are zero.
    pub bits: Vec<u64>,
}

impl Mask {
    /// A mask without a bit set.
    pub fn empty(width: usize, height: usize) -> Self {
        let words = width.div_ceil(64);
        Self {
            width,
            height,
            words,
            bits: vec![0; words * height],
        }
    }

    /// A row.
    pub fn row(&self, y: usize) -> &[u64] {
        &self.bits[y * self.words..(y + 1) * self.words]
    }

    /// Sets the bits `from..to` of row `y`.
    pub fn set(&mut self, y: usize, from: usize, to: usize) {
        let to = to.min(self.width);
        if from >= to {
            return;
        }
        let row = &mut self.bits[y * self.words..(y + 1) * self.words];
        let (first, last) = (from / 64, (to - 1) / 64);
        let head = u64::MAX << (from % 64);
        let tail = u64::MAX >> (63 - (to - 1) % 64);
        if first == last {
            row[first] |= head & tail;
            return;
        }
        row[first] |= head;
        row[first + 1..last].fill(u64::MAX);
        row[last] |= tail;
    }

    /// Whether any of the bits `from..to` of row `y` is set; there are none beyond the mask.
    pub fn any(&self, y: usize, from: usize, to: usize) -> bool {
        let to = to.min(self.width);
        y < self.height && next_bit(self.row(y), from, true).is_some_and(|bit| bit < to)
    }

    /// How many bits are set.
    pub fn count(&self) -> usize {
        self.bits.iter().map(|w| w.count_ones() as usize).sum()
    }

    /// The runs of set bits of row `y` as start and length.
    pub fn runs(&self, y: usize) -> Vec<(u32, u32)> {
        let row = self.row(y);
        let mut runs = Vec::new();
        let mut x = 0;
        while let Some(start) = next_bit(row, x, true) {
            let end = next_bit(row, start, false)
                .unwrap_or(self.words * 64)
                .min(self.width);
            runs.push((start as u32, (end - start) as u32));
            x = end;
        }
        runs
    }

    /// Sets every cell that a triangle touches, its border and [`SLACK`] included.
    pub fn touch(&mut self, triangle: [DVec2; 3]) {
        let low = triangle[0].min(triangle[1]).min(triangle[2]) - SLACK;
        let high = triangle[0].max(triangle[1]).max(triangle[2]) + SLACK;
        let rows = self.height as f64 - 1.0;
        let (y0, y1) = (
            low.y.floor().clamp(0.0, rows),
            high.y.floor().clamp(0.0, rows),
        );
        for y in y0 as usize..=y1 as usize {
            // What of the triangle lies between the lines y and y + 1.
            let (top, bottom) = (y as f64 - SLACK, y as f64 + 1.0 + SLACK);
            let (mut left, mut right) = (f64::INFINITY, f64::NEG_INFINITY);
            let mut take = |x: f64| {
                left = left.min(x);
                right = right.max(x);
            };
            for k in 0..3 {
                let (a, b) = (triangle[k], triangle[(k + 1) % 3]);
                if (top..=bottom).contains(&a.y) {
                    take(a.x);
                }
                for line in [top, bottom] {
                    if (a.y < line) != (b.y < line) {
                        take(a.x + (line - a.y) / (b.y - a.y) * (b.x - a.x));
                    }
                }
            }
            if left <= right {
                let from = (left - SLACK).floor().max(0.0) as usize;
                self.set(y, from, (right + SLACK).floor().max(0.0) as usize + 1);
            }
        }
    }

    /// Every cell that some set cell is nearer to than `distance`, as squares with their sides, on a mask larger by the
    /// returned margin all round.
    pub fn grown(&self, distance: f64) -> (Self, usize) {
        // Squares k columns and j rows apart have max(k − 1, 0) and max(j − 1, 0) between them.
        let reach = |between: f64| -> Option<usize> {
            let rest = distance * distance - between * between;
            // The largest k with (k − 1)² < rest.
            (rest > 0.0).then(|| rest.sqrt().ceil() as usize)
        };
        let margin = reach(0.0).unwrap_or(0);
        let mut out = Self::empty(self.width + 2 * margin, self.height + 2 * margin);
        for y in 0..self.height {
            let runs = self.runs(y);
            if runs.is_empty() {
                continue;
            }
            for j in 0..=margin {
                // A cell is always its own.
                let k = reach(j.saturating_sub(1) as f64);
                let Some(k) = k.or((j == 0).then_some(0)) else {
                    break;
                };
                for &(start, length) in &runs {
                    let from = start as usize + margin - k;
                    let to = (start + length) as usize + margin + k;
                    out.set(y + margin + j, from, to);
                    if j > 0 {
                        out.set(y + margin - j, from, to);
                    }
                }
            }
        }
        (out, margin)
    }

    /// The same turned by a quarter: (x, y) comes to (height − 1 − y, x).
    pub fn quarter(&self) -> Self {
        let mut out = Self::empty(self.height, self.width);
        for y in 0..self.height {
            for (start, length) in self.runs(y) {
                let x = self.height - 1 - y;
                for row in start..start + length {
                    out.bits[row as usize * out.words + x / 64] |= 1 << (x % 64);
                }
            }
        }
        out
    }
}

fn next_bit(row: &[u64], from: usize, set: bool) -> Option<usize> {
    let mut w = from / 64;
    let flip = if set { 0 } else { u64::MAX };
    let mut word = (row.get(w)? ^ flip) & (u64::MAX << (from % 64));
    loop {
        if word != 0 {
            return Some(w * 64 + word.trailing_zeros() as usize);
        }
        w += 1;
        word = row.get(w)? ^ flip;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bits_are_set_and_read_across_words() {
        let mut m = Mask::empty(200, 2);
        m.set(1, 60, 130);
        m.set(1, 150, 500);
        assert_eq!(m.runs(1), [(60, 70), (150, 50)]);
        assert_eq!((m.runs(0).len(), m.count()), (0, 120));
    }

    #[test]
    fn a_triangle_touches_the_cells_its_corners_lie_in() {
        let mut m = Mask::empty(8, 8);
        m.touch([[1.5, 1.5], [5.5, 1.5], [1.5, 3.5]].map(DVec2::from_array));
        assert_eq!(m.runs(1), [(1, 5)]);
        assert_eq!(m.runs(2), [(1, 4)]);
        assert_eq!(m.runs(3), [(1, 2)]);
        assert_eq!(m.runs(4), []);
    }

    /// By hand: within 2 of one cell lie the 5 × 5 cells around it, less none of the corners, of which the nearest points
    /// are √2 away; those 3 away have 2 between, which is not nearer than 2.
    #[test]
    fn growing_reaches_as_far_as_the_padding() {
        let mut m = Mask::empty(1, 1);
        m.set(0, 0, 1);
        let (grown, margin) = m.grown(2.0);
        assert_eq!((margin, grown.count()), (2, 25));
        let (grown, _) = m.grown(2.1);
        // Cells 3 along and up to 1 across have 2 between; 3 along and 2 across have √5.
        assert_eq!(grown.count(), 25 + 4 * 3);
        assert_eq!(m.grown(0.0).0.count(), 1);
    }

    #[test]
    fn four_quarters_are_a_whole_turn() {
        let mut m = Mask::empty(70, 3);
        m.set(0, 0, 3);
        m.set(2, 60, 70);
        assert_eq!(m.quarter().runs(0), [(2, 1)]);
        assert_eq!(m.quarter().quarter().quarter().quarter(), m);
    }
}
