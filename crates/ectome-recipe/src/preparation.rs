//! The list of changes that prepares a source: how one is added and how one is taken back.

use thiserror::Error;

use crate::Change;

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
