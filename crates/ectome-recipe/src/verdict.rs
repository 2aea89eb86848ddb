//! A tier judged against its brief, in words.

use ectome_compare::look::{self, AtSize, Look};
use serde::{Deserialize, Serialize};

use crate::{
    Brief, CutReport, Inspection, Proof, SheetsAs, Standing, Tier, Verdict,
    figures::{distance, grouped},
};

/// What was measured of a result.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Measured {
    /// Triangles.
    pub triangles: usize,
    /// Largest deviation from the source, in metres.
    pub deviation_max_m: f64,
    /// The furthest that its outline leaves the source's, in metres; `None` when it was not compared.
    pub outline_worst_m: Option<f64>,
    /// Materials in use.
    pub materials: usize,
    /// UV sets.
    pub uv_sets: usize,
    /// Height of the source, in metres.
    pub height_m: f64,
    /// Parts and materials of which nothing is left, by name.
    pub gone: Vec<String>,
    /// How far shading is off with maps, and without them, as shares; `None` without maps.
    pub shading_off: Option<[f64; 2]>,
    /// Diagonal of the box around the source, in metres: it fills so much of a screen at most.
    pub diagonal_m: f64,
    /// How alike it looks with all its materials, by the size at which it is seen; empty where that was not measured.
    pub looks: Vec<AtSize>,
}

impl Measured {
    /// What a brief asks of a result of `triangles`: from the report of its cut (`None` for a source as it is), from its
    /// proof, and from what its source is like where neither says.
    pub fn of(
        brief: &Brief,
        source: &Inspection,
        triangles: usize,
        report: Option<&CutReport>,
        proof: Option<&Proof>,
    ) -> Self {
        let whole = report.is_none_or(|r| r.triangles_after == r.triangles_before);
        let [low, high] = source.bounds_m;
        Self {
            triangles,
            deviation_max_m: report.map_or(0.0, |r| r.deviation_max_mm / 1e3),
            outline_worst_m: match proof.and_then(Proof::worst_outline) {
                Some(v) => Some(v.worst_mm / 1e3),
                None => whole.then_some(0.0),
            },
            materials: match proof {
                Some(p) if p.sheet_materials > 0 && brief.sheets == SheetsAs::Materials => {
                    p.sheet_materials
                }
                _ => report
                    .and_then(|r| r.materials)
                    .or(proof.map(|p| p.materials))
                    .unwrap_or(source.materials.len()),
            },
            uv_sets: report
                .and_then(|r| r.uv_sets)
                .or(proof.map(|p| p.uv_sets))
                .unwrap_or(source.uv_sets),
            height_m: f64::from(high[1] - low[1]),
            gone: report.map(|r| r.gone.clone()).unwrap_or_default(),
            shading_off: proof.and_then(|p| p.maps).map(|m| [m.with(), m.without]),
            diagonal_m: (0..3)
                .map(|k| f64::from(high[k] - low[k]).powi(2))
                .sum::<f64>()
                .sqrt(),
            looks: proof.map(|p| p.looks.clone()).unwrap_or_default(),
        }
    }

    /// How alike it looks as large as tier `tier` of a brief is seen, where that was measured.
    pub fn look(&self, brief: &Brief, tier: &Tier) -> Option<Look> {
        let pixel_m = brief.pixel_m(brief.nearest_m(tier, self.height_m));
        look::at(&self.looks, self.diagonal_m / pixel_m).map(|s| s.look)
    }
}

/// One thing a brief asks for, and how it stands.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Requirement {
    /// How it stands.
    pub standing: Standing,
    /// In words: what was found, what is allowed.
    pub says: String,
    /// What to do when it is over; empty otherwise.
    pub remedy: String,
}

/// The verdict on a tier.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Judgement {
    /// The worst standing of all requirements.
    pub standing: Standing,
    /// What was looked at.
    pub requirements: Vec<Requirement>,
    /// The distance it was judged at, in metres.
    pub nearest_m: f64,
    /// Pixels the outline is off there.
    pub outline_px: Option<f64>,
}

