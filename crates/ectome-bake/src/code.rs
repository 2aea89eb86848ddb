//! Values as files hold them: sRGB for colours, linear for all else, in 8 or 16 bits.
//!
//! Values are coded before islands are grown, so that a texel that is not baked again is, bit for bit, what it would be if it were.

use ectome_texture::srgb;

use crate::{Kind, Settings};

/// What stands for 1.
const FULL: f32 = 65_535.0;
/// A step of 8 bits, in 16.
const STEP: u16 = 257;

/// A map while it is made: values as files hold them, or lengths in metres until it is known what the largest is.
pub enum Canvas {
    Coded(Vec<u16>),
    Lengths(Vec<f32>),
}

impl Canvas {
    pub fn of(kind: Kind, texels: usize) -> Self {
        if kind.has_range() {
            Self::Lengths(vec![0.0; texels])
        } else {
            Self::Coded(vec![0; texels * kind.channels()])
        }
    }

    /// The map as its file holds it, and what its ends stand for.
    pub fn finished(
        self,
        kind: Kind,
        covered: &[bool],
        settings: &Settings,
    ) -> (Vec<u16>, Option<[f32; 2]>) {
        let lengths = match self {
            Self::Coded(texels) => return (texels, None),
            Self::Lengths(lengths) => lengths,
        };
        let largest = || {
            let found = lengths.iter().zip(covered).filter(|(_, c)| **c);
            found.map(|(v, _)| v.abs()).fold(0.0, f32::max)
        };
        let [from, to] = match kind {
            Kind::Height => {
                let most = settings.height.unwrap_or_else(largest).max(1e-9);
                [-most, most]
            }
            _ => [0.0, largest().max(1e-9)],
        };
        let share = |v: f32| (v - from) / (to - from);
        let code = |(i, &v): (usize, &f32)| coded(kind, share(v), i, settings.deep);
        let texels = lengths.iter().enumerate().map(code).collect();
        (texels, Some([from, to]))
    }
}

/// A value from 0 to 1 as a file holds it, spread over 16 bits. Directions in 8 bits are dithered by their place, so that smooth
/// slopes show no steps.
pub fn coded(kind: Kind, value: f32, place: usize, deep: bool) -> u16 {
    let v = if kind.is_srgb() {
        srgb::to_coded(value.clamp(0.0, 1.0))
    } else {
        value.clamp(0.0, 1.0)
    };
    if deep {
        return (v * FULL + 0.5) as u16;
    }
    let noise = if kind.is_direction() {
        noise(place as u32)
    } else {
        0.5
    };
    (v * 255.0 + noise).clamp(0.0, 255.0) as u16 * STEP
}

/// Takes mixed values to the nearest that 8 bits hold.
pub fn rounded(texels: &mut [u16]) {
    let half = STEP / 2;
    for v in texels {
        *v = v.saturating_add(half) / STEP * STEP;
    }
}

/// A number from 0 to 1 around one half for each place, the same on every run: what is added before rounding.
fn noise(i: u32) -> f32 {
    let mut x = i.wrapping_mul(0x9E37_79B9) ^ 0x85EB_CA6B;
    x = (x ^ (x >> 15)).wrapping_mul(0x2C1B_3C6D);
    x = (x ^ (x >> 12)).wrapping_mul(0x297A_2D39);
    x ^= x >> 15;
    // Not the whole step, so that what is exact stays so.
    0.5 + (x as f32 / u32::MAX as f32 - 0.5) * 0.9
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn eight_bits_are_steps_of_sixteen_and_what_is_exact_stays_so() {
        for place in 0..2000 {
            assert_eq!(coded(Kind::Normal, 128.0 / 255.0, place, false), 128 * STEP);
            assert_eq!(coded(Kind::Normal, 1.0, place, false), u16::MAX);
            assert!(coded(Kind::Normal, 0.5, place, false).is_multiple_of(STEP));
        }
        assert_eq!(coded(Kind::Roughness, 0.5, 0, true), 32_768);
        let mut mixed = [0, 128, 129, 257, 385, 386, 65_534];
        rounded(&mut mixed);
        assert_eq!(mixed, [0, 0, 257, 257, 257, 514, 65_535]);
    }

    /// The mean of many dithered texels is the value that no single one can hold.
    #[test]
    fn dithering_keeps_the_mean() {
        let value = 100.3 / 255.0;
        let sum: f64 = (0..10_000)
            .map(|i| f64::from(coded(Kind::Normal, value, i, false) / STEP))
            .sum();
        assert!((sum / 1e4 - 100.3).abs() < 0.05, "{}", sum / 1e4);
    }
}
