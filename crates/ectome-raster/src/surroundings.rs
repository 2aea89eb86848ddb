//! Fixed neutral surroundings with soft light from all around, in which looks are compared.
//!
//! The surroundings are a sum of lobes, each round about an axis: light from the sky, light from the ground, three large soft lamps. What a
//! surface gathers of a lobe depends on one angle alone, so that it is worked out once, in tables: for diffuse light over the cosine, for
//! mirrored light over the distribution of Walter, Marschner, Li & Torrance (*Microfacet Models for Refraction through Rough Surfaces*, 2007,
//! "GGX"), weighted by the cosine and seen head on, which is one half of the split sum of B. Karis (course *Physically Based Shading in Theory and
//! Practice*, 2013). The other half is his polynomial of 2014; light that is reflected more than once is added after C. J.
//! Fdez-Agüera (*A Multiple-Scattering Microfacet Model for Real-Time Image Based Lighting*, 2019). The constants of both are from memory.

use std::{f32::consts::PI, sync::LazyLock};

use glam::{Vec2, Vec3};

/// Steps of roughness in the tables.
const ROUGH: usize = 16;
/// Steps of the angle to the axis in the tables.
const ANGLES: usize = 64;
/// Reflectance of what is no metal, seen head on (glTF 2.0, appendix B).
const DIELECTRIC: f32 = 0.04;

/// A lobe: its axis, of any length, and how bright it is by the cosine of the angle to it.
struct Lobe {
    axis: Vec3,
    radiance: fn(f32) -> f32,
}

impl Lobe {
    const fn of(x: f32, y: f32, z: f32, radiance: fn(f32) -> f32) -> Self {
        Self {
            axis: Vec3::new(x, y, z),
            radiance,
        }
    }
}

/// Sky and ground reach half around; lamps are as wide as a large window a few steps away.
const LOBES: [Lobe; 5] = [
    Lobe::of(0.0, 1.0, 0.0, |c| 0.52 * smooth(c)),
    Lobe::of(0.0, -1.0, 0.0, |c| 0.30 * smooth(c)),
    Lobe::of(-0.6, 0.55, 0.6, |c| 1.9 * (9.0 * (c - 1.0)).exp()),
    Lobe::of(0.8, 0.3, 0.35, |c| 0.9 * (9.0 * (c - 1.0)).exp()),
    Lobe::of(0.1, 0.35, -0.9, |c| 1.2 * (9.0 * (c - 1.0)).exp()),
];

/// 0 away from the axis, 1 along it, without an edge between.
fn smooth(c: f32) -> f32 {
    let t = (0.5 + 0.5 * c).clamp(0.0, 1.0);
    t * t * (3.0 - 2.0 * t)
}

/// How bright the surroundings are in a direction of length 1: for other renderers that are to draw in the same light.
pub fn light_from(direction: Vec3) -> f32 {
    let one = |lobe: &Lobe| (lobe.radiance)(direction.dot(lobe.axis.normalize()).clamp(-1.0, 1.0));
    LOBES.iter().map(one).sum()
}

/// A lobe as surfaces gather it.
struct Gathered {
    axis: Vec3,
    /// Diffuse light by the angle between normal and axis: irradiance over π.
    diffuse: [f32; ANGLES],
    /// Mirrored light by roughness and the angle between the mirrored direction of sight and the axis.
    mirrored: [[f32; ANGLES]; ROUGH],
}

static GATHERED: LazyLock<Vec<Gathered>> =
    LazyLock::new(|| LOBES.iter().map(Gathered::of).collect());

impl Gathered {
    fn of(lobe: &Lobe) -> Self {
        let angle = |k: usize| PI * k as f32 / (ANGLES - 1) as f32;
        let roughness = |k: usize| k as f32 / (ROUGH - 1) as f32;
        Self {
            axis: lobe.axis.normalize(),
            diffuse: std::array::from_fn(|k| {
                gathered(lobe.radiance, angle(k), &|u| {
                    // By the cosine: as many directions in each equal share of the disc below.
                    (1.0 - u).sqrt()
                })
            }),
            mirrored: std::array::from_fn(|r| {
                let a = (roughness(r) * roughness(r)).max(1e-4);
                std::array::from_fn(|k| mirrored(lobe.radiance, angle(k), a))
            }),
        }
    }
}

