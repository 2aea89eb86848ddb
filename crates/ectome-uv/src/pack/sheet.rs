//! What is taken of the sheets, and where a mask still fits.

use super::mask::Mask;

/// Sheets of cells, one below the other, with rows between them that nothing may touch.
pub struct Sheets {
    /// Columns of a sheet, and rows.
    side: usize,
    /// Cells along the edges that stay free.
    border: usize,
    words: usize,
    /// Taken cells, row by row; grows downwards.
    rows: Vec<Vec<u64>>,
    /// The longest run of free cells in each row.
    longest: Vec<u32>,
}

/// What a search needs to know of a mask.
pub struct Shape {
    /// The mask.
    pub mask: Mask,
    /// The row with the longest run, then the others far apart from each other: so that what is in the way is met soon.
    rows: Vec<Row>,
}

/// A row of a mask that is not empty.
struct Row {
    y: usize,
    /// Starts and lengths.
    runs: Vec<(u32, u32)>,
    longest: u32,
}

impl Shape {
    /// Prepares a mask.
    pub fn new(mask: Mask) -> Self {
        let row = |y: usize| {
            let runs = mask.runs(y);
            let longest = runs.iter().map(|r| r.1).max()?;
            Some(Row { y, runs, longest })
        };
        let mut rows: Vec<Row> = (0..mask.height).filter_map(row).collect();
        if let Some(first) = (0..rows.len()).max_by_key(|&i| (rows[i].longest, rows.len() - i)) {
            rows.swap(0, first);
        }
        if let Some((_, rest)) = rows.split_first_mut() {
            // J. G. van der Corput's sequence: the bits of the row's number backwards.
            rest.sort_by_key(|r| ((r.y as u32).reverse_bits(), r.y));
        }
        Self { mask, rows }
    }
}

/// Words a search works in.
#[derive(Default)]
pub struct Scratch {
    blocked: Vec<u64>,
    row: Vec<u64>,
}

impl Sheets {
    /// Free sheets of `side` × `side` cells.
    pub fn new(side: usize, border: usize) -> Self {
        Self {
            side,
            border,
            words: side.div_ceil(64),
            rows: Vec::new(),
            longest: Vec::new(),
        }
    }

    /// Rows from the top of one sheet to the top of the next.
    pub fn pitch(&self) -> usize {
        // Whatever is taken near the end of one sheet must not reach into the next.
        2 * self.side
    }

    fn ensure(&mut self, rows: usize) {
        while self.rows.len() < rows {
            let mut row = vec![0; self.words];
            if !self.side.is_multiple_of(64) {
                row[self.words - 1] = u64::MAX << (self.side % 64);
            }
            self.rows.push(row);
            self.longest.push(self.side as u32);
        }
    }

    /// The highest place, then the furthest left, at which a mask touches nothing that is taken, from row `from` and
    /// above row `below`.
    pub fn find(
        &self,
        shape: &Shape,
        from: usize,
        below: usize,
        scratch: &mut Scratch,
    ) -> Option<(usize, usize)> {
        let (w, h) = (shape.mask.width, shape.mask.height);
        let room = self.side.checked_sub(w + 2 * self.border)?;
        if h + 2 * self.border > self.side {
            return None;
        }
        let mut y = from;
        while y < below {
            let within = y % self.pitch();
            if within < self.border {
                y += self.border - within;
                continue;
            }
            if within + h + self.border > self.side {
                y += self.pitch() - within;
                continue;
            }
            if let Some(x) = self.free_in_row(shape, y, room, scratch) {
                return Some((x, y));
            }
            y += 1;
        }
        None
    }

    fn free_in_row(
        &self,
        shape: &Shape,
        y: usize,
        room: usize,
        scratch: &mut Scratch,
    ) -> Option<usize> {
        let full = |r: &Row| {
            self.longest
                .get(y + r.y)
                .is_some_and(|free| *free < r.longest)
        };
        if shape.rows.iter().any(full) {
            return None;
        }
        let n = self.words;
        scratch.blocked.clear();
        scratch.blocked.resize(n, 0);
        // Only border ..= border + room may be taken.
        for (i, word) in scratch.blocked.iter_mut().enumerate() {
            let low = i * 64;
            for (from, to) in [(0, self.border), (self.border + room + 1, n * 64)] {
                let (a, b) = (from.max(low), to.min(low + 64));
                if a < b {
                    let bits = if b - a == 64 {
                        u64::MAX
                    } else {
                        ((1 << (b - a)) - 1) << (a - low)
                    };
                    *word |= bits;
                }
            }
        }
        for row in &shape.rows {
            let Some(taken) = self.rows.get(y + row.y) else {
                continue;
            };
            if self.longest[y + row.y] as usize == self.side {
                continue;
            }
            for &(start, length) in &row.runs {
                scratch.row.clear();
                scratch.row.extend_from_slice(taken);
                spread(&mut scratch.row, length as usize);
                or_shifted(&mut scratch.blocked, &scratch.row, start as usize);
            }
            if scratch.blocked.iter().all(|&w| w == u64::MAX) {
                return None;
            }
        }
        let word = scratch.blocked.iter().position(|&w| w != u64::MAX)?;
        Some(word * 64 + scratch.blocked[word].trailing_ones() as usize)
    }

