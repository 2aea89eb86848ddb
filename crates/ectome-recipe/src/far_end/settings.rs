//! What is asked for at the far end, and what a tier of a brief asks for.

use ectome_proxy::Hull;
use serde::{Deserialize, Serialize};

use crate::{Brief, Change, Recipe, Tier};

/// How the triangles of a tier are made.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum MadeAs {
    /// Cut from the source.
    #[default]
    Cut,
    /// One convex hull.
    Hull,
    /// Cards that cross, with pictures of the source.
    Cards,
    /// One card that the engine turns towards the eye.
    Card,
}

impl MadeAs {
    /// All of them.
    pub const ALL: [Self; 4] = [Self::Cut, Self::Hull, Self::Cards, Self::Card];

    /// The word in briefs and forms.
    pub fn word(self) -> &'static str {
        match self {
            Self::Cut => "cut",
            Self::Hull => "hull",
            Self::Cards => "cards",
            Self::Card => "card",
        }
    }

    /// As a page says it.
    pub fn says(self) -> &'static str {
        match self {
            Self::Cut => "a cut",
            Self::Hull => "a convex hull",
            Self::Cards => "crossed cards",
            Self::Card => "a card that turns",
        }
    }

    /// What a word stands for.
    pub fn of(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|m| m.word() == word)
    }

    /// True for a cut, so that a brief need not write it down.
    pub fn is_cut(&self) -> bool {
        *self == Self::Cut
    }
}

/// Which convex hulls stand in.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct HullSettings {
    /// The most hulls: one lies over everything, several follow the shape.
    pub hulls: u32,
    /// The most triangles of each, 4 at the least.
    pub triangles_each: u32,
}

impl Default for HullSettings {
    fn default() -> Self {
        Self {
            hulls: 1,
            triangles_each: 60,
        }
    }
}

/// The most hulls that are made of a shape.
const MOST_HULLS: u32 = 64;
/// The most triangles of a hull: engines take 255 planes or fewer (*common practice, no published source*), a tier may have more.
const MOST_TRIANGLES: u32 = 10_000;

impl HullSettings {
    /// Why they mean nothing, in words.
    pub fn fault(&self) -> Option<String> {
        if !(1..=MOST_HULLS).contains(&self.hulls) {
            return Some(format!("takes 1 to {MOST_HULLS} hulls"));
        }
        if !(4..=MOST_TRIANGLES).contains(&self.triangles_each) {
            return Some(format!("takes 4 to {MOST_TRIANGLES} triangles for a hull"));
        }
        None
    }

    /// The most points of each.
    pub(super) fn points_each(&self) -> usize {
        Hull::points_within(self.triangles_each as usize)
    }
}

/// Which cards stand in.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct CardSettings {
    /// Upright planes that cross at equal angles, 1 to 4. One alone looks along Z, and is turned towards the eye by the engine.
    pub planes: u32,
    /// The back of each is a card of its own with a picture from behind; else both sides show one picture.
    pub own_back: bool,
    /// Width and height of the pictures' sheet, in texels.
    pub size: u32,
}

impl Default for CardSettings {
    fn default() -> Self {
        Self {
            planes: 2,
            own_back: true,
            size: 512,
        }
    }
}

/// The least and the largest sheet of cards.
const SHEETS: [u32; 2] = [32, 2048];

impl CardSettings {
    /// Why they mean nothing, in words.
    pub fn fault(&self) -> Option<String> {
        if !(1..=4).contains(&self.planes) {
            return Some("takes 1 to 4 planes of cards".to_owned());
        }
        if !(SHEETS[0]..=SHEETS[1]).contains(&self.size) {
            let [least, most] = SHEETS;
            return Some(format!("takes pictures of {least} to {most} texels"));
        }
        None
    }

    /// Triangles that they have.
    pub fn triangles(&self) -> u32 {
        2 * self.planes * if self.own_back { 2 } else { 1 }
    }

