//! A brief as a form sends it.

use ectome_recipe::{
    Brief, SheetsAs, Tier,
    far_end::MadeAs,
    look_limits::LookLimits,
    maps::{Channel, Packed},
};

use super::delivery_form::delivery;
use crate::{
    failure::Failure,
    fields::{Fields, number},
};

/// Reads the form of a brief. Rows of tiers without a limit are left out.
pub fn brief(f: &Fields) -> Result<Brief, Failure> {
    let whole = |name, what, high: f64| -> Result<u32, Failure> {
        Ok(f.number(name, what, 1.0, high)? as u32)
    };
    let own = |list: Vec<&str>| list.into_iter().map(str::to_owned).collect();
    let brief = Brief {
        name: f.text("name").to_owned(),
        screen_height_px: whole("screen_height_px", "The height of the screen", 1e5)?,
        vertical_fov_deg: f.number("vertical_fov_deg", "The field of view", 1.0, 179.0)?,
        texture_px: whole("texture_px", "The edge of the textures", 16_384.0)?,
        texels_per_metre: f.number("texels_per_metre", "The texel density", 0.1, 1e6)?,
        materials: whole("materials", "The number of materials", 1000.0)?,
        uv_sets: whole("uv_sets", "The number of UV sets", 8.0)?,
        maps: own(f.all("map")),
        green: f.text("green").to_owned(),
        suffix: f.text("suffix").to_owned(),
        sheets: SheetsAs::of(f.text("sheets")).unwrap_or_default(),
        hierarchy: f.text("hierarchy") == "tree",
        formats: own(f.all("format")),
        delivery: delivery(f)?,
        look: look(f)?,
        packed: packed(f)?,
        tiers: tiers(f)?,
    };
    brief
        .check()
        .map_err(|e| Failure::bad(sentence(&e.to_string())))?;
    Ok(brief)
}

/// The limits of the look; a field that is empty or not there takes the usual one.
fn look(f: &Fields) -> Result<LookLimits, Failure> {
    let usual = LookLimits::default();
    let limit = |name, what, or: f64| match f.text(name) {
        "" => Ok(or),
        _ => f.number(name, what, 0.01, 1e5),
    };
    Ok(LookLimits {
        colour: limit("look_colour", "The limit of colour", usual.colour)?,
        coverage_percent: limit(
            "look_coverage",
            "The limit of coverage",
            usual.coverage_percent,
        )?,
        shine_percent: limit("look_shine", "The limit of shine", usual.shine_percent)?,
    })
}

/// Pictures of several maps. Rows without a name are left out.
fn packed(f: &Fields) -> Result<Vec<Packed>, Failure> {
    let [names, reds, greens, blues, alphas] =
        ["pack", "pack_red", "pack_green", "pack_blue", "pack_alpha"].map(|n| f.all(n));
    let mut list = Vec::new();
    for (i, name) in names.iter().enumerate().filter(|(_, n)| !n.is_empty()) {
        let of = |column: &[&str]| match column.get(i).copied().unwrap_or_default() {
            "" => Ok(None),
            word => word
                .parse::<Channel>()
                .map(Some)
                .map_err(|e| Failure::bad(sentence(&e.to_string()))),
        };
        list.push(Packed {
            name: (*name).to_owned(),
            red: of(&reds)?,
            green: of(&greens)?,
            blue: of(&blues)?,
            alpha: of(&alphas)?,
        });
    }
    Ok(list)
}

fn tiers(f: &Fields) -> Result<Vec<Tier>, Failure> {
    let [limits, distances, shares, outlines, kinds] = [
        "tier_triangles",
        "tier_nearest_m",
        "tier_screen_percent",
        "tier_outline_px",
        "tier_made",
    ]
    .map(|n| f.all(n));
    let mut list = Vec::new();
    for (i, limit) in limits.iter().enumerate().filter(|(_, l)| !l.is_empty()) {
        let at = |column: &[&str]| column.get(i).copied().unwrap_or_default().to_owned();
        let (distance, share, outline) = (at(&distances), at(&shares), at(&outlines));
        let named = |what: &str| format!("{what} of LOD{}", list.len());
        list.push(Tier {
            made: MadeAs::of(&at(&kinds)).unwrap_or_default(),
            triangles: number(limit, &named("The limit"), 2.0, 4e9)? as u32,
            nearest_m: if distance.is_empty() {
                1.0
            } else {
                number(&distance, &named("The distance"), 0.001, 1e6)?
            },
            screen_percent: if share.is_empty() {
                None
            } else {
                Some(number(
                    &share,
                    &named("The share of the screen"),
                    0.1,
                    1000.0,
                )?)
            },
            outline_px: if outline.is_empty() {
                2.0
            } else {
                number(&outline, &named("The outline limit"), 0.01, 1000.0)?
            },
        });
    }
    Ok(list)
}