/// Rings of directions, and directions on each.
const RINGS: usize = 48;
const ON_RING: usize = 32;

/// The mean of a lobe over directions whose cosine to an axis is `cosine` of equal shares; that axis lies at an angle to the lobe's.
fn gathered(radiance: fn(f32) -> f32, angle: f32, cosine: &dyn Fn(f32) -> f32) -> f32 {
    let mut sum = 0.0;
    for i in 0..RINGS {
        let c = cosine((i as f32 + 0.5) / RINGS as f32);
        sum += ring(radiance, angle, c);
    }
    sum / RINGS as f32
}

/// The mean of a lobe over the directions at a cosine to an axis that lies at an angle to the lobe's.
fn ring(radiance: fn(f32) -> f32, angle: f32, c: f32) -> f32 {
    let s = (1.0 - c * c).max(0.0).sqrt();
    let mut sum = 0.0;
    for k in 0..ON_RING {
        let turn = 2.0 * PI * (k as f32 + 0.5) / ON_RING as f32;
        sum += radiance((angle.cos() * c + angle.sin() * s * turn.cos()).clamp(-1.0, 1.0));
    }
    sum / ON_RING as f32
}

/// The mean of a lobe over what a surface of that slope mirrors, seen head on, by the cosine of the light's angle to it. `a` is the square of
/// its roughness.
fn mirrored(radiance: fn(f32) -> f32, angle: f32, a: f32) -> f32 {
    let (mut sum, mut weight) = (0.0, 0.0);
    for i in 0..RINGS {
        let u = (i as f32 + 0.5) / RINGS as f32;
        let half2 = (1.0 - u) / (1.0 + (a * a - 1.0) * u);
        // Mirrored at a half vector whose cosine is h: the light's cosine is 2 h² - 1.
        let c = 2.0 * half2 - 1.0;
        if c > 0.0 {
            sum += c * ring(radiance, angle, c);
            weight += c;
        }
    }
    if weight > 0.0 { sum / weight } else { 0.0 }
}

/// A place in the tables by the cosine of an angle: the entry before it, and the share of the next.
fn place(cosine: f32) -> (usize, f32) {
    let at = arc_cosine(cosine.clamp(-1.0, 1.0)) / PI * (ANGLES - 1) as f32;
    let low = (at as usize).min(ANGLES - 2);
    (low, at - low as f32)
}

/// The angle of a cosine, to 7e-5: every pixel asks for ten (M. Abramowitz & I. A. Stegun, *Handbook of Mathematical Functions*, 1964, 4.4.45).
fn arc_cosine(c: f32) -> f32 {
    let x = c.abs();
    let angle =
        (1.0 - x).sqrt() * (1.570_728_8 + x * (-0.212_114_4 + x * (0.074_261 - x * 0.018_729_3)));
    if c < 0.0 { PI - angle } else { angle }
}

fn between(table: &[f32; ANGLES], (low, share): (usize, f32)) -> f32 {
    table[low] + (table[low + 1] - table[low]) * share
}

/// Diffuse light on a surface with that normal: irradiance over π.
pub(crate) fn diffuse(normal: Vec3) -> f32 {
    let one = |g: &Gathered| between(&g.diffuse, place(normal.dot(g.axis)));
    GATHERED.iter().map(one).sum()
}

/// Light from around a direction, as far around as the roughness mirrors.
pub(crate) fn mirrored_light(direction: Vec3, roughness: f32) -> f32 {
    let at = roughness.clamp(0.0, 1.0) * (ROUGH - 1) as f32;
    let low = (at as usize).min(ROUGH - 2);
    let share = at - low as f32;
    let one = |g: &Gathered| {
        let place = place(direction.dot(g.axis));
        let (a, b) = (
            between(&g.mirrored[low], place),
            between(&g.mirrored[low + 1], place),
        );
        a + (b - a) * share
    };
    GATHERED.iter().map(one).sum()
}

/// What a surface shows: all of its light, and what of that is mirrored.
pub(crate) struct Shown {
    pub all: Vec3,
    pub mirrored: Vec3,
}

