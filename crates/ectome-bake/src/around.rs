//! What many rays from one place tell: how open it is, where to, and how thick the solid is beneath it.

use glam::Vec3;

use crate::{
    look::{Looker, Seen},
    target::{Target, Through},
};

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
pub struct Asked {
    /// Where the rays that look at the sky point, and those that look for thickness; either may be empty.
    sky: Vec<Aim>,
    through: Vec<Aim>,
    /// How far rays look, in metres.
    distance: f32,
    /// How far a ray is lifted off the surface it begins on, in metres.
    lift: f32,
}

/// A point of the Hammersley set: the first coordinate, and the cosine and sine of the second as an angle.
#[derive(Clone, Copy)]
struct Aim {
    first: f32,
    cos: f32,
    sin: f32,
}

/// Rays through the solid stay within this cone: tangent of 15°.
const CONE: f32 = 0.268;
/// Rays that look for thickness, as a share of all.
const THROUGH: u32 = 8;

impl Asked {
    /// So many rays to the sky, and a share of as many for thickness, where they are asked for.
    pub fn of(rays: u32, (sky, thickness): (bool, bool), distance: f32, lift: f32) -> Self {
        let rays = rays.max(1);
        let some = |n: u32, wanted: bool| (0..if wanted { n } else { 0 }).map(move |i| aim(i, n));
        Self {
            sky: some(rays, sky).collect(),
            through: some((rays / THROUGH).max(1), thickness).collect(),
            distance,
            lift,
        }
    }

    /// Looks around at a place. `seed` turns the directions, so that neighbours do not share their error; `clear` can say what is
    /// transparent, where anything is.
    pub fn around(
        &self,
        target: &Target,
        clear: Option<&Looker<'_>>,
        seen: &Seen,
        seed: u64,
    ) -> Around {
        let mut out = Around {
            bent: seen.normal,
            ..Around::default()
        };
        let turn = [hash(seed), hash(seed ^ 0x9E37_79B9_7F4A_7C15)];
        let around = (std::f32::consts::TAU * turn[1]).sin_cos();
        // A point of the set turned: its first coordinate, and the direction of the second.
        let turned = |aim: &Aim| {
            let first = aim.first + turn[0];
            let first = if first < 1.0 { first } else { first - 1.0 };
            let (sin, cos) = around;
            let direction = [aim.cos * cos - aim.sin * sin, aim.sin * cos + aim.cos * sin];
            (first, direction)
        };
        if !self.sky.is_empty() {
            let (t, b) = seen.normal.any_orthonormal_pair();
            let origin = seen.point + seen.straight * self.lift;
            let mut free = 0u32;
            let mut sum = Vec3::ZERO;
            for aim in &self.sky {
                let (u, [cos, sin]) = turned(aim);
                // By the cosine to the normal: a disc lifted onto the half ball (Malley's method).
                let r = u.sqrt();
                let up = (1.0 - u).max(0.0).sqrt();
                let direction = t * (r * cos) + b * (r * sin) + seen.normal * up;
                // Where shading is smoother than the surface, a few would look into it.
                if direction.dot(seen.straight) <= 0.0 {
                    continue;
                }
                let through = |face: u32, t: f32| {
                    clear.is_some_and(|l| l.lets_through(face, origin + direction * t, 0.0))
                };
                let through: Through<'_> = if clear.is_some() {
                    Some(&through)
                } else {
                    None
                };
                if target.is_free(origin, direction, self.distance, seen.face, through) {
                    free += 1;
                    sum += direction;
                }
            }
            out.open = free as f32 / self.sky.len() as f32;
            out.bent = sum.normalize_or(seen.normal);
        }
        if !self.through.is_empty() {
            let inward = -seen.straight;
            let (t, b) = inward.any_orthonormal_pair();
            let origin = seen.point + inward * self.lift;
            let (mut sum, mut met) = (0.0, 0u32);
            for aim in &self.through {
                let (u, [cos, sin]) = turned(aim);
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

/// Point `i` of `n` of the Hammersley set (J. M. Hammersley, 1960), which each place turns (R. Cranley, T. Patterson, *Randomization of
/// Number Theoretic Methods for Multiple Integration*, 1976).
fn aim(i: u32, n: u32) -> Aim {
    let second = i.reverse_bits() as f32 / 4_294_967_296.0;
    let (sin, cos) = (std::f32::consts::TAU * second).sin_cos();
    Aim {
        first: (i as f32 + 0.5) / n as f32,
        cos,
        sin,
    }
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
