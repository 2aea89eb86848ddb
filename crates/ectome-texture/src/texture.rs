//! A picture with smaller copies of itself.
//!
//! A picture that is shrunk by taking single texels flickers; one that is averaged over the square a texel stands for does not
//! (L. Williams, *Pyramidal Parametrics*, 1983). Where a picture is used only on islands, the ground between them must not get
//! into the average: a mask leaves it out, and it is filled from what lies around it.

use glam::{Vec2, Vec4};
use rayon::prelude::*;

use crate::{fill::filled, srgb};

/// How the bytes of a picture are meant.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Coding {
    /// Colours: RGB coded as sRGB, alpha linear.
    Srgb,
    /// Figures: as they are.
    Linear,
}

/// What lies beyond the edges (glTF 2.0, `sampler.wrapS` and `wrapT`).
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Wrap {
    /// The picture again.
    #[default]
    Repeat,
    /// The picture mirrored.
    Mirror,
    /// Its last texel.
    Clamp,
}

impl Wrap {
    #[inline]
    fn index(self, i: i64, n: usize) -> usize {
        // Most are inside, and a division takes as long as all else here.
        if (0..n as i64).contains(&i) {
            return i as usize;
        }
        let n = n as i64;
        let at = match self {
            Self::Repeat => i.rem_euclid(n),
            Self::Clamp => i.clamp(0, n - 1),
            Self::Mirror => {
                let at = i.rem_euclid(2 * n);
                at.min(2 * n - 1 - at)
            }
        };
        at as usize
    }
}

/// One size of a picture: linear RGBA in 16 bits, rows from the top.
#[derive(Clone, Debug)]
struct Level {
    width: usize,
    height: usize,
    texels: Vec<[u16; 4]>,
}

/// A picture, filtered. Everything is linear once it is in here.
#[derive(Clone, Debug)]
pub struct Texture {
    levels: Vec<Level>,
    /// Beyond the left and right, and beyond the upper and lower edge.
    pub wrap: [Wrap; 2],
}

const FULL: f32 = 65_535.0;
/// Texels that a thread takes at a time, at least.
const TOGETHER: usize = 1 << 14;

impl Texture {
    /// From RGBA bytes, rows from the top. Where a `mask` is given, a value for each texel, only what is true there counts.
    /// `None` when the sizes do not fit or are nothing.
    pub fn of(
        width: usize,
        height: usize,
        rgba: &[u8],
        coding: Coding,
        mask: Option<&[bool]>,
    ) -> Option<Self> {
        let count = width.checked_mul(height)?;
        if count == 0 || rgba.len() != count.checked_mul(4)? {
            return None;
        }
        if mask.is_some_and(|m| m.len() != count) {
            return None;
        }
        let plain: [f32; 256] = std::array::from_fn(|v| v as f32 / 255.0);
        let colours = match coding {
            Coding::Srgb => srgb::table(),
            Coding::Linear => plain,
        };
        let code = |v: f32| (v * FULL + 0.5) as u16;
        let [colours, plain] = [colours, plain].map(|table| table.map(code));
        let mut texels: Vec<[u16; 4]> = rgba
            .par_chunks_exact(4)
            .with_min_len(TOGETHER)
            .map(|p| {
                let [r, g, b] = [p[0], p[1], p[2]].map(|v| colours[v as usize]);
                [r, g, b, plain[p[3] as usize]]
            })
            .collect();
        if let Some(mask) = mask
            && mask.contains(&false)
            && mask.contains(&true)
        {
            filled(&mut texels, mask, width, height);
        }
        let mut levels = vec![Level {
            width,
            height,
            texels,
        }];
        while let Some(last) = levels.last()
            && (last.width > 1 || last.height > 1)
        {
            levels.push(last.halved());
        }
        Some(Self {
            levels,
            wrap: [Wrap::Repeat; 2],
        })
    }

    /// Width and height in texels.
    pub fn size(&self) -> [usize; 2] {
        [self.levels[0].width, self.levels[0].height]
    }

    /// Without its sizes whose longer edge has more texels than this; the smallest is kept.
    #[must_use]
    pub fn within(mut self, most: usize) -> Self {
        let large = |l: &Level| l.width.max(l.height) > most;
        let fitting = self.levels.iter().position(|l| !large(l));
        let first = fitting.unwrap_or(self.levels.len() - 1);
        self.levels.drain(..first);
        self
    }

    /// Linear RGBA at a UV coordinate (origin top-left), bilinear.
    pub fn at(&self, uv: Vec2) -> Vec4 {
        self.levels[0].at(uv, self.wrap)
    }

    /// The same averaged over a square of `footprint` texels of the full size: bilinear inside the two nearest sizes, and
    /// between them by their share.
    pub fn over(&self, uv: Vec2, footprint: f32) -> Vec4 {
        let level = footprint
            .max(1.0)
            .log2()
            .min((self.levels.len() - 1) as f32);
        let fine = level as usize;
        let share = level - fine as f32;
        let first = self.levels[fine].at(uv, self.wrap);
        match self.levels.get(fine + 1) {
            Some(next) if share > 0.0 => first.lerp(next.at(uv, self.wrap), share),
            _ => first,
        }
    }
}

