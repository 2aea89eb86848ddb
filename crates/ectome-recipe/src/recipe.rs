//! Steps in order, and the address of what they make.

use ectome_mesh::Mesh;
use ectome_reduce::{Attention, Keep, Options, loops::Which};
use glam::Vec3;
use serde::{Deserialize, Serialize};

/// Raised whenever the same recipe would make a different mesh than before.
pub const KERNEL_VERSION: u32 = 3;

/// How far a cut goes.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Target {
    /// At most so many triangles.
    Triangles(u32),
    /// At most this share of the source, in percent.
    SharePercent(f64),
}

impl Target {
    /// The target in triangles for a source of `triangles`.
    pub fn triangles(self, source: usize) -> usize {
        match self {
            Self::Triangles(n) => n as usize,
            Self::SharePercent(share) => (source as f64 * share / 100.0).floor() as usize,
        }
    }
}

/// A ball in space, in metres.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Ball {
    /// Its middle.
    pub at: [f32; 3],
    /// Its radius.
    pub radius: f32,
}

/// A region of the surface, painted or picked as balls.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Region {
    /// What is inside any of them is protected.
    pub balls: Vec<Ball>,
    /// Everything else is protected instead.
    pub inverse: bool,
    /// How much: 1 never moves, less costs more.
    pub weight: f32,
}

impl Default for Region {
    fn default() -> Self {
        Self {
            balls: Vec::new(),
            inverse: false,
            weight: 1.0,
        }
    }
}

impl Region {
    /// The protection of each point; empty when there is no region.
    pub fn weights(&self, points: &[Vec3]) -> Vec<f32> {
        if self.balls.is_empty() {
            return Vec::new();
        }
        let inside = |p: Vec3| {
            self.balls
                .iter()
                .any(|b| p.distance(b.at.into()) <= b.radius)
        };
        points
            .iter()
            .map(|&p| match inside(p) != self.inverse {
                true => self.weight.clamp(0.0, 1.0),
                false => 0.0,
            })
            .collect()
    }
}

/// What a cut keeps and looks at most.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct CutSettings {
    /// Lines that must not move.
    pub keep: Keep,
    /// Shares of the error.
    pub attention: Attention,
    /// A protected region.
    pub region: Region,
}

impl CutSettings {
    /// As the kernel takes them.
    pub fn options(&self, mesh: &Mesh) -> Options {
        Options {
            keep: self.keep,
            attention: self.attention,
            protect: self.region.weights(&mesh.points),
            flat_only: false,
        }
    }
}

/// One change to a mesh.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "step", rename_all = "snake_case")]
pub enum Step {
    /// Reads the source's files.
    Import,
    /// Splits larger faces into triangles.
    Triangulate,
    /// Takes flat regions and straight lines to the corners they need; nothing else changes.
    MergeFlat {
        /// What it keeps; attention does not matter.
        #[serde(default)]
        settings: CutSettings,
    },
    /// Takes edge loops out; every point that stays keeps its place and its UV.
    TakeOutLoops {
        /// Which.
        which: Which,
        /// What it keeps; attention does not matter.
        #[serde(default)]
        settings: CutSettings,
    },
    /// Collapses edges down to a target.
    Cut {
        /// How far.
        target: Target,
        /// What it keeps and looks at most.
        #[serde(default)]
        settings: CutSettings,
    },
}

/// Steps on a source.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Recipe {
    /// The content hash of the source's files.
    pub source: String,
    /// The steps, first to last.
    pub steps: Vec<Step>,
}

impl Recipe {
    /// The source as it came in, in triangles.
    pub fn intake(source: impl Into<String>) -> Self {
        Self {
            source: source.into(),
            steps: vec![Step::Import, Step::Triangulate],
        }
    }

    /// The source cut to a target.
    pub fn cut(source: impl Into<String>, target: Target, settings: CutSettings) -> Self {
        let mut recipe = Self::intake(source);
        recipe.steps.push(Step::Cut { target, settings });
        recipe
    }

    /// The source with its flat regions merged.
    pub fn merge_flat(source: impl Into<String>, settings: CutSettings) -> Self {
        let mut recipe = Self::intake(source);
        recipe.steps.push(Step::MergeFlat { settings });
        recipe
    }

    /// The source with edge loops taken out, quads as they came.
    pub fn take_out_loops(source: impl Into<String>, which: Which, settings: CutSettings) -> Self {
        Self {
            source: source.into(),
            steps: vec![Step::Import, Step::TakeOutLoops { which, settings }],
        }
    }

    /// The address of the analysis that the last cut of this recipe replays: every target of one
    /// source with the same settings shares it.
    pub fn analysis_key(&self) -> Option<String> {
        let at = self
            .steps
            .iter()
            .rposition(|s| matches!(s, Step::Cut { .. }))?;
        let Step::Cut { settings, .. } = &self.steps[at] else {
            return None;
        };
        let before = &self.steps[..at];
        let text = serde_json::json!([KERNEL_VERSION, self.source, before, "analysis", settings])
            .to_string();
        Some(blake3::hash(text.as_bytes()).to_hex()[..32].to_owned())
    }

    /// The address of the candidate this recipe makes: a hash of source, steps and kernel version.
    pub fn key(&self) -> String {
        let text = serde_json::json!([KERNEL_VERSION, self.source, self.steps]).to_string();
        blake3::hash(text.as_bytes()).to_hex()[..32].to_owned()
    }

    /// The target of the last cut, if there is one.
    pub fn target(&self) -> Option<Target> {
        self.steps.iter().rev().find_map(|step| match step {
            Step::Cut { target, .. } => Some(*target),
            _ => None,
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_recipe_survives_json_and_keeps_its_address() {
        let recipe = Recipe::cut("abc", Target::SharePercent(2.5), CutSettings::default());
        let json = serde_json::to_string(&recipe).unwrap();
        let back: Recipe = serde_json::from_str(&json).unwrap();
        assert_eq!(back, recipe);
        assert_eq!(back.key(), recipe.key());
        assert_eq!(recipe.key().len(), 32);
    }

    #[test]
    fn targets_share_an_analysis_and_settings_do_not() {
        let of = |n, settings| Recipe::cut("abc", Target::Triangles(n), settings);
        let plain = of(10, CutSettings::default());
        let other = of(20, CutSettings::default());
        assert_ne!(plain.key(), other.key());
        assert_eq!(plain.analysis_key(), other.analysis_key());
        let mut kept = CutSettings::default();
        kept.keep.seams = true;
        assert_ne!(plain.analysis_key(), of(10, kept).analysis_key());
        assert_eq!(Recipe::intake("abc").analysis_key(), None);
    }

    #[test]
    fn a_region_and_its_inverse_protect_everything_once() {
        let points = [Vec3::ZERO, Vec3::X, Vec3::new(0.0, 3.0, 0.0)];
        let mut region = Region {
            balls: vec![Ball {
                at: [0.0; 3],
                radius: 1.5,
            }],
            ..Region::default()
        };
        let inside = region.weights(&points);
        region.inverse = true;
        let outside = region.weights(&points);
        assert_eq!(inside, [1.0, 1.0, 0.0]);
        assert!(inside.iter().zip(&outside).all(|(a, b)| a + b == 1.0));
    }

    #[test]
    fn a_share_never_rounds_above_itself() {
        assert_eq!(Target::SharePercent(1.0).triangles(1_234), 12);
        assert_eq!(Target::Triangles(700).triangles(5), 700);
    }
}
