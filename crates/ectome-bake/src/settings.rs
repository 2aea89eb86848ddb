//! What is asked for.

use glam::Vec3;
use serde::{Deserialize, Serialize};

use crate::Kind;

/// How far rays look.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Reach {
    /// Found at each point from how far source and low mesh are apart there, times this.
    Automatic(f32),
    /// So many metres, outward and inward.
    Metres(f32),
}

/// A ball in which rays look further, or less far, than elsewhere.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ReachBall {
    /// Its middle, in metres.
    pub at: Vec3,
    /// Its radius, in metres.
    pub radius: f32,
    /// What the reach is multiplied by for places of the low mesh inside it.
    pub times: f32,
}

impl ReachBall {
    /// True for a place inside.
    pub(crate) fn holds(&self, place: Vec3) -> bool {
        place.distance_squared(self.at) <= self.radius * self.radius
    }

    /// False only where no place of a triangle is inside: where its bounds are further away.
    pub(crate) fn may_touch(&self, [a, b, c]: [Vec3; 3]) -> bool {
        let (low, high) = (a.min(b).min(c), a.max(b).max(c));
        self.holds(self.at.clamp(low, high))
    }
}

/// Where rays look along.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Directions {
    /// Normals averaged around each point: no gap at edges, and detail near them is bent.
    Averaged,
    /// Normals of the faces: detail stays straight, and there is a gap at hard edges.
    Faces,
    /// Of the faces inside, averaged towards their edges.
    #[default]
    Blended,
}

/// Which parts of the source a part of the low mesh is baked from.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum Matching {
    /// From everything: neighbours may bleed.
    #[default]
    All,
    /// Each part of the low mesh from those of the source with the same number here: `low` and `source` give one for each
    /// part, or [`Matching::ANY`]. A low part with that is baked from everything; a part of the source with that is for all.
    Groups {
        /// For each part of the low mesh.
        low: Vec<u32>,
        /// For each part of the source.
        source: Vec<u32>,
    },
}

impl Matching {
    /// Stands for every number.
    pub const ANY: u32 = u32::MAX;
}

/// What to bake and how.
#[derive(Clone, Debug, PartialEq)]
pub struct Settings {
    /// Width and height of the maps in texels.
    pub size: u32,
    /// Samples along each edge of a texel: 1 to 4, so 1 to 16 a texel.
    pub samples: u32,
    /// Texels that islands grow by.
    pub padding: u32,
    /// The maps.
    pub kinds: Vec<Kind>,
    /// How far rays look.
    pub reach: Reach,
    /// Where the reach was painted; where balls overlap, the last counts.
    pub painted: Vec<ReachBall>,
    /// Where they look along.
    pub directions: Directions,
    /// What is baked from what.
    pub matching: Matching,
    /// Rays of each place for occlusion, bent normals and thickness.
    pub rays: u32,
    /// How far those look, in metres; everywhere without it.
    pub distance: Option<f32>,
    /// The radius that curvature shows in full, in metres; a hundredth of the diagonal without it.
    pub curvature_radius: Option<f32>,
    /// The height that is shown in full, up and down, in metres; the largest there is without it.
    pub height: Option<f32>,
    /// 16 bits a channel; else 8.
    pub deep: bool,
    /// Green is up in tangent space (glTF 2.0); else down.
    pub green_up: bool,
    /// The runs of the low mesh that have an opacity of their own, by their numbers; none where it is empty. They are baked from what is
    /// transparent in the source, opacity and all, and everything else from the rest. Where no run has one, what is opaque of a
    /// transparent surface is baked like any other, and rays go on through what is not.
    pub keeps_opacity: Vec<bool>,
    /// The faces of the source that are met from both sides, by their numbers; none where it is empty. One that is met from behind counts as
    /// turned towards the ray.
    pub either_side: Vec<bool>,
    /// The square of the UVs that is baked, by its number along U: 0 is the one from 0 to 1.
    pub sheet: u32,
}

impl Default for Settings {
    fn default() -> Self {
        Self {
            size: 2048,
            samples: 2,
            padding: 16,
            kinds: vec![Kind::Normal],
            reach: Reach::Automatic(1.0),
            painted: Vec::new(),
            directions: Directions::default(),
            matching: Matching::All,
            rays: 64,
            distance: None,
            curvature_radius: None,
            height: None,
            deep: true,
            green_up: true,
            keeps_opacity: Vec::new(),
            either_side: Vec::new(),
            sheet: 0,
        }
    }
}
