//! Briefs to start from: common practice, no published source, for teams to replace by their own.

use crate::{
    Brief, SheetsAs, Tier,
    far_end::MadeAs,
    look_limits::LookLimits,
    parcel::delivery::{Delivery, Geometry, Objects, Pictures, Pivot},
};

/// A target: name, screen height, field of view, texel density, permitted outline difference. The last is the worst place
/// of the worst view, about a quarter of a percent of the screen's height.
const TARGETS: [(&str, u32, f64, f64, f64); 5] = [
    ("Phone", 1170, 60.0, 256.0, 3.0),
    ("Headset", 1832, 96.0, 512.0, 4.0),
    ("Console", 2160, 55.0, 1024.0, 5.0),
    ("Web page", 1080, 45.0, 512.0, 3.0),
    ("Phone AR", 1170, 60.0, 1024.0, 3.0),
];

/// Limits, distances in metres and the texture's edge, for each target and kind.
type Tiers = (u32, &'static [(u32, f64)]);
const KINDS: [(&str, [Tiers; 5]); 4] = [
    (
        "small prop",
        [
            (512, &[(400, 1.0), (200, 3.0)]),
            (1024, &[(2500, 0.5), (1250, 1.5), (600, 4.0)]),
            (1024, &[(5000, 0.7), (2500, 2.0), (1200, 6.0)]),
            (1024, &[(3000, 0.5)]),
            (1024, &[(5000, 0.3)]),
        ],
    ),
    (
        "hero prop",
        [
            (1024, &[(1500, 0.8), (750, 2.0), (375, 5.0)]),
            (2048, &[(8000, 0.5), (4000, 1.5), (2000, 4.0)]),
            (4096, &[(40_000, 0.7), (20_000, 2.0), (10_000, 6.0)]),
            (2048, &[(25_000, 0.5), (12_000, 1.5)]),
            (2048, &[(50_000, 0.4)]),
        ],
    ),
    (
        "environment piece",
        [
            (1024, &[(800, 2.0), (400, 5.0), (200, 12.0)]),
            (2048, &[(6000, 1.0), (3000, 3.0), (1500, 8.0)]),
            (
                2048,
                &[(20_000, 1.5), (10_000, 4.0), (5000, 10.0), (2500, 25.0)],
            ),
            (2048, &[(10_000, 1.0), (5000, 3.0)]),
            (2048, &[(20_000, 1.0)]),
        ],
    ),
    (
        "character part",
        [
            (1024, &[(2500, 1.0), (1250, 2.5), (600, 6.0)]),
            (2048, &[(7000, 0.7), (3500, 2.0), (1700, 5.0)]),
            (4096, &[(30_000, 0.7), (15_000, 2.0), (7500, 6.0)]),
            (2048, &[(15_000, 0.7), (7500, 2.0)]),
            (2048, &[(30_000, 0.5)]),
        ],
    ),
];

/// Where environment pieces become crossed cards, in metres, for targets on which one is seen from so far that this is cheaper than a cut.
fn cards_from(target: &str, kind: &str) -> Option<f64> {
    match (target, kind) {
        ("Headset", "environment piece") => Some(20.0),
        ("Console", "environment piece") => Some(60.0),
        _ => None,
    }
}

/// Two cards, each with a picture of its own on its back.
const CARD_TRIANGLES: u32 = 8;
/// What their outline may be off, times that of a cut: from between two cards an asset looks narrower by up to three tenths.
const CARD_OUTLINES: f64 = 3.0;

/// A phone draws slowly what it draws often and loads what it has to wait for: one object, small pictures. Older ones know indices of 16
/// bits only.
fn delivery(target: &str) -> Delivery {
    match target {
        "Phone AR" => Delivery {
            objects: Objects::One,
            powers_of_two: true,
            halve_above_db: 40.0,
            geometry: Geometry::Quantised,
            pictures: Pictures::Jpeg,
            exact_data: false,
            pivot: Pivot::Base,
            ..Delivery::default()
        },
        "Phone" => Delivery {
            index_bits: 16,
            powers_of_two: true,
            ..Delivery::default()
        },
        _ => Delivery::default(),
    }
}

/// One brief for each target and kind.
pub fn starting() -> Vec<Brief> {
    let mut list = Vec::new();
    for (at, &(target, height, fov, density, outline_px)) in TARGETS.iter().enumerate() {
        for (kind, tiers) in &KINDS {
            let (texture_px, tiers) = tiers[at];
            let cards = cards_from(target, kind).map(|nearest_m| Tier {
                made: MadeAs::Cards,
                triangles: CARD_TRIANGLES,
                nearest_m,
                screen_percent: None,
                outline_px: CARD_OUTLINES * outline_px,
            });
            list.push(Brief {
                look: LookLimits::default(),
                name: format!("{target}, {kind}"),
                screen_height_px: height,
                vertical_fov_deg: fov,
                texture_px,
                texels_per_metre: density,
                materials: if target.starts_with("Phone") { 1 } else { 2 },
                uv_sets: 1,
                maps: ["normal", "occlusion", "base_colour"]
                    .map(str::to_owned)
                    .to_vec(),
                green: "up".to_owned(),
                hierarchy: false,
                packed: Vec::new(),
                suffix: "_LOD".to_owned(),
                sheets: SheetsAs::default(),
                formats: vec!["glb".to_owned()],
                delivery: delivery(target),
                tiers: tiers
                    .iter()
                    .map(|&(triangles, nearest_m)| Tier {
                        made: MadeAs::Cut,
                        triangles,
                        nearest_m,
                        screen_percent: None,
                        outline_px,
                    })
                    .chain(cards)
                    .collect(),
            });
        }
    }
    list
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn there_are_twenty_and_they_obey_the_rules() {
        let list = starting();
        assert_eq!(list.len(), 20);
        for brief in &list {
            brief.check().unwrap();
        }
        let ends: Vec<&str> = list
            .iter()
            .filter(|b| b.tiers.last().is_some_and(|t| t.made == MadeAs::Cards))
            .map(|b| b.name.as_str())
            .collect();
        assert_eq!(
            ends,
            ["Headset, environment piece", "Console, environment piece"]
        );
    }
}