/// An error of a crate as a sentence of a page.
pub fn sentence(text: &str) -> String {
    let mut letters = text.chars();
    let first: String = letters
        .next()
        .map(|c| c.to_uppercase().collect())
        .unwrap_or_default();
    format!("{first}{}.", letters.as_str().trim_end_matches('.'))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn form(change: &[(&str, &str)]) -> Fields {
        let mut list = vec![
            ("name", "Ours"),
            ("screen_height_px", "1 832"),
            ("vertical_fov_deg", "96"),
            ("texture_px", "2048"),
            ("texels_per_metre", "512"),
            ("materials", "2"),
            ("uv_sets", "1"),
            ("map", "normal"),
            ("map", "occlusion"),
            ("green", "up"),
            ("suffix", "_LOD"),
            ("format", "glb"),
            ("look_colour", "4,5"),
            ("look_coverage", ""),
        ];
        let rows = [
            ["6 000", "1,5", "", "4"],
            ["3000", "4", "", ""],
            ["", "", "", ""],
        ];
        for [limit, distance, share, outline] in rows {
            list.extend([
                ("tier_triangles", limit),
                ("tier_nearest_m", distance),
                ("tier_screen_percent", share),
                ("tier_outline_px", outline),
            ]);
        }
        for &(name, value) in change {
            if let Some(field) = list.iter_mut().find(|(n, _)| *n == name) {
                field.1 = value;
            }
        }
        Fields::of(&list)
    }

    #[test]
    fn a_form_is_read_as_it_is_typed_and_blank_rows_are_no_tiers() {
        let b = brief(&form(&[])).unwrap();
        assert_eq!(b.screen_height_px, 1832);
        assert_eq!(b.maps, ["normal", "occlusion"]);
        assert_eq!(
            (b.look.colour, b.look.coverage_percent, b.look.shine_percent),
            (4.5, 20.0, 10.0)
        );
        let tiers: Vec<_> = b
            .tiers
            .iter()
            .map(|t| (t.triangles, t.nearest_m, t.outline_px))
            .collect();
        assert_eq!(tiers, [(6000, 1.5, 4.0), (3000, 4.0, 2.0)]);
    }

    #[test]
    fn pictures_of_several_maps_are_read_row_by_row() {
        let rows = [
            ("pack", "orm"),
            ("pack_red", "occlusion"),
            ("pack_green", "roughness"),
            ("pack_blue", "metalness"),
            ("pack_alpha", ""),
            ("pack", ""),
            ("pack_red", ""),
            ("pack_green", ""),
            ("pack_blue", ""),
            ("pack_alpha", ""),
        ];
        let list = packed(&Fields::of(&rows)).unwrap();
        assert_eq!(list.len(), 1);
        assert_eq!(
            list[0].says(),
            "red occlusion, green roughness, blue metalness"
        );
        let rows = [("pack", "x"), ("pack_red", "shine")];
        let said = format!("{:?}", packed(&Fields::of(&rows)).unwrap_err());
        assert!(said.contains("shine"), "{said}");
    }

    /// A form without that part leaves it alone; with it, ticks and figures are taken over.
    #[test]
    fn how_files_are_made_is_read() {
        assert!(brief(&form(&[])).unwrap().delivery.is_default());
        let rows = [
            ("file_names", "sk_{asset}{tier}"),
            ("objects", "one"),
            ("geometry", "compressed"),
            ("pictures", "webp"),
            ("quality", "80"),
            ("powers_of_two", "on"),
            ("halve_above_db", "45"),
            ("keep_size", "normal, rope"),
            ("pivot", "base"),
            ("scale", "0,5"),
            ("unit", "cm"),
            ("up", "z"),
            ("index_bits", "16"),
        ];
        let d = delivery(&Fields::of(&rows)).unwrap();
        assert_eq!(d.file_names, "sk_{asset}{tier}");
        assert_eq!((d.objects.word(), d.geometry.word()), ("one", "compressed"));
        assert_eq!((d.pictures.word(), d.quality, d.scale), ("webp", 80, 0.5));
        assert_eq!(d.keep_size, ["normal", "rope"]);
        assert!(d.powers_of_two && !d.tangents && d.index_bits == 16 && d.halve_above_db == 45.0);
        let wrong = [("file_names", "{asset}"), ("quality", "lots")];
        assert!(delivery(&Fields::of(&wrong)).is_err());
    }

    #[rstest]
    #[case(&[("tier_triangles", "many")], "The limit of LOD0")]
    #[case(&[("tier_triangles", "2000")], "no fewer than the tier before")]
    #[case(&[("tier_nearest_m", "0")], "The distance of LOD0")]
    #[case(&[("name", " ")], "needs a name")]
    #[case(&[("map", "shine")], "shine")]
    #[case(&[("texture_px", "0")], "The edge of the textures")]
    #[case(&[("look_colour", "none")], "The limit of colour")]
    fn what_is_wrong_is_said(#[case] change: &[(&str, &str)], #[case] says: &str) {
        let failure = format!("{:?}", brief(&form(change)).unwrap_err());
        assert!(failure.contains(says), "{failure}");
    }
}
