//! Steps in order, and the address of what they make.

use serde::{Deserialize, Serialize};

/// Raised whenever the same recipe would make a different mesh than before.
pub const KERNEL_VERSION: u32 = 1;

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

/// One change to a mesh.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "step", rename_all = "snake_case")]
pub enum Step {
    /// Reads the source's files.
    Import,
    /// Splits larger faces into triangles.
    Triangulate,
    /// Collapses edges down to a target.
    Cut {
        /// How far.
        target: Target,
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
    pub fn cut(source: impl Into<String>, target: Target) -> Self {
        let mut recipe = Self::intake(source);
        recipe.steps.push(Step::Cut { target });
        recipe
    }

    /// The address of the candidate this recipe makes: a hash of source, steps and kernel version.
    pub fn key(&self) -> String {
        let text = serde_json::json!([KERNEL_VERSION, self.source, self.steps]).to_string();
        blake3::hash(text.as_bytes()).to_hex()[..32].to_owned()
    }

    /// The target of the last cut, if there is one.
    pub fn target(&self) -> Option<Target> {
        self.steps.iter().rev().find_map(|step| match step {
            Step::Cut { target } => Some(*target),
            _ => None,
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_recipe_survives_json_and_keeps_its_address() {
        let recipe = Recipe::cut("abc", Target::SharePercent(2.5));
        let json = serde_json::to_string(&recipe).unwrap();
        let back: Recipe = serde_json::from_str(&json).unwrap();
        assert_eq!(back, recipe);
        assert_eq!(back.key(), recipe.key());
        assert_eq!(recipe.key().len(), 32);
    }

    #[test]
    fn a_share_never_rounds_above_itself() {
        assert_eq!(Target::SharePercent(1.0).triangles(1_234), 12);
        assert_eq!(Target::Triangles(700).triangles(5), 700);
    }
}
