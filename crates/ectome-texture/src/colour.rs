//! How different two colours look: CIEDE2000 (ISO/CIE 11664-6; G. Sharma, W. Wu, E. N. Dalal, *The CIEDE2000 Color-Difference Formula:
//! Implementation Notes, Supplementary Test Data, and Mathematical Observations*, 2005). A difference of 1 is just seen side by side.

use std::f64::consts::{PI, TAU};

use crate::srgb::to_linear;

/// A colour in CIELAB under D65: lightness 0 to 100, then green to red and blue to yellow.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Lab {
    /// Lightness.
    pub l: f64,
    /// Green to red.
    pub a: f64,
    /// Blue to yellow.
    pub b: f64,
}

/// Sine and cosine of 30, 6 and 63 degrees, by which the formula turns hues.
const ANGLES: [(f64, f64); 3] = [
    (0.5, 0.866_025_403_784_438_6),
    (0.104_528_463_267_653_47, 0.994_521_895_368_273_3),
    (0.891_006_524_188_367_9, 0.453_990_499_739_546_8),
];

/// White of sRGB (IEC 61966-2-1), which is D65, in CIE XYZ.
const WHITE: [f64; 3] = [0.950_47, 1.0, 1.088_83];

impl Lab {
    /// Of a colour in bytes of sRGB.
    pub fn of_srgb([r, g, b]: [u8; 3]) -> Self {
        Self::of_linear([r, g, b].map(|v| to_linear(f32::from(v) / 255.0)))
    }

    /// Of a colour in linear light, 0 to 1.
    pub fn of_linear(rgb: [f32; 3]) -> Self {
        let [r, g, b] = rgb.map(f64::from);
        let xyz = [
            0.412_456_4 * r + 0.357_576_1 * g + 0.180_437_5 * b,
            0.212_672_9 * r + 0.715_152_2 * g + 0.072_175 * b,
            0.019_333_9 * r + 0.119_192 * g + 0.950_304_1 * b,
        ];
        let f = |t: f64| {
            if t > (6.0f64 / 29.0).powi(3) {
                cube_root(t)
            } else {
                t * (29.0f64 / 6.0).powi(2) / 3.0 + 4.0 / 29.0
            }
        };
        let [x, y, z] = [0, 1, 2].map(|k| f(xyz[k] / WHITE[k]));
        Self {
            l: 116.0 * y - 16.0,
            a: 500.0 * (x - y),
            b: 200.0 * (y - z),
        }
    }

