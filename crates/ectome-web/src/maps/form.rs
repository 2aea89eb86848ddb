//! What to bake, as a form sends it.

use ectome_recipe::maps::{BakeSettings, Directions, From, Kind, Packed, Reach};

use crate::{failure::Failure, fields::Fields};

/// Reads the form; `do` is `bake`, or `trial` for a quick look. `packed` are the pictures of several maps that the brief names.
///
/// # Errors
/// A sentence for what cannot be meant.
pub fn settings(f: &Fields, packed: &[Packed]) -> Result<BakeSettings, Failure> {
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
        let s = settings(&form(&[]), &[]).unwrap();
        assert_eq!((s.size, s.samples, s.kinds.len()), (2048, 2, 2));
        assert_eq!(s.reach, Reach::Automatic(1.0));
        let s = settings(&form(&[("do", "trial"), ("reach_mm", "2,5")]), &[]).unwrap();
        assert_eq!((s.size, s.samples, s.padding), (512, 1, 4));
        assert_eq!(s.reach, Reach::Metres(0.0025));
        let s = settings(&form(&[("green", "down"), ("bits", "16")]), &[]).unwrap();
        assert!(!s.green_up && s.deep);
    }

    #[test]
    fn what_cannot_be_meant_is_said() {
        for (name, value) in [("size", "4"), ("padding", "x"), ("reach_mm", "-1")] {
            assert!(settings(&form(&[(name, value)]), &[]).is_err(), "{name}");
        }
    }
}
