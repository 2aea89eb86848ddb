//! What the forms of the Intake and Parts steps ask for.

use ectome_formats::space::metres;
use ectome_recipe::{Change, DivideInto, Fate, Plane, Space, SplitBy, Up, Weld};

use crate::{failure::Failure, fields::Fields};

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
        "merge_materials" => {
            let materials: Vec<String> = f.all("material").into_iter().map(str::to_owned).collect();
            if materials.len() < 2 {
                return Err(Failure::bad(
                    "Merging takes two materials or more. Tick another one too.",
                ));
            }
            Change::MergeMaterials { materials }
        }
        "leave_out_uvs" => Change::LeaveOutUvs {
            keep: f.number("keep", "The count of UV sets", 0.0, 8.0)? as u32,
        },
        "parts" => return part_change(f),
        other => return Err(unknown(other)),
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
    let fate = |fate, parts| Change::Fate { fate, parts };
    let split = |by| Change::Split { part: parts[0], by };
    Ok(match f.text("do") {
        "build" => fate(Fate::Build, parts),
        "imprint" => fate(Fate::Imprint, parts),
        "omit" => fate(Fate::Omit, parts),
        "smallest" => Change::Smallest {
            parts,
            triangles: match f.text("smallest") {
                "" => 0,
                _ => f.number("smallest", "The smallest count", 0.0, 4e9)? as u32,
            },
        },
        "rename" if parts.len() > 1 => Change::RenameParts {
            parts,
            name: name("What stands before the numbers")?,
        },
        "rename" => Change::Rename {
            part: parts[0],
            name: name("The part")?,
        },
        "group" => Change::Group {
            parts,
            group: name("The group")?,
        },
        "ungroup" => Change::Group {
            parts,
            group: String::new(),
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
        "split_pieces" => split(SplitBy::Pieces),
        "split_materials" => split(SplitBy::Material),
        other => return Err(unknown(other)),
    })
}

fn unknown(change: &str) -> Failure {
    Failure::bad(format!(
        "Ectome knows no change named “{change}”. Reload the page."
    ))
}

fn space(f: &Fields) -> Result<Space, Failure> {
    let unit = f.text("unit");
    let unit_m = metres(unit)
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

#[cfg(test)]
mod tests {
    use super::*;

    fn of(list: &[(&str, &str)]) -> Result<Change, Failure> {
        change(&Fields::of(list))
    }

    #[test]
    fn one_part_takes_the_name_and_several_take_numbers_with_it() {
        let one = of(&[
            ("change", "parts"),
            ("part", "3"),
            ("do", "rename"),
            ("name", "bolt"),
        ]);
        let wanted = Change::Rename {
            part: 3,
            name: "bolt".to_owned(),
        };
        assert_eq!(one.unwrap(), wanted);
        let both = of(&[
            ("change", "parts"),
            ("part", "3,5"),
            ("do", "rename"),
            ("name", "bolt"),
        ]);
        let wanted = Change::RenameParts {
            parts: vec![3, 5],
            name: "bolt".to_owned(),
        };
        assert_eq!(both.unwrap(), wanted);
    }

    #[test]
    fn what_lacks_something_says_what() {
        let says = |list: &[(&str, &str)]| format!("{:?}", of(list).unwrap_err());
        let group = [
            ("change", "parts"),
            ("part", "1"),
            ("do", "group"),
            ("name", ""),
        ];
        assert!(says(&group).contains("The group needs a name. Type one."));
        let ungroup = [("change", "parts"), ("part", "1"), ("do", "ungroup")];
        assert!(matches!(of(&ungroup), Ok(Change::Group { group, .. }) if group.is_empty()));
        let merge = [("change", "merge_materials"), ("material", "iron")];
        assert!(says(&merge).contains("two materials or more"));
        let unknown = [("change", "polish")];
        assert!(says(&unknown).contains("“polish”"));
    }
}