/// The light of a surface of glTF 2.0's metal and roughness (appendix B), seen along `to_eye`. All directions are of length 1.
pub(crate) fn shade(
    base: Vec3,
    metalness: f32,
    roughness: f32,
    normal: Vec3,
    to_eye: Vec3,
) -> Shown {
    let metalness = metalness.clamp(0.0, 1.0);
    let facing = normal.dot(to_eye).clamp(0.0, 1.0);
    let head_on = Vec3::splat(DIELECTRIC).lerp(base, metalness);
    let diffuse_colour = base * (1.0 - metalness);
    let split = split_sum(roughness, facing);
    let once = head_on * split.x + split.y;
    let lost = 1.0 - (split.x + split.y);
    // The mean reflectance over all angles (Fdez-Agüera 2019).
    let mean = head_on + (Vec3::ONE - head_on) / 21.0;
    let again = once * mean / (Vec3::ONE - mean * lost) * lost;
    let around = Vec3::splat(diffuse(normal));
    let direction = normal * (2.0 * normal.dot(to_eye)) - to_eye;
    let mirrored = once * mirrored_light(direction, roughness) + again * around;
    let left = 1.0 - (once + again).max_element().clamp(0.0, 1.0);
    Shown {
        all: diffuse_colour * left * around + mirrored,
        mirrored,
    }
}

/// Scale and bias of the reflectance seen head on, for a roughness and the cosine of sight (Karis 2014).
fn split_sum(roughness: f32, facing: f32) -> Vec2 {
    let r = roughness.clamp(0.0, 1.0);
    let [x, y, z, w] = [
        1.0 - r,
        0.042_5 - 0.027_5 * r,
        1.04 - 0.572 * r,
        0.022 * r - 0.04,
    ];
    let a = (x * x).min((-9.28 * facing).exp2()) * x + y;
    Vec2::new(-1.04 * a + z, 1.04 * a + w).max(Vec2::ZERO)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Closed form: what a lobe of equal brightness all around gives is that brightness, diffuse and mirrored, at any angle.
    #[test]
    fn light_that_is_equal_all_around_stays_what_it_is() {
        for angle in [0.0, 0.7, 2.0] {
            assert!((gathered(|_| 0.8, angle, &|u| (1.0 - u).sqrt()) - 0.8).abs() < 1e-5);
            for a in [1e-4, 0.2, 1.0] {
                assert!((mirrored(|_| 0.8, angle, a) - 0.8).abs() < 1e-5);
            }
        }
    }

    /// Closed form: a brightness that is the cosine c to an axis gives 2/3 c to a diffuse surface (Ramamoorthi & Hanrahan 2001: the second
    /// harmonic is dimmed by 2/3), and c itself to a perfect mirror.
    #[test]
    fn a_cosine_is_dimmed_as_the_second_harmonic_is() {
        for angle in [0.0f32, 0.9, 1.8, PI] {
            let c = angle.cos();
            let diffuse = gathered(|c| c, angle, &|u| (1.0 - u).sqrt());
            assert!((diffuse - 2.0 / 3.0 * c).abs() < 1e-3, "{diffuse} for {c}");
            assert!((mirrored(|c| c, angle, 1e-4) - c).abs() < 1e-3);
        }
    }

    /// A white furnace: what mirrors all light, once or often, shows it all.
    #[test]
    fn no_light_is_made() {
        for roughness in [0.0, 0.3, 0.7, 1.0] {
            for facing in [0.05, 0.3, 0.7, 1.0] {
                let split = split_sum(roughness, facing);
                let sum = split.x + split.y;
                assert!(
                    (0.4..=1.02).contains(&sum),
                    "{sum} at {roughness}, {facing}"
                );
            }
        }
        for n in [Vec3::Y, Vec3::X, Vec3::NEG_Y, Vec3::ONE.normalize()] {
            let shown = shade(Vec3::ONE, 0.0, 1.0, n, n);
            assert!(shown.all.max_element() < 1.0, "{n} shows {}", shown.all);
            assert!(shown.all.min_element() > 0.2, "{n} shows {}", shown.all);
        }
    }
}
