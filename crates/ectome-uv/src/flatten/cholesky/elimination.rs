//! What is known of a factor from the pattern of the matrix.

use std::ops::Range;

const NONE: u32 = u32::MAX;

/// Up to so many columns a front takes in its last child where that adds at most such a share of zeros. Narrow fronts cost more in
/// bookkeeping than zeros do in figures. The shares are those of Y. Chen, T. Davis, W. Hager, S. Rajamanickam, *Algorithm 887: CHOLMOD*, 2008 (from memory).
const RELAXED: [(usize, f64); 4] = [(4, 1.0), (16, 0.8), (48, 0.1), (usize::MAX, 0.05)];

/// The order of a factorisation, its fronts, and where every figure goes.
pub struct Elimination {
    /// The column of the matrix at each place of the order.
    pub(super) order: Vec<u32>,
    /// The first column of each front, in the order; one more at the end.
    front_starts: Vec<u32>,
    /// Where the rows of each front begin in `rows`; one more at the end.
    row_starts: Vec<usize>,
    /// The rows of each front, in the order, ascending; the first are its own columns.
    rows: Vec<u32>,
    /// The front that takes what each leaves; [`NONE`] for the last of a tree.
    pub(super) parents: Vec<u32>,
    /// Where the columns of each front begin in the factor; one more at the end.
    pub(super) panel_starts: Vec<usize>,
    /// Where each figure of the matrix goes in the factor.
    pub(super) slots: Vec<usize>,
}

impl Elimination {
    /// What is known of a symmetric matrix by the rows of its lower triangle, column by column, ascending; every place of the diagonal is
    /// among them. `None` when the pattern is not such a one.
    pub fn new(column_starts: &[u32], rows: &[u32]) -> Option<Self> {
        let n = column_starts.len().checked_sub(1)?;
        let given = |c: usize| &rows[column_starts[c] as usize..column_starts[c + 1] as usize];
        if !(0..n).all(|c| given(c).contains(&(c as u32))) {
            return None;
        }
        let signed = |v: &[u32]| {
            v.iter()
                .map(|&v| i32::try_from(v).ok())
                .collect::<Option<Vec<_>>>()
        };
        let (starts, below) = (signed(column_starts)?, signed(rows)?);
        let (first, _, _) = amd::order(
            i32::try_from(n).ok()?,
            &starts,
            &below,
            &amd::Control::default(),
        )
        .ok()?;
        let first: Vec<u32> = first.into_iter().map(|v| v as u32).collect();
        // Children before their parents, and each tree in one piece: then what a front takes is what was left last.
        let parents = tree(&upper(n, column_starts, rows, &first));
        let order: Vec<u32> = postorder(&parents)
            .into_iter()
            .map(|v| first[v as usize])
            .collect();
        let above = upper(n, column_starts, rows, &order);
        let parents = tree(&above);
        let lengths = lengths(&above, &parents);
        let front_starts = fronts(&parents, &lengths);

        let count = front_starts.len() - 1;
        let mut front_of = vec![0_u32; n];
        for f in 0..count {
            front_of[front_starts[f] as usize..front_starts[f + 1] as usize].fill(f as u32);
        }
        let place = inverse(&order);
        // Rows that the matrix itself has in each front.
        let mut own: Vec<Vec<u32>> = vec![Vec::new(); count];
        for c in 0..n {
            for &r in given(c) {
                let (a, b) = (place[c], place[r as usize]);
                own[front_of[a.min(b) as usize] as usize].push(a.max(b));
            }
        }
        let mut this = Self {
            order,
            front_starts,
            row_starts: vec![0],
            rows: Vec::new(),
            parents: vec![NONE; count],
            panel_starts: vec![0],
            slots: Vec::new(),
        };
        let mut seen = vec![NONE; n];
        let mut children: Vec<Vec<u32>> = vec![Vec::new(); count];
        for f in 0..count {
            let columns = this.columns(f);
            let mut all: Vec<u32> = Vec::new();
            let mut take = |row: u32| {
                if row as usize >= columns.end && seen[row as usize] != f as u32 {
                    seen[row as usize] = f as u32;
                    all.push(row);
                }
            };
            own[f].iter().for_each(|&row| take(row));
            for &child in &children[f] {
                let rows = this.rows(child as usize);
                rows.iter().for_each(|&row| take(row));
            }
            all.sort_unstable();
            if let Some(&next) = all.first() {
                let parent = front_of[next as usize];
                this.parents[f] = parent;
                children[parent as usize].push(f as u32);
            }
            let width = columns.len();
            this.rows.extend(columns.map(|c| c as u32));
            this.rows.extend(&all);
            this.row_starts.push(this.rows.len());
            this.panel_starts
                .push(this.panel_starts[f] + width * (width + all.len()));
        }
        this.slots.reserve(rows.len());
        for c in 0..n {
            for &r in given(c) {
                let (a, b) = (place[c], place[r as usize]);
                let (column, row) = (a.min(b), a.max(b));
                let f = front_of[column as usize] as usize;
                let rows = this.rows(f);
                let down = rows.binary_search(&row).ok()?;
                let across = column as usize - this.columns(f).start;
                this.slots
                    .push(this.panel_starts[f] + across * rows.len() + down);
            }
        }
        Some(this)
    }

    pub(super) fn fronts(&self) -> usize {
        self.parents.len()
    }

    pub(super) fn columns(&self, front: usize) -> Range<usize> {
        self.front_starts[front] as usize..self.front_starts[front + 1] as usize
    }

    pub(super) fn rows(&self, front: usize) -> &[u32] {
        &self.rows[self.row_starts[front]..self.row_starts[front + 1]]
    }
}

