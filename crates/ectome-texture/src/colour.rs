//! How different two colours look: CIEDE2000 (ISO/CIE 11664-6; G. Sharma, W. Wu, E. N. Dalal, *The CIEDE2000 Color-Difference Formula:
//! Implementation Notes, Supplementary Test Data, and Mathematical Observations*, 2005). A difference of 1 is just seen side by side.

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
                t.cbrt()
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
        let chroma = |c: Self| c.a.hypot(c.b);
        let seventh = |c: f64| (c.powi(7) / (c.powi(7) + 25f64.powi(7))).sqrt();
        let mean = (chroma(self) + chroma(other)) / 2.0;
        let grown = 1.0 + 0.5 * (1.0 - seventh(mean));
        let of = |c: Self| {
            let a = grown * c.a;
            let hue = c.b.atan2(a).to_degrees().rem_euclid(360.0);
            (a.hypot(c.b), hue)
        };
        let ((c1, h1), (c2, h2)) = (of(self), of(other));
        let grey = c1 * c2 == 0.0;
        let mut turn = if grey { 0.0 } else { h2 - h1 };
        if turn > 180.0 {
            turn -= 360.0;
        } else if turn < -180.0 {
            turn += 360.0;
        }
        let lightness = other.l - self.l;
        let chroma = c2 - c1;
        let hue = 2.0 * (c1 * c2).sqrt() * (turn / 2.0).to_radians().sin();
        let middle = (self.l + other.l) / 2.0;
        let c = (c1 + c2) / 2.0;
        let h = match (h1 - h2).abs() {
            _ if grey => h1 + h2,
            apart if apart <= 180.0 => (h1 + h2) / 2.0,
            _ if h1 + h2 < 360.0 => (h1 + h2 + 360.0) / 2.0,
            _ => (h1 + h2 - 360.0) / 2.0,
        };
        let cos = |degrees: f64| degrees.to_radians().cos();
        let t = 1.0 - 0.17 * cos(h - 30.0) + 0.24 * cos(2.0 * h) + 0.32 * cos(3.0 * h + 6.0)
            - 0.2 * cos(4.0 * h - 63.0);
        let swing = 30.0 * (-((h - 275.0) / 25.0).powi(2)).exp();
        let rotation = -(2.0 * swing).to_radians().sin() * 2.0 * seventh(c);
        let off = (middle - 50.0).powi(2);
        let by_l = lightness / (1.0 + 0.015 * off / (20.0 + off).sqrt());
        let by_c = chroma / (1.0 + 0.045 * c);
        let by_h = hue / (1.0 + 0.015 * c * t);
        (by_l * by_l + by_c * by_c + by_h * by_h + rotation * by_c * by_h).sqrt()
    }
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
