//! What to bake, as a form sends it.

use ectome_recipe::{
    Ball,
    maps::{BakeSettings, Directions, From, Kind, Packed, PaintedReach, Reach},
};

use crate::{failure::Failure, fields::Fields};

/// The most balls that one go of the brush may have.
const MOST_BALLS: usize = 4096;

/// Reads the form; `do` is `bake`, `trial` for a quick look, or `again` to bake `before` again where the brush was. `packed` are the
/// pictures of several maps that the brief names.
///
/// # Errors
/// A sentence for what cannot be meant.
pub fn settings(
    f: &Fields,
    packed: &[Packed],
    before: Option<&BakeSettings>,
) -> Result<BakeSettings, Failure> {
    let gos = before.map_or(&[][..], |b| &b.painted);
    let ticked = f.numbers("painted");
    let kept = gos.iter().enumerate();
    let kept = kept.filter(|(i, _)| ticked.contains(&(*i as u32)));
    let mut painted: Vec<PaintedReach> = kept.map(|(_, go)| go.clone()).collect();
    if f.text("do") == "again" {
        let before =
            before.ok_or_else(|| Failure::bad("There are no maps yet to bake again in part."))?;
        painted.extend(brush(f)?);
        return Ok(BakeSettings {
            painted,
            ..before.clone()
        });
    }
    let mut kinds: Vec<Kind> = Vec::new();
    for kind in f.all("map").into_iter().filter_map(Kind::of) {
        if !kinds.contains(&kind) {
            kinds.push(kind);
        }
    }
    let wanted = f.all("packed");
    let packed: Vec<Packed> = (packed.iter())
        .filter(|p| wanted.contains(&p.name.as_str()))
        .cloned()
        .collect();
    if kinds.is_empty() && packed.is_empty() {
        return Err(Failure::bad("No map is chosen. Choose at least one."));
    }
    let whole = |name, what, low, high| -> Result<u32, Failure> {
        Ok(f.number(name, what, low, high)? as u32)
    };
    let reach = match f.text("reach_mm").trim() {
        "" => {
            Reach::Automatic(f.number("reach_times", "The factor of the reach", 0.1, 20.0)? as f32)
        }
        _ => {
            let mm = f.number("reach_mm", "The reach in millimetres", 0.001, 1e6)?;
            Reach::Metres((mm / 1e3) as f32)
        }
    };
    let settings = BakeSettings {
        samples: match f.text("samples") {
            "1" => 1,
            "9" => 3,
            "16" => 4,
            _ => 2,
        },
        padding: whole("padding", "The padding", 0.0, 256.0)?,
        reach,
        painted,
        directions: match f.text("directions") {
            "averaged" => Directions::Averaged,
            "faces" => Directions::Faces,
            _ => Directions::Blended,
        },
        from: match f.text("from") {
            "everything" => From::Everything,
            "same_group" => From::SameGroup,
            _ => From::SameName,
        },
        green_up: f.text("green") != "down",
        deep: f.text("bits") == "16",
        packed,
        ..BakeSettings::of(
            kinds,
            whole("size", "The edge of the maps", 16.0, 16_384.0)?,
        )
    };
    Ok(match f.text("do") {
        "trial" => settings.trial(),
        _ => settings,
    })
}

/// What the brush painted; nothing where it was not used.
fn brush(f: &Fields) -> Result<Option<PaintedReach>, Failure> {
    let text = f.text("brush");
    let unread = || Failure::bad("What was painted could not be read. Clear it and paint again.");
    let balls: Vec<Ball> = match text {
        "" => Vec::new(),
        text => serde_json::from_str(text).map_err(|_| unread())?,
    };
    let is_meant =
        |b: &Ball| b.radius > 0.0 && b.radius.is_finite() && b.at.iter().all(|v| v.is_finite());
    if !balls.iter().all(is_meant) {
        return Err(unread());
    }
    if balls.len() > MOST_BALLS {
        return Err(Failure::bad(
            "The brush touched too many places at once. Clear it and paint less, or in several goes.",
        ));
    }
    let times = f.number("brush_times", "The factor of the painted reach", 0.05, 50.0)? as f32;
    Ok((!balls.is_empty()).then_some(PaintedReach { balls, times }))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn form(change: &[(&str, &str)]) -> Fields {
        let mut list = vec![
            ("map", "normal"),
            ("map", "occlusion"),
            ("size", "2048"),
            ("samples", "4"),
            ("padding", "16"),
            ("reach_times", "1"),
            ("reach_mm", ""),
            ("green", "up"),
            ("bits", "8"),
            ("do", "bake"),
        ];
        for &(name, value) in change {
            if let Some(field) = list.iter_mut().find(|(n, _)| *n == name) {
                field.1 = value;
            }
        }
        Fields::of(&list)
    }

    #[test]
    fn a_form_is_read_and_a_trial_is_small() {
        let s = settings(&form(&[]), &[], None).unwrap();
        assert_eq!((s.size, s.samples, s.kinds.len()), (2048, 2, 2));
        assert_eq!(s.reach, Reach::Automatic(1.0));
        let s = settings(&form(&[("do", "trial"), ("reach_mm", "2,5")]), &[], None).unwrap();
        assert_eq!((s.size, s.samples, s.padding), (512, 1, 4));
        assert_eq!(s.reach, Reach::Metres(0.0025));
        let s = settings(&form(&[("green", "down"), ("bits", "16")]), &[], None).unwrap();
        assert!(!s.green_up && s.deep);
    }

    #[test]
    fn what_cannot_be_meant_is_said() {
        for (name, value, says) in [
            ("size", "4", "The edge of the maps"),
            ("padding", "x", "The padding"),
            ("reach_mm", "-1", "The reach in millimetres"),
        ] {
            let said = settings(&form(&[(name, value)]), &[], None).unwrap_err();
            assert!(format!("{said:?}").contains(says), "{said:?}");
        }
    }

    /// The brush adds a go to those that stay ticked, and changes nothing else of what was baked.
    #[test]
    fn what_was_painted_goes_on_top_of_what_was_baked() {
        let go = |times| PaintedReach {
            balls: vec![Ball {
                at: [1.0, 2.0, 3.0],
                radius: 0.5,
            }],
            times,
        };
        let before = BakeSettings {
            painted: vec![go(2.0), go(3.0)],
            ..BakeSettings::of(vec![Kind::Height], 256)
        };
        let own = [
            ("do", "again"),
            ("painted", "1"),
            ("brush", "[{\"at\":[1,2,3],\"radius\":0.5}]"),
            ("brush_times", "0,5"),
            ("size", "4096"),
        ];
        let s = settings(&Fields::of(&own), &[], Some(&before)).unwrap();
        assert_eq!(s.painted, [go(3.0), go(0.5)]);
        assert_eq!((s.size, &s.kinds[..]), (256, &[Kind::Height][..]));
        let said = settings(&Fields::of(&own), &[], None).unwrap_err();
        assert!(format!("{said:?}").contains("no maps yet"), "{said:?}");
        for brush in ["[{\"at\":[1,2,3],\"radius\":-1}]", "x", "[1]"] {
            let own = [("do", "again"), ("brush", brush), ("brush_times", "2")];
            let said = settings(&Fields::of(&own), &[], Some(&before)).unwrap_err();
            assert!(
                format!("{said:?}").contains("could not be read"),
                "{said:?}"
            );
        }
    }
}
