//! Briefs: the limits and conventions of a target.

use serde::{Deserialize, Serialize};

use crate::{
    SheetsAs, far_end::MadeAs, look_limits::LookLimits, maps::Packed, parcel::delivery::Delivery,
};
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
    /// In place of a distance: the most of the screen's height that the asset fills, in percent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub screen_percent: Option<f64>,
    /// The largest difference of outline allowed there, in pixels.
    #[serde(default = "two")]
    pub outline_px: f64,
    /// How its triangles are made.
    #[serde(default, skip_serializing_if = "MadeAs::is_cut")]
    pub made: MadeAs,
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
    /// Most UV sets allowed.
    #[serde(default = "default_uv_sets")]
    pub uv_sets: u32,
    /// Maps wanted.
    #[serde(default)]
    pub maps: Vec<String>,
    /// Green channel of normal maps: up or down.
    #[serde(default = "default_green")]
    pub green: String,
    /// What stands between the asset's name and the tier's number in names of files and objects.
    #[serde(default = "default_suffix")]
    pub suffix: String,
    /// How several UV sheets are told apart in files.
    #[serde(default)]
    pub sheets: SheetsAs,
    /// Objects hang in the tree in which their source hung them, each below its node; otherwise they stand beside each other.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub hierarchy: bool,
    /// Formats of a parcel.
    #[serde(default = "default_formats")]
    pub formats: Vec<String>,
    /// How the files of a parcel are made.
    #[serde(default, skip_serializing_if = "Delivery::is_default")]
    pub delivery: Delivery,
    /// How far tiers may look different from their source.
    #[serde(default, skip_serializing_if = "LookLimits::is_default")]
    pub look: LookLimits,
    /// Pictures that hold several maps, a channel each.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub packed: Vec<Packed>,
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
fn default_uv_sets() -> u32 {
    1
}
fn default_suffix() -> String {
    "_LOD".to_owned()
}
fn default_formats() -> Vec<String> {
    vec!["glb".to_owned()]
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

/// The most tiers of a brief.
pub const MOST_TIERS: usize = 8;
/// Maps a brief can want.
pub const MAPS: [&str; 17] = [
    "base_colour",
    "normal",
    "normal_object",
    "occlusion",
    "source_occlusion",
    "bent_normal",
    "curvature",
    "height",
    "position",
    "thickness",
    "roughness",
    "metalness",
    "emissive",
    "opacity",
    "part_id",
    "material_id",
    "vertex_colour",
];
/// The largest edge of a texture, in texels.
const LARGEST_TEXTURE: u32 = 16_384;
/// Formats a brief can name.
pub const FORMATS: [&str; 5] = ["glb", "gltf", "obj", "ply", "stl"];

impl Tier {
    fn fault(&self, i: usize, before: Option<&Self>) -> Option<String> {
        if before.is_none() && !self.made.is_cut() {
            return Some(format!(
                "makes LOD{i} {}; what stands in comes behind a tier that is cut",
                self.made.says()
            ));
        }
        // A card that turns is two triangles.
        if self.triangles < 4 && !(self.made == MadeAs::Card && self.triangles >= 2) {
            return Some(format!(
                "allows LOD{i} {} triangles; no closed shape has fewer than 4",
                self.triangles
            ));
        }
        if before.is_some_and(|b| self.triangles >= b.triangles) {
            return Some(format!(
                "allows LOD{i} {} triangles, no fewer than the tier before it",
                self.triangles
            ));
        }
        if !(self.nearest_m > 0.0 && self.nearest_m.is_finite()) {
            return Some(format!("needs a distance above 0 m for LOD{i}"));
        }
        if self
            .screen_percent
            .is_some_and(|p| !(p > 0.0 && p <= 1000.0))
        {
            return Some(format!(
                "needs a share of the screen above 0 and up to 1000 percent for LOD{i}"
            ));
        }
        let both = before.filter(|b| b.screen_percent.is_none() && self.screen_percent.is_none());
        if both.is_some_and(|b| self.nearest_m < b.nearest_m) {
            return Some(format!("sees LOD{i} from nearer than the tier before it"));
        }
        if !(self.outline_px > 0.0 && self.outline_px.is_finite()) {
            return Some(format!("needs an outline limit above 0 pixels for LOD{i}"));
        }
        None
    }
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

    /// A brief of limits only, which asks for nothing else.
    ///
    /// # Errors
    /// [`BriefError::Rule`] when the limits do not fall.
    pub fn from_limits(name: &str, limits: &[u32]) -> Result<Self, BriefError> {
        let tiers: String = limits
            .iter()
            .map(|n| format!("[[tier]]\ntriangles = {n}\n"))
            .collect();
        let name = toml::Value::from(name);
        let brief = Self::from_toml(&format!("name = {name}\n{tiers}"))?;
        Ok(Self {
            materials: u32::MAX,
            uv_sets: u32::MAX,
            texture_px: LARGEST_TEXTURE,
            ..brief
        })
    }

    /// The brief as TOML.
    ///
    /// # Errors
    /// [`BriefError::Syntax`] when a text cannot be written down.
    pub fn to_toml(&self) -> Result<String, BriefError> {
        toml::to_string(self).map_err(|e| BriefError::Syntax(e.to_string()))
    }

    /// Checks that the brief means something.
    ///
    /// # Errors
    /// [`BriefError::Rule`] with the first rule that is broken.
    pub fn check(&self) -> Result<(), BriefError> {
        match self.fault() {
            None => Ok(()),
            Some(fault) => Err(BriefError::Rule {
                name: self.name.clone(),
                fault,
            }),
        }
    }

    fn fault(&self) -> Option<String> {
        let some = |text: &str| Some(text.to_owned());
        if self.name.trim().is_empty() || self.name.chars().count() > 160 {
            return some("needs a name of at most 160 letters");
        }
        if self.tiers.is_empty() {
            return some("has no tier: give it one with a limit of triangles");
        }
        if self.tiers.len() > MOST_TIERS {
            return Some(format!("has more than {MOST_TIERS} tiers"));
        }
        for (i, tier) in self.tiers.iter().enumerate() {
            if let Some(fault) = tier.fault(i, i.checked_sub(1).map(|k| &self.tiers[k])) {
                return Some(fault);
            }
        }
        if !(self.vertical_fov_deg > 0.0 && self.vertical_fov_deg < 180.0) {
            return some("needs a vertical field of view between 0 and 180 degrees");
        }
        if self.screen_height_px == 0 {
            return some("needs a screen height above 0 pixels");
        }
        if !(16..=LARGEST_TEXTURE).contains(&self.texture_px) {
            return some("needs a texture edge of 16 to 16384 texels");
        }
        if !(self.texels_per_metre > 0.0 && self.texels_per_metre.is_finite()) {
            return some("needs a texel density above 0 texels per metre");
        }
        if self.materials == 0 {
            return some("allows no material: allow at least 1");
        }
        if let Some(map) = self.maps.iter().find(|m| !MAPS.contains(&m.as_str())) {
            let known = MAPS.join(", ");
            return Some(format!(
                "wants a map \u{201c}{map}\u{201d}; there are {known}"
            ));
        }
        if let Some(fault) = self.packed.iter().find_map(Packed::fault) {
            return Some(fault);
        }
        if let Some((_, twice)) = (self.packed.iter().enumerate())
            .find(|(i, p)| self.packed[..*i].iter().any(|q| q.name == p.name))
        {
            return Some(format!("packs two pictures called {}", twice.name));
        }
        if !["up", "down"].contains(&self.green.as_str()) {
            return some("has green neither up nor down");
        }
        let clean = |c: char| c.is_alphanumeric() || "_-.".contains(c);
        if self.suffix.is_empty() || self.suffix.chars().any(|c| !clean(c)) {
            return some("needs letters, digits, _, - or . before the number of a tier");
        }
        if self.formats.is_empty() {
            return some("names no format");
        }
        if let Some(f) = self.formats.iter().find(|f| !FORMATS.contains(&f.as_str())) {
            return Some(format!(
                "names the format \u{201c}{f}\u{201d}; there are {}",
                FORMATS.join(", ")
            ));
        }
        if let Some(fault) = self.look.fault() {
            return Some(fault);
        }
        if let Some(fault) = self.delivery.fault() {
            return Some(fault);
        }
        None
    }

    /// The closest distance at which a tier of an asset of `height_m` is seen.
    pub fn nearest_m(&self, tier: &Tier, height_m: f64) -> f64 {
        match tier.screen_percent {
            Some(percent) if height_m > 0.0 => {
                let share = percent / 100.0;
                height_m / (2.0 * (self.vertical_fov_deg.to_radians() / 2.0).tan() * share)
            }
            _ => tier.nearest_m,
        }
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

    #[rstest]
    #[case("name = \"x\"\ntier = []\n", "has no tier")]
    #[case(
        "name = \"x\"\n[[tier]]\ntriangles = 100\n[[tier]]\ntriangles = 100\n",
        "no fewer than"
    )]
    #[case("name = \"x\"\n[[tier]]\ntriangels = 100\n", "triangels")]
    #[case("name = \"x\"\n[[tier]]\ntriangles = 2\n", "fewer than 4")]
    #[case("name = \"x\"\nmaps = [\"shine\"]\n[[tier]]\ntriangles = 9\n", "shine")]
    #[case("name = \"x\"\nformats = [\"doc\"]\n[[tier]]\ntriangles = 9\n", "doc")]
    #[case(
        "name = \"x\"\n[delivery]\nfile_names = \"{asset\"\n[[tier]]\ntriangles = 9\n",
        "a { has no }"
    )]
    #[case(
        "name = \"x\"\n[delivery]\nscale = 0.0\n[[tier]]\ntriangles = 9\n",
        "needs a scale"
    )]
    #[case(
        "name = \"x\"\n[delivery]\nunit = \"ell\"\n[[tier]]\ntriangles = 9\n",
        "counts in"
    )]
    #[case(
        "name = \"x\"\n[delivery]\nindex_bits = 8\n[[tier]]\ntriangles = 9\n",
        "16 or 32"
    )]
    #[case(
        "name = \"x\"\n[[tier]]\ntriangles = 9\n[look]\nshine_percent = 0.0\n",
        "above 0 for shine"
    )]
    #[case("name = \"x\"\nsuffix = \"/\"\n[[tier]]\ntriangles = 9\n", "letters")]
    #[case(
        "name = \"x\"\n[[tier]]\ntriangles = 9\nnearest_m = 3\n[[tier]]\ntriangles = 5\nnearest_m = 2\n",
        "from nearer"
    )]
    fn a_broken_brief_says_which_rule(#[case] text: &str, #[case] fault: &str) {
        let error = Brief::from_toml(text).unwrap_err().to_string();
        assert!(error.contains(fault), "{error}");
    }

    #[test]
    fn a_brief_survives_toml() {
        for brief in crate::starting_briefs::starting() {
            assert_eq!(Brief::from_toml(&brief.to_toml().unwrap()).unwrap(), brief);
        }
    }

    /// Hand-computed: with a field of view of 90°, 2 m fill half the screen from 2 m away.
    #[test]
    fn a_share_of_the_screen_is_a_distance() {
        let mut brief = Brief::from_limits("t", &[100]).unwrap();
        brief.vertical_fov_deg = 90.0;
        let mut tier = brief.tiers[0].clone();
        assert_eq!(brief.nearest_m(&tier, 2.0), 1.0);
        tier.screen_percent = Some(50.0);
        assert!((brief.nearest_m(&tier, 2.0) - 2.0).abs() < 1e-12);
    }
}