    /// How different another colour looks, with all parametric factors 1.
    pub fn difference(self, other: Self) -> f64 {
        let long = |a: f64, b: f64| (a * a + b * b).sqrt();
        let seventh = |c: f64| {
            let c7 = c * c * c * (c * c) * (c * c);
            (c7 / (c7 + 6_103_515_625.0)).sqrt()
        };
        let mean = (long(self.a, self.b) + long(other.a, other.b)) / 2.0;
        let grown = 1.0 + 0.5 * (1.0 - seventh(mean));
        let of = |c: Self| {
            let a = grown * c.a;
            let hue = c.b.atan2(a);
            (long(a, c.b), if hue < 0.0 { hue + TAU } else { hue })
        };
        let ((c1, h1), (c2, h2)) = (of(self), of(other));
        let grey = c1 * c2 == 0.0;
        let mut turn = if grey { 0.0 } else { h2 - h1 };
        if turn > PI {
            turn -= TAU;
        } else if turn < -PI {
            turn += TAU;
        }
        let lightness = other.l - self.l;
        let chroma = c2 - c1;
        let hue = 2.0 * (c1 * c2).sqrt() * (turn / 2.0).sin();
        let middle = (self.l + other.l) / 2.0;
        let c = (c1 + c2) / 2.0;
        let h = match (h1 - h2).abs() {
            _ if grey => h1 + h2,
            apart if apart <= PI => (h1 + h2) / 2.0,
            _ if h1 + h2 < TAU => (h1 + h2 + TAU) / 2.0,
            _ => (h1 + h2 - TAU) / 2.0,
        };
        // cos(k h - d) for k of 1 to 4, from one cosine and one sine: this is worked out for millions of pixels.
        let (s1, c1) = h.sin_cos();
        let (s2, c2) = (2.0 * s1 * c1, c1 * c1 - s1 * s1);
        let (s3, c3) = (s2 * c1 + c2 * s1, c2 * c1 - s2 * s1);
        let (s4, c4) = (2.0 * s2 * c2, c2 * c2 - s2 * s2);
        let [(s30, c30), (s6, c6), (s63, c63)] = ANGLES;
        let t = 1.0 - 0.17 * (c1 * c30 + s1 * s30) + 0.24 * c2 + 0.32 * (c3 * c6 - s3 * s6)
            - 0.2 * (c4 * c63 + s4 * s63);
        let swing = 30.0 * (-((h.to_degrees() - 275.0) / 25.0).powi(2)).exp();
        let rotation = -(2.0 * swing).to_radians().sin() * 2.0 * seventh(c);
        let off = (middle - 50.0).powi(2);
        let by_l = lightness / (1.0 + 0.015 * off / (20.0 + off).sqrt());
        let by_c = chroma / (1.0 + 0.045 * c);
        let by_h = hue / (1.0 + 0.015 * c * t);
        (by_l * by_l + by_c * by_c + by_h * by_h + rotation * by_c * by_h).sqrt()
    }
}

/// The cube root of a value of 0.008 to some units, to 1e-14: a first guess by a third of the exponent, then two steps of Halley's method, each
/// of which trebles the digits.
fn cube_root(v: f64) -> f64 {
    let mut root = f64::from_bits(v.to_bits() / 3 + 0x2A9F_7893_782D_A1CE);
    for _ in 0..2 {
        let cube = root * root * root;
        root *= (cube + 2.0 * v) / (2.0 * cube + v);
    }
    root
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    /// Pairs of the paper's table 1, from memory, and their differences.
    #[rstest]
    #[case([50.0, 2.6772, -79.7751], [50.0, 0.0, -82.7485], 2.0425)]
    #[case([50.0, 3.1571, -77.2803], [50.0, 0.0, -82.7485], 2.8615)]
    #[case([50.0, 0.0, 0.0], [50.0, -1.0, 2.0], 2.3669)]
    #[case([50.0, 2.49, -0.001], [50.0, -2.49, 0.0009], 7.1792)]
    #[case([50.0, 2.5, 0.0], [73.0, 25.0, -18.0], 27.1492)]
    #[case([60.2574, -34.0099, 36.2677], [60.4626, -34.1751, 39.4387], 1.2644)]
    #[case([22.7233, 20.0904, -46.694], [23.0331, 14.973, -42.5619], 2.0373)]
    #[case([90.8027, -2.0831, 1.441], [91.1528, -1.6435, 0.0447], 1.4441)]
    #[case([2.0776, 0.0795, -1.135], [0.9033, -0.0636, -0.5514], 0.9082)]
    fn differences_are_those_of_the_paper(
        #[case] one: [f64; 3],
        #[case] other: [f64; 3],
        #[case] want: f64,
    ) {
        let lab = |[l, a, b]: [f64; 3]| Lab { l, a, b };
        let (one, other) = (lab(one), lab(other));
        assert!((one.difference(other) - want).abs() < 5e-5);
        assert!((other.difference(one) - want).abs() < 5e-5);
    }

    #[test]
    fn white_is_white() {
        let white = Lab::of_srgb([255; 3]);
        assert!((white.l - 100.0).abs() < 1e-3 && white.a.abs() < 0.01 && white.b.abs() < 0.02);
        assert_eq!(white.difference(white), 0.0);
    }
}
