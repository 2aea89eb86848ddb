//! What a cut should keep, and what it should look at most.

use serde::{Deserialize, Serialize};

/// Lines that must not move at all. Without a guard a line may still lose points, but only along
/// itself.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Keep {
    /// Open borders.
    pub borders: bool,
    /// UV seams.
    pub seams: bool,
    /// Edges whose faces meet at more than this angle, in degrees.
    pub creases: Option<f32>,
    /// Edges between materials.
    pub materials: bool,
    /// Edges between parts.
    pub parts: bool,
}

/// Shares of one whole: what the error is made of. They sum to one; see [`Attention::of`].
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Attention {
    /// Edges that are silhouettes from many directions.
    pub outline: f32,
    /// The surface.
    pub shape: f32,
    /// Slip of the texture.
    pub uvs: f32,
    /// Turn of the normals.
    pub shading: f32,
    /// Vertex colours.
    pub colour: f32,
    /// Open borders.
    pub borders: f32,
}

impl Default for Attention {
    /// The shares at which every weight is one.
    fn default() -> Self {
        Self {
            outline: 0.15,
            shape: 0.40,
            uvs: 0.20,
            shading: 0.10,
            colour: 0.05,
            borders: 0.10,
        }
    }
}

impl Attention {
    /// Shares from any amounts that are not negative, brought to a sum of one. `None` when they are
    /// negative, not finite or all zero.
    pub fn of(amounts: [f32; 6]) -> Option<Self> {
        let sum: f32 = amounts.iter().sum();
        if !sum.is_finite() || sum <= 0.0 || amounts.iter().any(|&a| a < 0.0) {
            return None;
        }
        let [outline, shape, uvs, shading, colour, borders] = amounts.map(|a| a / sum);
        Some(Self {
            outline,
            shape,
            uvs,
            shading,
            colour,
            borders,
        })
    }

    /// Weights relative to the default shares, so that a share moves the result alike on any mesh.
    pub(crate) fn weights(&self) -> Weights {
        let d = Self::default();
        // The surface itself always counts a little: no share may let it fall apart.
        Weights {
            shape: f64::from(self.shape / d.shape).max(0.05),
            outline: f64::from(self.outline / d.outline),
            uvs: f64::from(self.uvs / d.uvs),
            shading: f64::from(self.shading / d.shading),
            colour: f64::from(self.colour / d.colour),
            borders: f64::from(self.borders / d.borders).max(0.05),
        }
    }
}

impl Weights {
    /// How much the surface around a point weighs, for a point that is on the outline `presence` times as
    /// often as the mean. More than one only where the outline's share is above the default.
    pub fn of_outline(&self, presence: f32) -> f64 {
        1.0 + OUTLINE_GAIN * (self.outline - 1.0).max(0.0) * f64::from(presence).powf(OUTLINE_POWER)
    }
}

/// What each further unit of outline weight adds to the surface at a point of mean presence.
const OUTLINE_GAIN: f64 = 1.0;
/// Points that are outline from many directions count more than in proportion. Gain and power are the
/// best of nine pairs tried on a displaced sphere (docs/performance.md).
const OUTLINE_POWER: f64 = 1.5;

/// [`Attention`] as factors, one at the default shares.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Weights {
    pub shape: f64,
    pub outline: f64,
    pub uvs: f64,
    pub shading: f64,
    pub colour: f64,
    pub borders: f64,
}

/// How to analyse.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Options {
    /// Lines that must not move.
    pub keep: Keep,
    /// What the error is made of.
    pub attention: Attention,
    /// Only what costs nothing: points inside flat regions with an even texture, and on straight lines.
    /// Points that stay do not move at all.
    pub flat_only: bool,
    /// With [`flat_only`](Self::flat_only), what lies within so many metres of a plane or a straight line counts as on it. UVs still have
    /// to lie evenly.
    pub flat_within_m: f32,
    /// Parts and materials may go as a whole. Otherwise the largest piece of each stays, however little is left of it.
    pub let_parts_go: bool,
    /// How much each point is protected: 0 not at all, 1 never moves, in between costs more. One per
    /// point of the mesh, or empty.
    pub protect: Vec<f32>,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn shares_sum_to_one_whatever_is_asked() {
        let a = Attention::of([3.0, 1.0, 0.0, 0.0, 4.0, 2.0]).unwrap();
        let sum = a.outline + a.shape + a.uvs + a.shading + a.colour + a.borders;
        assert!((sum - 1.0).abs() < 1e-6);
        // Everything at its maximum is the same as everything equal.
        assert_eq!(Attention::of([9.0; 6]), Attention::of([1.0; 6]));
        assert_eq!(Attention::of([0.0; 6]), None);
        assert_eq!(Attention::of([1.0, -1.0, 1.0, 1.0, 1.0, 1.0]), None);
    }

    #[test]
    fn the_default_weighs_everything_once() {
        let w = Attention::default().weights();
        for x in [w.shape, w.outline, w.uvs, w.shading, w.colour, w.borders] {
            assert!((x - 1.0).abs() < 1e-6);
        }
    }
}
