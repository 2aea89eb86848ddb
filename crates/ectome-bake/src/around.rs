//! What many rays from one place tell: how open it is, where to, and how thick the solid is beneath it.

use glam::Vec3;

use crate::{look::Seen, target::Target};

/// What was found at a place.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Around {
    /// The share of the sky it sees, weighted by the cosine to its normal: ambient occlusion (1 is open).
    pub open: f32,
    /// The mean direction of that.
    pub bent: Vec3,
    /// How far it is straight through, in metres; 0 where there is no other side.
    pub thick: f32,
}

/// What is asked of places.
#[derive(Clone, Copy)]
pub struct Asked {
    pub rays: u32,
    /// How far rays look, in metres.
    pub distance: f32,
    /// How far a ray is lifted off the surface it begins on, in metres.
    pub lift: f32,
    pub sky: bool,
    pub thickness: bool,
}

/// Rays through the solid stay within this cone: tangent of 15°.
const CONE: f32 = 0.268;
/// Rays that look for thickness, as a share of all.
const THROUGH: u32 = 8;

impl Asked {
    /// Looks around at a place. `seed` turns the directions, so that neighbours do not share their error.
    pub fn around(&self, target: &Target, seen: &Seen, seed: u64) -> Around {
        let mut out = Around {
            bent: seen.normal,
            ..Around::default()
        };
        let turn = [hash(seed), hash(seed ^ 0x9E37_79B9_7F4A_7C15)];
        let (t, b) = seen.normal.any_orthonormal_pair();
        if self.sky {
            let origin = seen.point + seen.straight * self.lift;
            let mut free = 0u32;
            let mut sum = Vec3::ZERO;
            for i in 0..self.rays {
                let [u, v] = point(i, self.rays, turn);
                // By the cosine to the normal: a disc lifted onto the half ball (Malley's method).
                let (sin, cos) = (std::f32::consts::TAU * v).sin_cos();
                let r = u.sqrt();
                let up = (1.0 - u).max(0.0).sqrt();
                let direction = t * (r * cos) + b * (r * sin) + seen.normal * up;
                // Where shading is smoother than the surface, a few would look into it.
                if direction.dot(seen.straight) <= 0.0 {
                    continue;
                }
                if target.is_free(origin, direction, self.distance, seen.face) {
                    free += 1;
                    sum += direction;
                }
            }
            out.open = free as f32 / self.rays.max(1) as f32;
            out.bent = sum.normalize_or(seen.normal);
        }
        if self.thickness {
            let inward = -seen.straight;
            let (t, b) = inward.any_orthonormal_pair();
            let origin = seen.point + inward * self.lift;
            let count = (self.rays / THROUGH).max(1);
            let (mut sum, mut met) = (0.0, 0u32);
            for i in 0..count {
                let [u, v] = point(i, count, turn);
                let (sin, cos) = (std::f32::consts::TAU * v).sin_cos();
                let r = u.sqrt() * CONE;
                let along = (inward + t * (r * cos) + b * (r * sin)).normalize();
                if let Some(far) = target.first(origin, along, f32::MAX, seen.face, None) {
                    // As far as it is straight through.
                    sum += far * along.dot(inward) + self.lift;
                    met += 1;
                }
            }
            out.thick = if met > 0 { sum / met as f32 } else { 0.0 };
        }
        out
    }
}

/// Point `i` of `n` of the Hammersley set (J. M. Hammersley, 1960), turned (R. Cranley, T. Patterson, *Randomization of Number
/// Theoretic Methods for Multiple Integration*, 1976).
fn point(i: u32, n: u32, turn: [f32; 2]) -> [f32; 2] {
    let first = (i as f32 + 0.5) / n as f32;
    let second = i.reverse_bits() as f32 / 4_294_967_296.0;
    [(first + turn[0]).fract(), (second + turn[1]).fract()]
}

/// A number from 0 to 1 for each seed (*SplitMix64*; G. L. Steele, D. Lea, C. H. Flood, *Fast Splittable Pseudorandom Number
/// Generators*, 2014).
fn hash(seed: u64) -> f32 {
    let mut z = seed.wrapping_add(0x9E37_79B9_7F4A_7C15);
    z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
    z ^= z >> 31;
    (z >> 40) as f32 / 16_777_216.0
}
