//! The ledger of parts: what there is and what becomes of it.

use ectome_recipe::{Fate, Inspection};

use crate::words;

/// A part, or a group of equal parts, as a row.
pub struct PartLine {
    pub name: String,
    /// Numbers of the parts in this row, set apart by commas.
    pub numbers: String,
    /// The names of all of them, each once.
    pub names: String,
    /// How many equal parts the row stands for.
    pub times: usize,
    pub triangles: String,
    pub amount: usize,
    pub materials: String,
    pub group: String,
    /// `build`, `imprint`, `omit`, or `mixed` for equal parts of different fates.
    pub fate: &'static str,
    pub letter: &'static str,
    /// Width of the bar out of 1000.
    pub share: u64,
    pub percent: String,
    pub symmetric: bool,
    /// Triangles that a cut leaves each of them at least.
    pub smallest: Option<String>,
}

/// Rows that are listed, and those that the short list of the Cut step shows: a page of ten thousands of rows helps nobody
/// and takes seconds to draw.
const MOST_LINES: usize = 1500;
const SHORT: usize = 200;

/// The ledger and its sums.
#[derive(Default)]
pub struct Ledger {
    pub lines: Vec<PartLine>,
    /// All rows, listed or not.
    rows: usize,
    /// What will ship, in a sentence.
    pub ships: String,
    pub groups: Vec<String>,
    pub parts: usize,
    /// What is said of rows that are not listed.
    pub more: Option<String>,
}

impl Ledger {
    /// The largest rows, for steps that only show them.
    pub fn largest(&self) -> &[PartLine] {
        &self.lines[..self.lines.len().min(SHORT)]
    }

    /// How many rows [`largest`](Self::largest) leaves out, if any.
    pub fn beyond_largest(&self) -> Option<String> {
        let beyond = self.rows.saturating_sub(SHORT);
        (beyond > 0).then(|| {
            format!(
                "{} smaller ones are not listed here.",
                words::grouped(beyond as u64)
            )
        })
    }
}

/// Gathers it, largest first; equal parts share a row.
pub fn ledger(i: &Inspection) -> Ledger {
    let total = i.triangles.max(1);
    let mut row_of: Vec<usize> = (0..i.objects.len()).collect();
    for r in &i.repeats {
        for &p in &r.parts {
            if let (Some(slot), Some(&first)) = (row_of.get_mut(p as usize), r.parts.first()) {
                *slot = first as usize;
            }
        }
    }
    let mut rows: Vec<Vec<usize>> = vec![Vec::new(); i.objects.len()];
    for (p, &row) in row_of.iter().enumerate() {
        // What a join emptied stays numbered but is no part any more.
        if i.objects[p].triangles > 0 {
            rows[row].push(p);
        }
    }
    rows.retain(|r| !r.is_empty());
    let amount = |r: &Vec<usize>| r.iter().map(|&p| i.objects[p].triangles).sum::<usize>();
    let largest = rows.iter().map(amount).max().unwrap_or(1).max(1);
    let mut lines: Vec<PartLine> = rows
        .iter()
        .map(|r| {
            let first = &i.objects[r[0]];
            let n = amount(r);
            let same = r.iter().all(|&p| i.objects[p].fate == first.fate);
            let (fate, letter) = match (same, first.fate) {
                (false, _) => ("mixed", "–"),
                (true, Fate::Build) => ("build", "B"),
                (true, Fate::Imprint) => ("imprint", "I"),
                (true, Fate::Omit) => ("omit", "O"),
            };
            let numbers: Vec<String> = r.iter().map(usize::to_string).collect();
            PartLine {
                name: match first.name.as_str() {
                    "" => format!("part {}", r[0] + 1),
                    name => name.to_owned(),
                },
                numbers: numbers.join(","),
                names: names(i, r),
                times: r.len(),
                triangles: words::grouped(n as u64),
                amount: n,
                materials: first.materials.join(", "),
                group: first.group.clone(),
                fate,
                letter,
                share: (n as u64 * 1000).div_ceil(largest as u64),
                percent: format!("{:.1} %", n as f64 * 100.0 / total as f64),
                smallest: (r.iter())
                    .filter_map(|&p| i.objects[p].smallest_triangles)
                    .max()
                    .map(|n| words::grouped(u64::from(n))),
                symmetric: i.symmetric.contains(&(r[0] as u32)),
            }
        })
        .collect();
    lines.sort_by_key(|l| std::cmp::Reverse(l.amount));
    let count = |fate: Fate| {
        let of = i
            .objects
            .iter()
            .filter(|o| o.fate == fate && o.triangles > 0);
        of.fold((0, 0), |(n, t), o| (n + 1, t + o.triangles))
    };
    let ((built, triangles), (imprinted, _), (omitted, _)) =
        (count(Fate::Build), count(Fate::Imprint), count(Fate::Omit));
    let parts = built + imprinted + omitted;
    let mut groups: Vec<String> = i
        .objects
        .iter()
        .map(|o| o.group.clone())
        .filter(|g| !g.is_empty())
        .collect();
    groups.sort();
    groups.dedup();
    let rows = lines.len();
    lines.truncate(MOST_LINES);
    Ledger {
        rows,
        more: (rows > MOST_LINES).then(|| {
            format!(
                "The {} largest of {} rows are listed. What becomes of smaller parts can be said by their numbers in a list of \
                 steps (ectome prepare --steps).",
                words::grouped(MOST_LINES as u64),
                words::grouped(rows as u64)
            )
        }),
        lines,
        ships: format!(
            "{built} of {parts} parts are built: {} triangles go into the cut. {imprinted} imprinted, {omitted} omitted.",
            words::grouped(triangles as u64)
        ),
        groups,
        parts,
    }
}