impl Judgement {
    /// Judges tier `number` of a brief.
    pub fn of(brief: &Brief, number: usize, tier: &Tier, m: &Measured) -> Self {
        let nearest_m = brief.nearest_m(tier, m.height_m);
        let limit = tier.triangles as usize;
        let count = Verdict::of(m.triangles, limit);
        let mut requirements = vec![Requirement {
            standing: count.standing,
            says: format!("{} of {} triangles", grouped(m.triangles), grouped(limit)),
            remedy: match count.standing {
                Standing::Over => format!(
                    "LOD{number} is {} triangles over its limit of {}. Cut it to {}.",
                    grouped(m.triangles - limit),
                    grouped(limit),
                    grouped(limit)
                ),
                _ => String::new(),
            },
        }];
        let outline_px = m.outline_worst_m.map(|w| w / brief.pixel_m(nearest_m));
        if let Some(px) = outline_px {
            let allowed = tier.outline_px;
            let standing = match px {
                px if px > allowed => Standing::Over,
                px if px > allowed * 0.95 => Standing::Tight,
                _ => Standing::Pass,
            };
            requirements.push(Requirement {
                standing,
                says: format!(
                    "Outline {px:.1} px at {}, limit {allowed}",
                    distance(nearest_m)
                ),
                remedy: match standing {
                    Standing::Over => format!(
                        "From {} on it holds. Give the outline more attention, or LOD{number} more triangles.",
                        distance(nearest_m * px / allowed)
                    ),
                    _ => String::new(),
                },
            });
        }
        for (what, have, allowed, remedy) in [
            (
                "materials",
                m.materials,
                brief.materials,
                "Merge some on the Intake step.",
            ),
            (
                "UV sets",
                m.uv_sets,
                brief.uv_sets,
                "Leave the others out on the Intake step.",
            ),
        ] {
            if have > allowed as usize {
                requirements.push(Requirement {
                    standing: Standing::Over,
                    says: format!("{have} {what}, {allowed} allowed"),
                    remedy: remedy.to_owned(),
                });
            }
        }
        if let Some([with, without]) = m.shading_off {
            let percent = |v: f64| v * 100.0;
            requirements.push(Requirement {
                standing: Standing::Pass,
                says: format!(
                    "Shading {:.1} % off with maps, {:.1} % without",
                    percent(with),
                    percent(without)
                ),
                remedy: String::new(),
            });
        }
        if let Some(look) = m.look(brief, tier) {
            requirements.extend(brief.look.judge(number, &look));
        }
        if !m.gone.is_empty() {
            requirements.push(Requirement {
                standing: Standing::Over,
                says: format!("Gone: {}", listed(&m.gone)),
                remedy: format!("Give LOD{number} more triangles, or do not let parts vanish."),
            });
        }
        let over = |s: Standing| requirements.iter().any(|f| f.standing == s);
        Self {
            standing: match () {
                () if over(Standing::Over) => Standing::Over,
                () if over(Standing::Tight) => Standing::Tight,
                () => Standing::Pass,
            },
            requirements,
            nearest_m,
            outline_px,
        }
    }

    /// The whole in one line, without the tier's name: what was found, then whether it passes.
    pub fn sentence(&self) -> String {
        let found: Vec<&str> = self.requirements.iter().map(|f| f.says.as_str()).collect();
        let end = match self.standing {
            Standing::Pass => "Passes",
            Standing::Tight => "Passes, tight",
            Standing::Over => "Does not pass",
        };
        format!("{}. {end}.", found.join(". "))
    }
}

/// The first of some names, and how many more there are.
fn listed(names: &[String]) -> String {
    const SHOWN: usize = 6;
    let mut text = names[..names.len().min(SHOWN)].join(", ");
    if names.len() > SHOWN {
        text += &format!(" and {} more", names.len() - SHOWN);
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn brief() -> Brief {
        let mut brief = Brief::from_limits("t", &[6000, 3000]).unwrap();
        // 2 · 6 m · tan 45° / 1200 = 10 mm to the pixel.
        brief.vertical_fov_deg = 90.0;
        brief.screen_height_px = 1200;
        brief.tiers[1].nearest_m = 6.0;
        (brief.materials, brief.uv_sets) = (2, 1);
        brief
    }

    /// A tier with maps is judged with them, and what they give back is said.
    #[test]
    fn maps_are_part_of_a_verdict() {
        let brief = brief();
        let m = Measured {
            triangles: 2500,
            outline_worst_m: Some(0.014),
            materials: 1,
            uv_sets: 1,
            shading_off: Some([0.0214, 0.098]),
            ..Measured::default()
        };
        let j = Judgement::of(&brief, 1, &brief.tiers[1], &m);
        assert!(
            j.sentence()
                .contains("Shading 2.1 % off with maps, 9.8 % without"),
            "{}",
            j.sentence()
        );
        assert_eq!(j.standing, Standing::Pass);
    }

    #[rstest]
    #[case(
        2500,
        0.014,
        1,
        Standing::Pass,
        "2\u{a0}500 of 3\u{a0}000 triangles. Outline 1.4 px at 6.0 m, limit 2. Passes."
    )]
    #[case(
        2998,
        0.014,
        1,
        Standing::Tight,
        "2\u{a0}998 of 3\u{a0}000 triangles. Outline 1.4 px at 6.0 m, limit 2. Passes, tight."
    )]
    #[case(
        2500,
        0.024,
        1,
        Standing::Over,
        "2\u{a0}500 of 3\u{a0}000 triangles. Outline 2.4 px at 6.0 m, limit 2. Does not pass."
    )]
    #[case(
        2500,
        0.014,
        3,
        Standing::Over,
        "2\u{a0}500 of 3\u{a0}000 triangles. Outline 1.4 px at 6.0 m, limit 2. 3 materials, 2 allowed. Does not pass."
    )]
    fn a_verdict_adds_up_in_words(
        #[case] triangles: usize,
        #[case] outline: f64,
        #[case] materials: usize,
        #[case] standing: Standing,
        #[case] sentence: &str,
    ) {
        let brief = brief();
        let m = Measured {
            triangles,
            outline_worst_m: Some(outline),
            materials,
            uv_sets: 1,
            ..Measured::default()
        };
        let j = Judgement::of(&brief, 1, &brief.tiers[1], &m);
        assert_eq!(j.standing, standing);
        assert_eq!(j.sentence(), sentence);
        assert_eq!(
            j.requirements.iter().any(|f| !f.remedy.is_empty()),
            standing == Standing::Over
        );
    }
}
