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

/// The list with a new change: behind the others, or in the place of an earlier decision about the same thing.
pub fn appended(mut list: Vec<Change>, change: Change) -> Vec<Change> {
    change.join(&mut list);
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
    use crate::{Fate, Space, SplitBy, Up, change};

    fn fate(parts: &[u32], fate: Fate) -> Change {
        Change::Fate(change::Fate {
            parts: parts.to_vec(),
            fate,
        })
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
        let unit = |unit_m| {
            Change::Measure(change::Measure {
                space: Space { unit_m, up: Up::Y },
            })
        };
        let list = appended(
            vec![
                unit(0.01),
                Change::DropDegenerate(change::DropDegenerate {}),
            ],
            unit(0.001),
        );
        assert_eq!(
            list,
            [
                unit(0.001),
                Change::DropDegenerate(change::DropDegenerate {})
            ]
        );
    }

    #[test]
    fn a_split_that_others_build_on_stays() {
        let split = Change::Split(change::Split {
            part: 0,
            by: SplitBy::Pieces,
        });
        let list = vec![split, fate(&[3], Fate::Omit)];
        assert_eq!(
            without(list.clone(), 0),
            Err(CannotGo::Needed("Split a part"))
        );
        assert_eq!(without(list.clone(), 1).unwrap().len(), 1);
        assert_eq!(without(list, 5), Err(CannotGo::Absent));
    }
}
