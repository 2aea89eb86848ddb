//! Briefs: the limits and conventions of a target.

use serde::{Deserialize, Serialize};
use thiserror::Error;

/// One level of detail and what it must keep to.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Tier {
    /// Hard limit of triangles.
    pub triangles: u32,
    /// The closest distance at which the tier is seen, in metres.
    #[serde(default = "one")]
    pub nearest_m: f64,
    /// The largest difference of outline allowed there, in pixels.
    #[serde(default = "two")]
    pub outline_px: f64,
}

/// A target for which assets are cut.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Brief {
    /// Its name.
    pub name: String,
    /// Height of the screen, in pixels.
    #[serde(default = "default_height")]
    pub screen_height_px: u32,
    /// Vertical field of view, in degrees.
    #[serde(default = "default_fov")]
    pub vertical_fov_deg: f64,
    /// Edge of the textures, in texels.
    #[serde(default = "default_texture")]
    pub texture_px: u32,
    /// Texel density wanted.
    #[serde(default = "default_density")]
    pub texels_per_metre: f64,
    /// Most materials allowed.
    #[serde(default = "default_materials")]
    pub materials: u32,
    /// Maps wanted.
    #[serde(default)]
    pub maps: Vec<String>,
    /// Green channel of normal maps: up or down.
    #[serde(default = "default_green")]
    pub green: String,
    /// The tiers, nearest first.
    #[serde(rename = "tier")]
    pub tiers: Vec<Tier>,
}

fn one() -> f64 {
    1.0
}
fn two() -> f64 {
    2.0
}
fn default_height() -> u32 {
    1080
}
fn default_fov() -> f64 {
    60.0
}
fn default_texture() -> u32 {
    2048
}
fn default_density() -> f64 {
    512.0
}
fn default_materials() -> u32 {
    2
}
fn default_green() -> String {
    "up".to_owned()
}

/// What is wrong with a brief.
#[derive(Debug, Error)]
pub enum BriefError {
    /// The text is no brief.
    #[error("the brief cannot be read: {0}")]
    Syntax(String),
    /// A rule is broken.
    #[error("the brief {name} {fault}")]
    Rule {
        /// The brief.
        name: String,
        /// The rule, in words.
        fault: String,
    },
}

impl Brief {
    /// Reads a brief from TOML.
    ///
    /// # Errors
    /// [`BriefError`] with the line, or the rule that is broken.
    pub fn from_toml(text: &str) -> Result<Self, BriefError> {
        let brief: Self = toml::from_str(text).map_err(|e| BriefError::Syntax(e.to_string()))?;
        brief.check()?;
        Ok(brief)
    }

    /// A brief of limits only.
    ///
    /// # Errors
    /// [`BriefError::Rule`] when the limits do not fall.
    pub fn from_limits(name: &str, limits: &[u32]) -> Result<Self, BriefError> {
        let tiers: String = limits
            .iter()
            .map(|n| format!("[[tier]]\ntriangles = {n}\n"))
            .collect();
        let name = toml::Value::from(name);
        Self::from_toml(&format!("name = {name}\n{tiers}"))
    }

    fn check(&self) -> Result<(), BriefError> {
        let rule = |fault: String| {
            Err(BriefError::Rule {
                name: self.name.clone(),
                fault,
            })
        };
        if self.tiers.is_empty() {
            return rule("has no tier: give it one with a limit of triangles".to_owned());
        }
        for (i, tier) in self.tiers.iter().enumerate() {
            if tier.triangles < 4 {
                return rule(format!(
                    "allows LOD{i} {} triangles; no closed shape has fewer than 4",
                    tier.triangles
                ));
            }
            if i > 0 && tier.triangles >= self.tiers[i - 1].triangles {
                return rule(format!(
                    "allows LOD{i} {} triangles, no fewer than the tier before it",
                    tier.triangles
                ));
            }
        }
        if !(self.vertical_fov_deg > 0.0 && self.vertical_fov_deg < 180.0) {
            return rule("needs a vertical field of view between 0 and 180 degrees".to_owned());
        }
        if self.screen_height_px == 0 {
            return rule("needs a screen height above 0 pixels".to_owned());
        }
        Ok(())
    }

