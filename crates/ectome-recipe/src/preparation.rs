//! The list of changes that prepares a source: how one is added, how one is taken back, and the figures repairs begin with.

use thiserror::Error;

use crate::{Change, Inspection};

/// Why a change cannot be taken back.
#[derive(Clone, Copy, Debug, Error, PartialEq, Eq)]
pub enum CannotGo {
    /// There is none at that place.
    #[error("that change is not in the list any more")]
    Absent,
    /// It made parts that others name.
    #[error("\u{201c}{0}\u{201d} made parts that later changes are about. Take those back first")]
    Needed(&'static str),
}

/// Figures that repairs of a source begin with, in metres (common practice, no published source).
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Sizes {
    /// How far apart points may be that are joined: a twenty-thousandth of the diagonal.
    pub weld_m: f32,
    /// The largest hole that is closed: a tenth.
    pub hole_m: f32,
    /// The largest loose piece that is dropped: a twentieth.
    pub floater_m: f32,
    /// The middle, where a plane that divides is put first.
    pub middle_m: [f32; 3],
    /// A little above the lowest, where a plane that clips the ground off is put first.
    pub low_m: f32,
}

impl Sizes {
    /// For a source of this size.
    pub fn of(inspection: &Inspection) -> Self {
        let [low, high] = inspection.bounds_m;
        let size: [f32; 3] = std::array::from_fn(|k| high[k] - low[k]);
        let diagonal = size.iter().map(|s| s * s).sum::<f32>().sqrt();
        Self {
            weld_m: diagonal * 5e-5,
            hole_m: diagonal * 0.1,
            floater_m: diagonal * 0.05,
            middle_m: std::array::from_fn(|k| 0.5 * (low[k] + high[k])),
            low_m: low[1] + 0.05 * size[1],
        }
    }
}

/// Puts a new change behind the others. Decisions about the same thing replace the earlier one, so that a
/// list of changes says each thing once.
pub fn appended(mut list: Vec<Change>, change: Change) -> Vec<Change> {
    match &change {
        Change::Measure { .. } => {
            // The unit is the source's own: it comes before everything else.
            list.retain(|c| !matches!(c, Change::Measure { .. }));
            list.insert(0, change);
            return list;
        }
        Change::Fate { parts, .. } => {
            for c in &mut list {
                if let Change::Fate { parts: old, .. } = c {
                    old.retain(|p| !parts.contains(p));
                }
            }
            list.retain(|c| !matches!(c, Change::Fate { parts, .. } if parts.is_empty()));
            let split_later = list.iter().any(Change::adds_parts);
            let same = list.iter_mut().find_map(|c| match (c, &change) {
                (Change::Fate { parts, fate }, Change::Fate { fate: new, .. }) if fate == new => {
                    Some(parts)
                }
                _ => None,
            });
            // Parts that a split adds are not there yet where an earlier decision stands.
            if let (Some(old), false) = (same, split_later) {
                old.extend(parts);
                old.sort_unstable();
                return list;
            }
        }
        Change::Smallest { parts, .. } => {
            for c in &mut list {
                if let Change::Smallest { parts: old, .. } = c {
                    old.retain(|p| !parts.contains(p));
                }
            }
            list.retain(|c| !matches!(c, Change::Smallest { parts, .. } if parts.is_empty()));
        }
        Change::Rename { part, .. } => {
            list.retain(|c| !matches!(c, Change::Rename { part: p, .. } if p == part));
        }
        _ => {}
    }
    list.push(change);
    list
}

/// The list without change `at`.
///
/// # Errors
/// When it is not there, or when later changes go by part numbers that it adds.
pub fn without(mut list: Vec<Change>, at: usize) -> Result<Vec<Change>, CannotGo> {
    let change = list.get(at).ok_or(CannotGo::Absent)?;
    let needed = change.adds_parts() && list[at + 1..].iter().any(Change::names_parts);
    if needed {
        return Err(CannotGo::Needed(change.title()));
    }
    list.remove(at);
    Ok(list)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Fate, Space, SplitBy, Up};

    fn fate(parts: &[u32], fate: Fate) -> Change {
        Change::Fate {
            parts: parts.to_vec(),
            fate,
        }
    }

    #[test]
    fn a_part_has_one_fate() {
        let list = appended(Vec::new(), fate(&[1, 2, 3], Fate::Omit));
        let list = appended(list, fate(&[2], Fate::Imprint));
        let list = appended(list, fate(&[4], Fate::Omit));
        assert_eq!(
            list,
            [fate(&[1, 3, 4], Fate::Omit), fate(&[2], Fate::Imprint)]
        );
    }

    #[test]
    fn the_unit_stands_first_and_once() {
        let unit = |unit_m| Change::Measure {
            space: Space { unit_m, up: Up::Y },
        };
        let list = appended(vec![unit(0.01), Change::DropDegenerate], unit(0.001));
        assert_eq!(list, [unit(0.001), Change::DropDegenerate]);
    }

    #[test]
    fn a_split_that_others_build_on_stays() {
        let split = Change::Split {
            part: 0,
            by: SplitBy::Pieces,
        };
        let list = vec![split, fate(&[3], Fate::Omit)];
        assert_eq!(
            without(list.clone(), 0),
            Err(CannotGo::Needed("Split a part"))
        );
        assert_eq!(without(list.clone(), 1).unwrap().len(), 1);
        assert_eq!(without(list, 5), Err(CannotGo::Absent));
    }
}
