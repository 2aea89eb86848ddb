//! How far a tier may look different from its source.

use ectome_compare::look::Look;
use serde::{Deserialize, Serialize};

use crate::{Standing, verdict::Requirement};

/// The limits of a brief for the look of its tiers: of pictures from 26 directions, at the size that a tier has on the brief's screen at its
/// nearest distance.
///
/// The defaults stand well above what sound tiers of the demo come to and well below what a fault does; figures in docs/performance.md, *The
/// proof of the look*.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct LookLimits {
    /// The mean difference of colour over what both cover (CIEDE2000).
    pub colour: f64,
    /// What one covers and the other does not, in percent of what the source covers.
    pub coverage_percent: f64,
    /// The mean difference of mirrored light over what both cover, in percent of white.
    pub shine_percent: f64,
}

impl Default for LookLimits {
    fn default() -> Self {
        Self {
            colour: 10.0,
            coverage_percent: 20.0,
            shine_percent: 10.0,
        }
    }
}

impl LookLimits {
    /// Whether these are the limits where nobody says.
    pub fn is_default(&self) -> bool {
        *self == Self::default()
    }

    /// What is wrong with them, if anything.
    pub fn fault(&self) -> Option<String> {
        let list = [
            ("colour", self.colour),
            ("coverage", self.coverage_percent),
            ("shine", self.shine_percent),
        ];
        let wrong = list.iter().find(|(_, v)| !(*v > 0.0 && v.is_finite()))?;
        Some(format!("needs a limit above 0 for {}", wrong.0))
    }

    /// Colour, coverage and shine of a tier, and how each stands.
    pub(crate) fn judge(&self, number: usize, look: &Look) -> Vec<Requirement> {
        let one = |have: f64, most: f64, says: String, remedy: String| {
            let is_over = have > most;
            Requirement {
                standing: if is_over {
                    Standing::Over
                } else {
                    Standing::Pass
                },
                says,
                remedy: if is_over { remedy } else { String::new() },
            }
        };
        let [gained, lost, shine] = [look.gained, look.lost, look.shine].map(|s| s * 100.0);
        let advice = if gained > lost {
            "Where leaves or panes turned solid, keep their materials apart."
        } else {
            "Give it more triangles, or a card or a hull in its place."
        };
        vec![
            one(
                look.colour_mean,
                self.colour,
                format!("Colour {:.1} off, limit {}", look.colour_mean, self.colour),
                format!(
                    "LOD{number} has other colours: its worst twentieth is {:.0} off. Look at it beside its source on the Proof step, and bake its base colour.",
                    look.colour_worst
                ),
            ),
            one(
                gained + lost,
                self.coverage_percent,
                format!(
                    "Coverage {:.1} % off, limit {} %",
                    gained + lost,
                    self.coverage_percent
                ),
                format!(
                    "LOD{number} covers {gained:.0} % more where its source is clear, and is clear over {lost:.0} % of what its source covers. {advice}"
                ),
            ),
            one(
                shine,
                self.shine_percent,
                format!("Shine {shine:.1} % off, limit {} %", self.shine_percent),
                format!(
                    "LOD{number} mirrors light otherwise than its source. Bake its roughness and metalness, or give it more triangles where it is polished."
                ),
            ),
        ]
    }
}