    /// Metres that one pixel covers at `distance_m`: 2 d tan(fov / 2) / screen height.
    pub fn pixel_m(&self, distance_m: f64) -> f64 {
        2.0 * distance_m * (self.vertical_fov_deg.to_radians() / 2.0).tan()
            / f64::from(self.screen_height_px)
    }

    /// The distance from which a deviation is at most one pixel.
    pub fn switch_distance_m(&self, deviation_m: f64) -> f64 {
        deviation_m / self.pixel_m(1.0)
    }

    /// Starting points from common practice (no published source), for teams to replace by their
    /// own.
    pub fn starting() -> Vec<Self> {
        let brief = |name: &str, height, fov, texture, tiers: &[(u32, f64)]| Self {
            name: name.to_owned(),
            screen_height_px: height,
            vertical_fov_deg: fov,
            texture_px: texture,
            texels_per_metre: default_density(),
            materials: default_materials(),
            maps: vec!["normal".into(), "occlusion".into(), "base_colour".into()],
            green: default_green(),
            tiers: tiers
                .iter()
                .map(|&(triangles, nearest_m)| Tier {
                    triangles,
                    nearest_m,
                    outline_px: 2.0,
                })
                .collect(),
        };
        vec![
            brief(
                "Phone, hero prop",
                1170,
                60.0,
                1024,
                &[(1500, 0.8), (750, 2.0), (375, 5.0)],
            ),
            brief(
                "Headset, hero prop",
                1832,
                96.0,
                2048,
                &[(8000, 0.5), (4000, 1.5), (2000, 4.0)],
            ),
            brief(
                "Headset, environment piece",
                1832,
                96.0,
                2048,
                &[(6000, 1.0), (3000, 3.0), (1500, 8.0)],
            ),
            brief(
                "Console, hero prop",
                2160,
                55.0,
                4096,
                &[(40_000, 0.7), (20_000, 2.0), (10_000, 6.0)],
            ),
        ]
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[test]
    fn a_pixel_at_a_distance_is_the_hand_computed_size() {
        let mut brief = Brief::from_limits("t", &[100]).unwrap();
        brief.vertical_fov_deg = 90.0;
        brief.screen_height_px = 1000;
        // 2 · 5 m · tan 45° / 1000 = 10 mm.
        assert!((brief.pixel_m(5.0) - 0.01).abs() < 1e-12);
        assert!((brief.switch_distance_m(0.01) - 5.0).abs() < 1e-9);
    }

    #[test]
    fn the_documented_toml_reads() {
        let text = "name = \"Headset, environment piece\"\nscreen_height_px = 1832\n\
            vertical_fov_deg = 96\ntexture_px = 2048\ntexels_per_metre = 512\nmaterials = 2\n\
            maps = [\"normal\", \"occlusion\", \"base_colour\"]\ngreen = \"up\"\n[[tier]]\n\
            triangles = 6000\nnearest_m = 1.0\noutline_px = 2.0\n";
        let brief = Brief::from_toml(text).unwrap();
        assert_eq!(brief.tiers[0].triangles, 6000);
    }

    #[rstest]
    #[case("name = \"x\"\ntier = []\n", "has no tier")]
    #[case(
        "name = \"x\"\n[[tier]]\ntriangles = 100\n[[tier]]\ntriangles = 100\n",
        "no fewer than"
    )]
    #[case("name = \"x\"\n[[tier]]\ntriangels = 100\n", "triangels")]
    #[case("name = \"x\"\n[[tier]]\ntriangles = 2\n", "fewer than 4")]
    fn a_broken_brief_says_which_rule(#[case] text: &str, #[case] fault: &str) {
        let error = Brief::from_toml(text).unwrap_err().to_string();
        assert!(error.contains(fault), "{error}");
    }

    #[test]
    fn starting_briefs_obey_the_rules() {
        for brief in Brief::starting() {
            brief.check().unwrap();
        }
    }
}
