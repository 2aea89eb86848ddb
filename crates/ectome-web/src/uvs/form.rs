//! What the forms of the UVs step send, as a change of UVs.

use ectome_recipe::{
    Packing, SheetSettings, Stacks, Turns, UvChange, UvStep, merge::MergeSettings, uv::change::list,
};

use crate::{failure::Failure, fields::Fields};

/// How materials are merged, on a sheet of `size` texels.
pub fn merge(f: &Fields, size: u32) -> Result<MergeSettings, Failure> {
    Ok(MergeSettings {
        size,
        padding: f.number("padding", "The padding", 0.0, 256.0)?.round() as u32,
        by_sight: f.ticked("by_sight"),
    })
}

/// Reads `do` and what belongs to it; `size` is the side of the brief's textures.
///
/// # Errors
/// A sentence that says which field to change.
pub fn step(f: &Fields, size: u32) -> Result<UvStep, Failure> {
    let change = UvChange::read(f.text("do"), f).map_err(Failure::bad)?;
    Ok(UvStep {
        change,
        packing: packing(f, size)?,
    })
}

fn packing(f: &Fields, size: u32) -> Result<Packing, Failure> {
    let padding = f.number("padding", "The padding in texels", 0.0, 512.0)?;
    let border = match f.text("border") {
        "" => padding,
        _ => f.number("border", "The border in texels", 0.0, 512.0)?,
    };
    Ok(Packing {
        sheet: SheetSettings {
            size,
            padding,
            border,
            turns: match f.text("turns") {
                "never" => Turns::Never,
                "quarter" => Turns::Quarter,
                _ => Turns::Free,
            },
            straighten: f.ticked("straighten"),
            sheets: f.number("sheets", "The number of sheets", 1.0, 16.0)? as u32,
            effort: f.number("effort", "How hard to try", 0.0, 64.0)? as u32,
        },
        stacks: match f.text("stacks") {
            "repeats" => Stacks::Repeats,
            "mirrored" => Stacks::Mirrored,
            _ => Stacks::Apart,
        },
        by_part: f.ticked("by_part"),
        locked: list(f, "locked", "The locked islands").map_err(Failure::bad)?,
        keep_size: f.ticked("keep_size"),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_recipe::{Manner, uv::change};

    const PACKING: [(&str, &str); 4] = [
        ("padding", "8"),
        ("sheets", "1"),
        ("effort", "0"),
        ("turns", "quarter"),
    ];

    fn with(list: &[(&str, &str)]) -> Fields {
        Fields::of(&[list, &PACKING].concat())
    }

    #[test]
    fn a_form_becomes_a_step() {
        let f = with(&[
            ("do", "unwrap"),
            ("manner", "mechanical"),
            ("stacks", "repeats"),
        ]);
        let s = step(&f, 1024).ok().unwrap();
        assert!(matches!(
            s.change,
            UvChange::Unwrap(change::Unwrap {
                manner: Manner::Mechanical,
                ..
            })
        ));
        assert_eq!((s.packing.sheet.size, s.packing.sheet.border), (1024, 8.0));
        assert_eq!(
            (s.packing.stacks, s.packing.sheet.turns),
            (Stacks::Repeats, Turns::Quarter)
        );
        let f = with(&[("do", "join"), ("chosen", "[[0,1,2],[3,4,5.5]]")]);
        let s = step(&f, 1024).ok().unwrap();
        assert_eq!(
            s.change,
            UvChange::Join(change::Join {
                at: [[0., 1., 2.], [3., 4., 5.5]]
            })
        );
    }

    #[test]
    fn moves_are_read_with_what_they_leave_out() {
        let moves = r#"[{"at":[[0,1,2]],"by":[0.25,0]},{"at":[[3,4,5]],"about":[0.5,0.5],"turn":90,"size":2}]"#;
        let f = with(&[("do", "place"), ("moves", moves), ("keep_clear", "on")]);
        let UvChange::Place(change::Place { moves, keep_clear }) =
            step(&f, 1024).ok().unwrap().change
        else {
            panic!("moves are a change of place");
        };
        assert!(keep_clear && moves[0].size == 1.0 && moves[0].by == [0.25, 0.0]);
        assert_eq!((moves[1].turn, moves[1].about), (90.0, [0.5, 0.5]));
    }

    #[test]
    fn what_is_missing_is_said() {
        for (list, says) in [
            (&[("do", "split")][..], "Choose the islands to split first"),
            (
                &[("do", "join"), ("chosen", "[[0,1,2]]")],
                "Choose exactly two islands that share a seam, then join them",
            ),
            (
                &[("do", "priority"), ("factor", "9"), ("part", "1")],
                "A priority is a number from 0",
            ),
            (
                &[("do", "density"), ("texels_per_metre", "many")],
                "A texel density is a number from 0",
            ),
            (
                &[("do", "split"), ("chosen", "[[0,1]]")],
                "The chosen islands could not be read",
            ),
            (&[("do", "place"), ("moves", "[]")], "Nothing was moved"),
            (&[("do", "dance")], "That is nothing the UVs step can do"),
        ] {
            let said = format!("{:?}", step(&with(list), 1024).unwrap_err());
            assert!(said.contains(says), "{said}");
        }
    }
}