fn inverse(order: &[u32]) -> Vec<u32> {
    let mut place = vec![0; order.len()];
    for (at, &old) in order.iter().enumerate() {
        place[old as usize] = at as u32;
    }
    place
}

/// The rows above the diagonal, column by column.
struct Upper {
    starts: Vec<u32>,
    rows: Vec<u32>,
}

impl Upper {
    fn len(&self) -> usize {
        self.starts.len() - 1
    }

    fn column(&self, c: usize) -> &[u32] {
        &self.rows[self.starts[c] as usize..self.starts[c + 1] as usize]
    }
}

/// A lower triangle in another order as an upper one.
fn upper(n: usize, column_starts: &[u32], rows: &[u32], order: &[u32]) -> Upper {
    let place = inverse(order);
    let entries = || {
        (0..n).flat_map(|c| {
            let (place, rows) = (
                &place,
                &rows[column_starts[c] as usize..column_starts[c + 1] as usize],
            );
            rows.iter().filter_map(move |&r| {
                let (a, b) = (place[c], place[r as usize]);
                (a != b).then(|| (a.min(b), a.max(b)))
            })
        })
    };
    let mut starts = vec![0; n + 1];
    entries().for_each(|(_, column)| starts[column as usize + 1] += 1);
    for c in 0..n {
        starts[c + 1] += starts[c];
    }
    let mut at = starts.clone();
    let mut found = vec![0; starts[n] as usize];
    for (row, column) in entries() {
        found[at[column as usize] as usize] = row;
        at[column as usize] += 1;
    }
    Upper {
        starts,
        rows: found,
    }
}

/// The elimination tree: the first row below the diagonal that each column of the factor has (J. W. H. Liu, *The Role of Elimination Trees in
/// Sparse Factorization*, 1990).
fn tree(above: &Upper) -> Vec<u32> {
    let n = above.len();
    let (mut parents, mut ancestors) = (vec![NONE; n], vec![NONE; n]);
    for c in 0..n {
        for &row in above.column(c) {
            let mut at = row as usize;
            while at != c {
                let next = std::mem::replace(&mut ancestors[at], c as u32);
                if next == NONE {
                    parents[at] = c as u32;
                    break;
                }
                at = next as usize;
            }
        }
    }
    parents
}

/// All nodes, children first, each tree in one piece.
fn postorder(parents: &[u32]) -> Vec<u32> {
    let n = parents.len();
    // Children of each as a list that goes on in `next`.
    let (mut first, mut next) = (vec![NONE; n + 1], vec![NONE; n]);
    for at in (0..n).rev() {
        let parent = if parents[at] == NONE {
            n
        } else {
            parents[at] as usize
        };
        next[at] = std::mem::replace(&mut first[parent], at as u32);
    }
    let mut order = Vec::with_capacity(n);
    let mut stack = Vec::new();
    let mut root = first[n];
    while root != NONE {
        stack.push(root);
        while let Some(&at) = stack.last() {
            let child = first[at as usize];
            if child == NONE {
                order.push(at);
                stack.pop();
            } else {
                first[at as usize] = next[child as usize];
                stack.push(child);
            }
        }
        root = next[root as usize];
    }
    order
}

/// How many rows each column of the factor has, its diagonal included.
fn lengths(above: &Upper, parents: &[u32]) -> Vec<u32> {
    let n = above.len();
    let (mut lengths, mut seen) = (vec![1; n], vec![NONE; n]);
    for c in 0..n {
        seen[c] = c as u32;
        for &row in above.column(c) {
            let mut at = row as usize;
            while seen[at] != c as u32 {
                seen[at] = c as u32;
                lengths[at] += 1;
                at = parents[at] as usize;
            }
        }
    }
    lengths
}

/// Columns side by side that are eliminated together.
struct Front {
    first: usize,
    width: usize,
    /// The rows of its first column.
    length: usize,
    /// How many of its figures are zero only because it was joined.
    zeros: f64,
}

impl Front {
    /// This front and the one behind it as one.
    fn with(&self, next: &Self) -> Self {
        let length = self.width + next.length;
        Self {
            first: self.first,
            width: self.width + next.width,
            length,
            zeros: self.zeros + next.zeros + (self.width * (length - self.length)) as f64,
        }
    }

    /// True when it stores few enough zeros for its width.
    fn pays(&self) -> bool {
        let (width, length) = (self.width as f64, self.length as f64);
        let figures = width * (width + 1.0) / 2.0 + width * (length - width);
        let share = RELAXED
            .iter()
            .find(|r| self.width <= r.0)
            .map_or(0.0, |r| r.1);
        self.zeros <= share * figures
    }
}

/// Where fronts begin: columns side by side with the same rows are one, and a front takes in the one before it where that is worth the zeros.
fn fronts(parents: &[u32], lengths: &[u32]) -> Vec<u32> {
    let n = parents.len();
    let follows = |c: usize| parents[c] as usize == c + 1 && lengths[c] == lengths[c + 1] + 1;
    let mut starts: Vec<usize> = (0..n).filter(|&c| c == 0 || !follows(c - 1)).collect();
    starts.push(n);
    // Latest first.
    let mut joined: Vec<Front> = Vec::new();
    for range in starts.windows(2).rev() {
        let front = Front {
            first: range[0],
            width: range[1] - range[0],
            length: lengths[range[0]] as usize,
            zeros: 0.0,
        };
        // What it leaves must go to the next one.
        let parent = parents[range[1] - 1] as usize;
        let both = joined
            .last()
            .filter(|next| parent < next.first + next.width);
        match both.map(|next| front.with(next)).filter(Front::pays) {
            Some(both) => {
                joined.pop();
                joined.push(both);
            }
            None => joined.push(front),
        }
    }
    joined
        .iter()
        .rev()
        .map(|f| f.first as u32)
        .chain([n as u32])
        .collect()
}
