//! What the forms of the Intake and Parts steps ask for.

use ectome_recipe::{Change, DivideInto, Fate, Plane, Space, SplitBy, Up, Weld};

use crate::{failure::Failure, fields::Fields};

/// Metres in a unit that a form may name.
pub const UNITS: [(&str, f32); 5] = [
    ("m", 1.0),
    ("cm", 0.01),
    ("mm", 0.001),
    ("in", 0.0254),
    ("ft", 0.3048),
];

/// Reads the change that a form describes.
pub fn change(f: &Fields) -> Result<Change, Failure> {
    let mm =
        |name, what| -> Result<f32, Failure> { Ok((f.number(name, what, 0.0, 1e6)? / 1e3) as f32) };
    Ok(match f.text("change") {
        "measure" => Change::Measure { space: space(f)? },
        "weld" => Change::Weld {
            how: Weld {
                distance_m: mm("distance_mm", "The distance in millimetres")?,
                across_seams: f.ticked("across_seams"),
                across_hard_edges: f.ticked("across_hard_edges"),
            },
        },
        "drop_degenerate" => Change::DropDegenerate,
        "drop_duplicates" => Change::DropDuplicates {
            either_way: f.ticked("either_way"),
        },
        "make_outward" => Change::MakeOutward,
        "split_non_manifold" => Change::SplitNonManifold,
        "close_holes" => Change::CloseHoles {
            size_m: mm("size_mm", "The largest hole in millimetres")?,
        },
        "drop_floaters" => Change::DropFloaters {
            size_m: mm("size_mm", "The largest piece in millimetres")?,
        },
        "divide_ngons" => Change::DivideNgons {
            into: match f.text("into") {
                "triangles" => DivideInto::Triangles,
                _ => DivideInto::Quads,
            },
        },
        "clip" if f.text("both") == "yes" => Change::Divide { plane: plane(f)? },
        "clip" => Change::Clip {
            plane: plane(f)?,
            cap: f.ticked("cap"),
        },
        "sections" => {
            let cell = |name| f.number(name, "A count of sections", 1.0, 32.0);
            Change::Sections {
                cells: [cell("x")? as u32, cell("y")? as u32, cell("z")? as u32],
            }
        }
        "remove_hidden" => Change::RemoveHidden,
        _ => return part_change(f),
    })
}

fn part_change(f: &Fields) -> Result<Change, Failure> {
    let parts = f.numbers("part");
    if parts.is_empty() {
        return Err(Failure::bad(
            "No part is chosen. Choose one in the ledger or on the stage.",
        ));
    }
    let name = |what: &str| -> Result<String, Failure> {
        let name: String = f.text("name").chars().take(200).collect();
        match name.is_empty() {
            true => Err(Failure::bad(format!("{what} needs a name. Type one."))),
            false => Ok(name),
        }
    };
    Ok(match f.text("change") {
        "fate" => Change::Fate {
            fate: match f.text("fate") {
                "imprint" => Fate::Imprint,
                "omit" => Fate::Omit,
                _ => Fate::Build,
            },
            parts,
        },
        "rename" => Change::Rename {
            part: parts[0],
            name: name("The part")?,
        },
        "group" => Change::Group {
            parts,
            group: f.text("name").chars().take(200).collect(),
        },
        "join" if parts.len() < 2 => {
            return Err(Failure::bad(
                "Joining takes two parts or more. Choose another one too.",
            ));
        }
        "join" => Change::Join {
            parts,
            name: name("The joined part")?,
        },
        "split" => Change::Split {
            part: parts[0],
            by: match f.text("by") {
                "material" => SplitBy::Material,
                _ => SplitBy::Pieces,
            },
        },
        other => {
            return Err(Failure::bad(format!(
                "Ectome knows no change named “{other}”. Reload the page."
            )));
        }
    })
}

fn space(f: &Fields) -> Result<Space, Failure> {
    let unit = f.text("unit");
    let &(_, unit_m) = UNITS
        .iter()
        .find(|(name, _)| *name == unit)
        .ok_or_else(|| Failure::bad("A unit is one of m, cm, mm, in and ft. Choose one."))?;
    Ok(Space {
        unit_m,
        up: match f.text("up") {
            "x" => Up::X,
            "z" => Up::Z,
            _ => Up::Y,
        },
    })
}

fn plane(f: &Fields) -> Result<Plane, Failure> {
    let triple = |names: [&str; 3], what: &str| -> Result<[f32; 3], Failure> {
        let mut out = [0.0; 3];
        for (slot, name) in out.iter_mut().zip(names) {
            *slot = f.number(name, what, -1e5, 1e5)? as f32;
        }
        Ok(out)
    };
    let normal = triple(["nx", "ny", "nz"], "A direction")?;
    if normal.iter().all(|v| v.abs() < 1e-6) {
        return Err(Failure::bad(
            "The plane needs a direction: one of its three figures must not be 0.",
        ));
    }
    Ok(Plane {
        point: triple(["px", "py", "pz"], "A place in metres")?,
        normal,
    })
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
/// When later changes go by part numbers that this one adds.
pub fn without(mut list: Vec<Change>, at: usize) -> Result<Vec<Change>, Failure> {
    let Some(change) = list.get(at) else {
        return Err(Failure::bad(
            "That change is not in the list any more. Reload the page.",
        ));
    };
    let needed = change.adds_parts() && list[at + 1..].iter().any(Change::names_parts);
    if needed {
        return Err(Failure::bad(format!(
            "“{}” made parts that later changes are about. Take those back first.",
            change.title()
        )));
    }
    list.remove(at);
    Ok(list)
}

#[cfg(test)]
mod tests {
    use super::*;

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
        assert!(without(list.clone(), 0).is_err());
        assert_eq!(without(list.clone(), 1).unwrap().len(), 1);
        assert!(without(list, 5).is_err());
    }
}
