//! How a source is rebuilt, as a form sends it.

use ectome_recipe::{Plane, rebuild::RebuildSettings};

use crate::{failure::Failure, fields::Fields};

/// The longest that anything may be asked to be, in millimetres.
const LONGEST: f64 = 1e6;

/// Reads the form. `triangles` is what the skin is cut to afterwards, which tells its detail where none is typed.
///
/// # Errors
/// A sentence for what cannot be meant.
pub fn settings(f: &Fields, triangles: u32) -> Result<RebuildSettings, Failure> {
    let length = |name: &str, what: &str, least: f64| match f.text(name) {
        "" => Ok(None),
        _ => f.number(name, what, least, LONGEST).map(Some),
    };
    let detail_mm = length("detail_mm", "The smallest detail in millimetres", 1e-3)?;
    let axis = |name: &str| {
        f.number(
            name,
            "A place or a direction of the plane",
            -LONGEST,
            LONGEST,
        )
    };
    let above = if f.ticked("clip") {
        Some(Plane {
            point: [axis("px")? as f32, axis("py")? as f32, axis("pz")? as f32],
            normal: [axis("nx")? as f32, axis("ny")? as f32, axis("nz")? as f32],
        })
    } else {
        None
    };
    let listed = f.numbers("listed");
    let parts = f.numbers("part");
    if !listed.is_empty() && parts.is_empty() {
        return Err(Failure::bad(
            "No part is chosen, so there is nothing to lay a skin over. Tick at least one.",
        ));
    }
    Ok(RebuildSettings {
        detail_mm,
        for_triangles: detail_mm.is_none().then_some(triangles),
        sheets_mm: length("sheets_mm", "The thickness of sheets in millimetres", 0.0)?,
        openings_mm: length("openings_mm", "The widest opening in millimetres", 0.0)?,
        gaps_mm: length("gaps_mm", "The widest gap in millimetres", 0.0)?.unwrap_or(0.0),
        keep_hollows: f.ticked("keep_hollows"),
        above,
        // All that are listed are all that are built: a part that comes later belongs to them.
        parts: (parts != listed).then_some(parts),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_left_empty_is_left_to_ectome() {
        let read = settings(&Fields::of(&[("detail_mm", ""), ("gaps_mm", "")]), 6000).ok();
        let expected = RebuildSettings {
            for_triangles: Some(6000),
            ..RebuildSettings::default()
        };
        assert_eq!(read, Some(expected));
    }

    #[test]
    fn what_is_typed_is_taken_and_nonsense_refused() {
        let typed = [
            ("detail_mm", "2,5"),
            ("sheets_mm", "0"),
            ("clip", "on"),
            ("px", "0"),
            ("py", "-0.2"),
            ("pz", "0"),
            ("nx", "0"),
            ("ny", "1"),
            ("nz", "0"),
            ("listed", "0,1"),
            ("part", "1"),
        ];
        let read = settings(&Fields::of(&typed), 6000).ok().unwrap();
        assert_eq!((read.detail_mm, read.for_triangles), (Some(2.5), None));
        assert_eq!((read.sheets_mm, read.parts), (Some(0.0), Some(vec![1])));
        assert_eq!(read.above.map(|p| p.point), Some([0.0, -0.2, 0.0]));
        for wrong in [
            &[("detail_mm", "0")][..],
            &[("gaps_mm", "wide")],
            &[("listed", "0,1")],
        ] {
            assert!(settings(&Fields::of(wrong), 6000).is_err(), "{wrong:?}");
        }
    }
}