    /// What a tier asks for: as many sides as its limit holds, and a sheet on which a texel is no larger than a pixel where the tier is
    /// seen from nearest.
    pub fn for_tier(brief: &Brief, tier: &Tier, height_m: f64) -> Self {
        let (planes, own_back) = match (tier.made, tier.triangles) {
            (MadeAs::Card, _) => (1, false),
            (_, 0..8) => (2, false),
            _ => (2, true),
        };
        let pictures = f64::from(planes) * if own_back { 2.0 } else { 1.0 };
        let pixels = height_m / brief.pixel_m(brief.nearest_m(tier, height_m));
        // Side by side in a square.
        let side = pixels.max(1.0) * pictures.sqrt().ceil();
        let wanted = 2f64.powf(side.log2().ceil());
        let most = f64::from(brief.texture_px.clamp(SHEETS[0], SHEETS[1]));
        Self {
            planes,
            own_back,
            size: wanted.clamp(f64::from(SHEETS[0]), most) as u32,
        }
    }
}

/// What stands in for a source.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum StandIn {
    /// Convex hulls.
    Hull(HullSettings),
    /// Cards.
    Cards(CardSettings),
}

impl StandIn {
    /// What a tier of a brief asks for, for an asset of this height; `None` where it is cut.
    pub fn for_tier(brief: &Brief, tier: &Tier, height_m: f64) -> Option<Self> {
        match tier.made {
            MadeAs::Cut => None,
            MadeAs::Hull => Some(Self::Hull(HullSettings {
                hulls: 1,
                triangles_each: tier.triangles.clamp(4, MOST_TRIANGLES),
            })),
            MadeAs::Cards | MadeAs::Card => {
                Some(Self::Cards(CardSettings::for_tier(brief, tier, height_m)))
            }
        }
    }

    /// The recipe that makes it of a prepared source.
    pub fn recipe(&self, source: impl Into<String>, changes: &[Change]) -> Recipe {
        match self {
            Self::Hull(hull) => Recipe::hulls(source, changes, hull.clone()),
            Self::Cards(cards) => Recipe::cards(source, changes, cards.clone()),
        }
    }

    /// The most triangles that it has.
    pub fn triangles(&self) -> u32 {
        match self {
            Self::Hull(hull) => hull.hulls.saturating_mul(hull.triangles_each),
            Self::Cards(cards) => cards.triangles(),
        }
    }

    /// In a few words.
    pub fn says(&self) -> &'static str {
        match self {
            Self::Hull(HullSettings { hulls: 1, .. }) => "a convex hull",
            Self::Hull(_) => "convex hulls",
            Self::Cards(CardSettings { planes: 1, .. }) => "a card",
            Self::Cards(_) => "crossed cards",
        }
    }

    /// Why it means nothing, in words.
    pub fn fault(&self) -> Option<String> {
        match self {
            Self::Hull(hull) => hull.fault(),
            Self::Cards(cards) => cards.fault(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Hand-computed: 2 m high, 10 mm to a pixel at 6 m are 200 pixels; four pictures of them fill 400 texels: 512.
    #[test]
    fn a_texel_is_no_larger_than_a_pixel() {
        let mut brief = Brief::from_limits("t", &[100, 8]).unwrap();
        brief.vertical_fov_deg = 90.0;
        brief.screen_height_px = 1200;
        brief.tiers[1].nearest_m = 6.0;
        brief.tiers[1].made = MadeAs::Cards;
        let tier = &brief.tiers[1];
        let settings = CardSettings::for_tier(&brief, tier, 2.0);
        assert_eq!(
            (settings.planes, settings.own_back, settings.size),
            (2, true, 512)
        );
        assert_eq!(settings.triangles(), 8);
        let few = Tier {
            triangles: 4,
            ..tier.clone()
        };
        let settings = CardSettings::for_tier(&brief, &few, 2.0);
        assert_eq!((settings.triangles(), settings.own_back), (4, false));
        let turned = Tier {
            made: MadeAs::Card,
            ..tier.clone()
        };
        let settings = CardSettings::for_tier(&brief, &turned, 2.0);
        assert_eq!((settings.triangles(), settings.size), (2, 256));
        brief.texture_px = 128;
        assert_eq!(CardSettings::for_tier(&brief, &turned, 2.0).size, 128);
    }
}
