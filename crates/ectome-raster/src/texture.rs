//! Base colour pictures.

use glam::{Vec2, Vec3};

/// A picture, sampled bilinearly and repeated.
#[derive(Clone, Debug)]
pub struct Texture {
    /// Width in texels.
    pub width: usize,
    /// Height in texels.
    pub height: usize,
    /// Rows from the top, linear RGB.
    texels: Vec<[f32; 3]>,
}

impl Texture {
    /// From sRGB bytes, rows from the top, three a texel.
    pub fn from_srgb(width: usize, height: usize, rgb: &[u8]) -> Option<Self> {
        if width == 0 || rgb.len() != width * height * 3 {
            return None;
        }
        let table: Vec<f32> = (0..256).map(|v| to_linear(v as f32 / 255.0)).collect();
        let texels = rgb
            .chunks_exact(3)
            .map(|p| [p[0], p[1], p[2]].map(|v| table[v as usize]))
            .collect();
        Some(Self {
            width,
            height,
            texels,
        })
    }

    /// From bytes that are no colours, such as the directions of a normal map.
    pub fn from_linear(width: usize, height: usize, rgb: &[u8]) -> Option<Self> {
        if width == 0 || rgb.len() != width * height * 3 {
            return None;
        }
        let texels = rgb
            .chunks_exact(3)
            .map(|p| [p[0], p[1], p[2]].map(|v| f32::from(v) / 255.0))
            .collect();
        Some(Self {
            width,
            height,
            texels,
        })
    }

    /// Linear RGB at a UV coordinate (origin top-left).
    pub fn at(&self, uv: Vec2) -> Vec3 {
        let x = uv.x * self.width as f32 - 0.5;
        let y = uv.y * self.height as f32 - 0.5;
        let (fx, fy) = (x - x.floor(), y - y.floor());
        let texel = |dx: i64, dy: i64| {
            let x = (x.floor() as i64 + dx).rem_euclid(self.width as i64) as usize;
            let y = (y.floor() as i64 + dy).rem_euclid(self.height as i64) as usize;
            Vec3::from_array(self.texels[y * self.width + x])
        };
        let top = texel(0, 0).lerp(texel(1, 0), fx);
        let bottom = texel(0, 1).lerp(texel(1, 1), fx);
        top.lerp(bottom, fy)
    }
}

/// The sRGB transfer function and its inverse (IEC 61966-2-1).
fn to_linear(v: f32) -> f32 {
    if v <= 0.040_45 {
        v / 12.92
    } else {
        ((v + 0.055) / 1.055).powf(2.4)
    }
}

/// Linear to sRGB byte.
pub fn to_srgb(v: f32) -> u8 {
    let v = v.clamp(0.0, 1.0);
    let s = if v <= 0.003_130_8 {
        v * 12.92
    } else {
        1.055 * v.powf(1.0 / 2.4) - 0.055
    };
    (s * 255.0 + 0.5) as u8
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn srgb_bytes_survive_there_and_back() {
        for v in 0..=255u8 {
            assert_eq!(to_srgb(to_linear(f32::from(v) / 255.0)), v);
        }
    }

    #[test]
    fn texel_centres_are_exact_and_the_edge_wraps() {
        let t = Texture::from_srgb(2, 1, &[255, 0, 0, 0, 255, 0]).unwrap();
        assert_eq!(t.at(Vec2::new(0.25, 0.5)), Vec3::X);
        assert_eq!(t.at(Vec2::new(1.25, 0.5)), Vec3::X);
        assert_eq!(t.at(Vec2::new(0.0, 0.5)), Vec3::new(0.5, 0.5, 0.0));
    }
}