    /// Takes what a mask covers whose origin stands at (x, y), which may be left of and above the sheet.
    pub fn take(&mut self, mask: &Mask, x: i64, y: i64) {
        let bottom = (y + mask.height as i64).max(0) as usize;
        self.ensure(bottom);
        for r in 0..mask.height {
            let at = y + r as i64;
            if at < 0 {
                continue;
            }
            let row = &mut self.rows[at as usize];
            for (start, length) in mask.runs(r) {
                let from = (x + i64::from(start)).max(0) as usize;
                let to = ((x + i64::from(start + length)).max(0) as usize).min(self.side);
                for (w, word) in row.iter_mut().enumerate() {
                    let (a, b) = (from.max(w * 64), to.min(w * 64 + 64));
                    if a < b {
                        let bits = if b - a == 64 {
                            u64::MAX
                        } else {
                            (1 << (b - a)) - 1
                        };
                        *word |= bits << (a - w * 64);
                    }
                }
            }
            self.longest[at as usize] = longest_free(row, self.side);
        }
    }
}

/// Every bit i becomes the OR of the bits i .. i + length.
fn spread(row: &mut [u64], length: usize) {
    let mut done = 1;
    while done < length {
        let by = done.min(length - done);
        or_down(row, by);
        done += by;
    }
}

/// row |= row >> by.
fn or_down(row: &mut [u64], by: usize) {
    // Words further on are still as they were.
    for i in 0..row.len().saturating_sub(by / 64) {
        row[i] |= shifted(row, i, by);
    }
}

/// out |= row >> by.
fn or_shifted(out: &mut [u64], row: &[u64], by: usize) {
    for (i, word) in out
        .iter_mut()
        .enumerate()
        .take(row.len().saturating_sub(by / 64))
    {
        *word |= shifted(row, i, by);
    }
}

/// Word `i` of row >> by.
#[inline]
fn shifted(row: &[u64], i: usize, by: usize) -> u64 {
    let (at, bits) = (i + by / 64, by % 64);
    match bits {
        0 => row[at],
        b => (row[at] >> b) | (row.get(at + 1).copied().unwrap_or(0) << (64 - b)),
    }
}

fn longest_free(row: &[u64], side: usize) -> u32 {
    let (mut best, mut run) = (0u32, 0u32);
    for (i, &word) in row.iter().enumerate() {
        let bits = (side - i * 64).min(64) as u32;
        if word == 0 && bits == 64 {
            run += 64;
            continue;
        }
        let mut at = 0;
        while at < bits {
            let rest = word >> at;
            let free = rest.trailing_zeros().min(bits - at);
            run += free;
            at += free;
            if at < bits {
                best = best.max(run);
                run = 0;
                at += (word >> at).trailing_ones();
            }
        }
    }
    best.max(run)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn square(w: usize, h: usize) -> Mask {
        let mut m = Mask::empty(w, h);
        (0..h).for_each(|y| m.set(y, 0, w));
        m
    }

    #[test]
    fn masks_go_side_by_side_then_below() {
        let mut sheets = Sheets::new(100, 2);
        let shape = Shape::new(square(40, 10));
        let mut scratch = Scratch::default();
        let mut places = Vec::new();
        for _ in 0..3 {
            let (x, y) = sheets.find(&shape, 0, 100, &mut scratch).unwrap();
            sheets.take(&shape.mask, x as i64, y as i64);
            places.push((x, y));
        }
        assert_eq!(places, [(2, 2), (42, 2), (2, 12)]);
        assert_eq!(
            sheets.find(&Shape::new(square(97, 1)), 0, 100, &mut scratch),
            None
        );
    }

    #[test]
    fn nothing_stands_across_two_sheets() {
        let mut sheets = Sheets::new(64, 0);
        let shape = Shape::new(square(64, 40));
        let mut scratch = Scratch::default();
        let (x, y) = sheets.find(&shape, 0, 300, &mut scratch).unwrap();
        sheets.take(&shape.mask, x as i64, y as i64);
        assert_eq!(
            sheets.find(&shape, 0, 300, &mut scratch),
            Some((0, sheets.pitch()))
        );
    }

    proptest! {
        /// The search by whole rows finds what trying every place finds.
        #[test]
        fn the_place_found_is_the_first_free_one(
            taken in prop::collection::vec((0usize..90, 0usize..60, 1usize..30, 1usize..20), 0..12),
            (w, h) in (1usize..40, 1usize..30),
            hole in (0usize..40, 0usize..30),
        ) {
            let side = 100;
            let mut sheets = Sheets::new(side, 3);
            let mut plain = vec![false; side * 400];
            for (x, y, tw, th) in taken {
                sheets.take(&square(tw, th), x as i64, y as i64);
                for j in y..y + th {
                    for i in x..(x + tw).min(side) {
                        plain[j * side + i] = true;
                    }
                }
            }
            // A mask with a hole, or a notch, in it.
            let mut mask = Mask::empty(w, h);
            for y in 0..h {
                mask.set(y, 0, if y == hole.1 { hole.0.min(w).max(1) } else { w });
            }
            let fits = |x: usize, y: usize| {
                (0..h).all(|r| mask.runs(r).iter().all(|&(s, l)| {
                    (s..s + l).all(|i| !plain[(y + r) * side + x + i as usize])
                }))
            };
            let expected = (3..=side - 3 - h)
                .flat_map(|y| (3..=side - 3 - w).map(move |x| (x, y)))
                .find(|&(x, y)| fits(x, y));
            let found = sheets.find(&Shape::new(mask.clone()), 0, side, &mut Scratch::default());
            prop_assert_eq!(found, expected);
        }
    }
}