/// The names of the parts of a row, each once, in their order.
fn names(i: &Inspection, row: &[usize]) -> String {
    let mut names: Vec<&str> = Vec::new();
    for &p in row {
        let name = i.objects[p].name.as_str();
        if !name.is_empty() && !names.contains(&name) && names.len() < NAMED {
            names.push(name);
        }
    }
    names.join(", ")
}

/// The most names of a row that are written out.
const NAMED: usize = 40;

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_recipe::Inspection;

    fn inspection() -> Inspection {
        let json = serde_json::json!([
            { "name": "drum", "triangles": 500, "materials": ["iron"] },
            { "name": "bolt a", "triangles": 100, "materials": ["iron"], "fate": "imprint" },
            { "name": "bolt b", "triangles": 100, "materials": ["iron"] },
            { "name": "emptied", "triangles": 0, "materials": [] },
            { "name": "ground", "triangles": 2, "materials": ["sand"], "fate": "omit" },
        ]);
        let repeats = serde_json::json!([
            { "names": ["bolt a", "bolt b"], "parts": [1, 2], "mirrored": [false, true], "same_uvs": [true, true] }
        ]);
        Inspection {
            triangles: 702,
            objects: serde_json::from_value(json).unwrap(),
            repeats: serde_json::from_value(repeats).unwrap(),
            ..Inspection::default()
        }
    }

    #[test]
    fn a_source_of_countless_parts_lists_the_largest() {
        let objects: Vec<serde_json::Value> = (1..=20_000)
            .map(|n| serde_json::json!({ "name": format!("chip {n}"), "triangles": n, "materials": [] }))
            .collect();
        let l = ledger(&Inspection {
            triangles: 200_010_000,
            objects: serde_json::from_value(objects.into()).unwrap(),
            ..Inspection::default()
        });
        assert_eq!((l.lines.len(), l.parts), (MOST_LINES, 20_000));
        assert_eq!(l.lines[0].amount, 20_000);
        assert!(
            l.more
                .as_ref()
                .unwrap()
                .contains("largest of 20\u{a0}000 rows")
        );
        assert_eq!(l.largest().len(), SHORT);
    }

    #[test]
    fn equal_parts_share_a_row_and_fates_are_summed() {
        let l = ledger(&inspection());
        let rows: Vec<(&str, usize, &str)> = l
            .lines
            .iter()
            .map(|r| (r.name.as_str(), r.times, r.fate))
            .collect();
        assert_eq!(
            rows,
            [
                ("drum", 1, "build"),
                ("bolt a", 2, "mixed"),
                ("ground", 1, "omit")
            ]
        );
        assert!(
            l.ships.starts_with("2 of 4 parts are built: 600 triangles"),
            "{}",
            l.ships
        );
        assert_eq!(l.lines[1].numbers, "1,2");
        assert_eq!(l.lines[1].names, "bolt a, bolt b");
    }
}