impl Level {
    /// Half as large; texels of odd edges count for what they are.
    fn halved(&self) -> Self {
        let (width, height) = (self.width.div_ceil(2), self.height.div_ceil(2));
        let mut texels = vec![[0; 4]; width * height];
        let rows = texels.par_chunks_mut(width).enumerate();
        rows.with_min_len(TOGETHER.div_ceil(width))
            .for_each(|(y, row)| {
                for (x, texel) in row.iter_mut().enumerate() {
                    let mut sum = [0u32; 4];
                    let mut n = 0;
                    for (dx, dy) in [(0, 0), (1, 0), (0, 1), (1, 1)] {
                        let (x, y) = (2 * x + dx, 2 * y + dy);
                        if x < self.width && y < self.height {
                            let t = self.texels[y * self.width + x];
                            (0..4).for_each(|k| sum[k] += u32::from(t[k]));
                            n += 1;
                        }
                    }
                    *texel = sum.map(|s| ((s + n / 2) / n) as u16);
                }
            });
        Self {
            width,
            height,
            texels,
        }
    }

    #[inline]
    fn at(&self, uv: Vec2, wrap: [Wrap; 2]) -> Vec4 {
        let place = |v: f32, n: usize, wrap: Wrap| {
            let v = v * n as f32 - 0.5;
            // Rounded down, without a call into the mathematics library.
            let cut = v as i64;
            let low = cut.saturating_sub(i64::from(cut as f32 > v));
            let at = |k: i64| wrap.index(low.saturating_add(k), n);
            (at(0), at(1), v - low as f32)
        };
        let (x0, x1, fx) = place(uv.x, self.width, wrap[0]);
        let (y0, y1, fy) = place(uv.y, self.height, wrap[1]);
        let texel = |x: usize, y: usize| {
            let [r, g, b, a] = self.texels[y * self.width + x];
            Vec4::new(r.into(), g.into(), b.into(), a.into())
        };
        let top = texel(x0, y0).lerp(texel(x1, y0), fx);
        let bottom = texel(x0, y1).lerp(texel(x1, y1), fx);
        top.lerp(bottom, fy) * (1.0 / FULL)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn bytes(list: &[[u8; 4]]) -> Vec<u8> {
        list.concat()
    }

    #[test]
    fn places_far_beyond_any_picture_are_answered() {
        let t = Texture::of(
            2,
            1,
            &[0, 0, 0, 255, 255, 255, 255, 255],
            Coding::Linear,
            None,
        );
        let t = t.unwrap();
        for far in [1e30, -1e30, f32::MAX, f32::INFINITY, f32::NAN] {
            t.at(Vec2::splat(far));
            t.over(Vec2::splat(far), 1.0);
        }
    }

    #[test]
    fn texel_centres_are_exact_and_edges_are_wrapped_as_told() {
        let rgba = bytes(&[[255, 0, 0, 255], [0, 255, 0, 255]]);
        let mut t = Texture::of(2, 1, &rgba, Coding::Linear, None).unwrap();
        let at = |t: &Texture, u: f32| t.at(Vec2::new(u, 0.5)).truncate().to_array();
        assert_eq!(at(&t, 0.25), [1.0, 0.0, 0.0]);
        assert_eq!(at(&t, 1.25), [1.0, 0.0, 0.0]);
        assert_eq!(at(&t, 0.0), [0.5, 0.5, 0.0]);
        t.wrap[0] = Wrap::Clamp;
        assert_eq!(at(&t, 0.0), [1.0, 0.0, 0.0]);
        t.wrap[0] = Wrap::Mirror;
        assert_eq!(at(&t, 1.25), [0.0, 1.0, 0.0]);
    }

    /// A checker so fine that a texel of the target covers many of its fields is their mean in linear light: 188, not 128
    /// (the mean of black and white in linear light, coded as sRGB).
    #[test]
    fn a_fine_checker_is_grey_in_linear_light() {
        let n = 64;
        let rgba: Vec<u8> = (0..n * n)
            .flat_map(|i| {
                let v = if (i % n + i / n) % 2 == 0 { 255 } else { 0 };
                [v, v, v, 255]
            })
            .collect();
        let t = Texture::of(n, n, &rgba, Coding::Srgb, None).unwrap();
        for i in 0..20 {
            let uv = Vec2::new(0.137, 0.311) * i as f32;
            let grey = t.over(uv, 8.0).x;
            assert!((grey - 0.5).abs() < 0.01, "{grey}");
            assert_eq!(srgb::to_byte(grey), 188);
        }
    }

    /// Without its largest sizes a picture shows the same over footprints that they are too fine for.
    #[test]
    fn a_picture_within_a_size_shows_the_same_from_afar() {
        let n = 64;
        let rgba: Vec<u8> = (0..n * n).flat_map(|i| [(i * 7 % 256) as u8; 4]).collect();
        let whole = Texture::of(n, n, &rgba, Coding::Linear, None).unwrap();
        let small = whole.clone().within(16);
        assert_eq!(small.size(), [16, 16]);
        let at = Vec2::new(0.3, 0.6);
        // Footprints count in texels of the largest size that is left.
        assert_eq!(whole.over(at, 8.0), small.over(at, 2.0));
        assert_eq!(whole.clone().within(0).size(), [1, 1]);
    }

    #[test]
    fn what_is_masked_out_bleeds_into_no_size() {
        let n = 32;
        let inside = |i: usize| i % n < n / 2;
        let rgba: Vec<u8> = (0..n * n)
            .flat_map(|i| {
                if inside(i) {
                    [200, 0, 0, 255]
                } else {
                    [0, 0, 255, 255]
                }
            })
            .collect();
        let mask: Vec<bool> = (0..n * n).map(inside).collect();
        let t = Texture::of(n, n, &rgba, Coding::Linear, Some(&mask)).unwrap();
        for footprint in [1.0, 4.0, 16.0] {
            let seen = t.over(Vec2::new(0.45, 0.5), footprint);
            assert!(
                seen.z < 0.01 && (seen.x - 200.0 / 255.0).abs() < 0.01,
                "{seen}"
            );
        }
    }
}
