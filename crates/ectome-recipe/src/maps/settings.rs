//! How maps are baked and written.

use ectome_bake::{Directions, Kind, Reach};
use serde::{Deserialize, Serialize};

use super::{matching::From, pack::Packed, painted::PaintedReach};

/// Width and height of a trial.
pub const TRIAL: u32 = 512;

/// How maps are baked and written.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct BakeSettings {
    /// The maps.
    pub kinds: Vec<Kind>,
    /// Width and height in texels.
    pub size: u32,
    /// Samples along each edge of a texel: 1 to 4.
    #[serde(default = "two")]
    pub samples: u32,
    /// Texels that islands grow by.
    #[serde(default = "sixteen")]
    pub padding: u32,
    /// How far rays look.
    #[serde(default = "automatic")]
    pub reach: Reach,
    /// Where the reach was painted; a later go counts before an earlier one.
    #[serde(default)]
    pub painted: Vec<PaintedReach>,
    /// Where they look along.
    #[serde(default)]
    pub directions: Directions,
    /// What is baked from what.
    #[serde(default)]
    pub from: From,
    /// Rays of each place for occlusion, bent normals and thickness.
    #[serde(default = "sixty_four")]
    pub rays: u32,
    /// A low mesh without normals gets some: hard along UV seams that bend by 45° or more, smooth elsewhere. Else its faces are
    /// flat, as glTF 2.0 takes them.
    #[serde(default = "yes")]
    pub set_normals: bool,
    /// Green of normals is up; else down.
    #[serde(default = "yes")]
    pub green_up: bool,
    /// 16 bits a channel; else 8.
    #[serde(default)]
    pub deep: bool,
    /// Sheets that the UVs lie on, side by side along U: each gets maps of its own.
    #[serde(default = "one")]
    pub sheets: u32,
    /// Pictures that hold several maps, a channel each.
    #[serde(default)]
    pub packed: Vec<Packed>,
}

fn one() -> u32 {
    1
}

fn two() -> u32 {
    2
}
fn sixteen() -> u32 {
    16
}
fn sixty_four() -> u32 {
    64
}
fn yes() -> bool {
    true
}
fn automatic() -> Reach {
    Reach::Automatic(1.0)
}

impl BakeSettings {
    /// Maps of a size, everything else as usual.
    pub fn of(kinds: Vec<Kind>, size: u32) -> Self {
        Self {
            kinds,
            size,
            samples: two(),
            padding: sixteen(),
            reach: automatic(),
            painted: Vec::new(),
            directions: Directions::default(),
            from: From::default(),
            rays: sixty_four(),
            set_normals: true,
            green_up: true,
            deep: false,
            sheets: 1,
            packed: Vec::new(),
        }
    }

    /// Everything that is baked: the maps that are asked for, and those that only pictures of several need.
    pub fn all_kinds(&self) -> Vec<Kind> {
        let mut kinds = self.kinds.clone();
        for kind in self.packed.iter().flat_map(Packed::kinds) {
            if !kinds.contains(&kind) {
                kinds.push(kind);
            }
        }
        kinds
    }

    /// A quick look: small, one sample a texel, a quarter of the rays.
    #[must_use]
    pub fn trial(&self) -> Self {
        Self {
            size: self.size.min(TRIAL),
            samples: 1,
            padding: (self.padding * TRIAL / self.size.max(1)).max(2),
            rays: (self.rays / 4).max(16),
            ..self.clone()
        }
    }
}
