//! A picture made smaller.
//!
//! Each texel of the result is the mean of what it covers, weighed by area: in linear light for colours, since means of coded values
//! come out too dark (IEC 61966-2-1 is no line); as directions of length one for normals; and with colours weighed by their opacity,
//! so that what is invisible does not bleed into what is seen. Where opacity cuts shapes out, it is raised until as much of the picture
//! stays above the threshold as before (I. Castaño, *Computing Alpha Mipmaps*, 2010): leaves do not grow thin in the distance.

use glam::Vec3;
use rayon::prelude::*;

use crate::srgb;

/// What the values of a picture are.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Meaning {
    /// Colours coded as sRGB, and opacity.
    Colour,
    /// The same, cut out where opacity is below a threshold (0–1).
    Cutout(f32),
    /// Directions: red, green and blue from −1 to 1.
    Normal,
    /// Amounts.
    Linear,
}

/// Which texels of a line of `from` lie under each of `to` texels, and how much of them.
fn shares(from: usize, to: usize) -> Vec<Vec<(usize, f32)>> {
    let step = from as f64 / to as f64;
    (0..to)
        .map(|i| {
            let (low, high) = (i as f64 * step, (i + 1) as f64 * step);
            (low.floor() as usize..(high.ceil() as usize).min(from))
                .map(|k| {
                    let covered = high.min(k as f64 + 1.0) - low.max(k as f64);
                    (k, (covered / step) as f32)
                })
                .filter(|(_, w)| *w > 1e-6)
                .collect()
        })
        .collect()
}

/// A picture of `size` texels (width, height) as one of `to` texels, at most as large; RGBA, row by row.
///
/// # Panics
/// Where `rgba` does not hold `size`, or `to` is nothing.
pub fn scaled(rgba: &[u8], size: [usize; 2], to: [usize; 2], meaning: Meaning) -> Vec<u8> {
    assert_eq!(rgba.len(), 4 * size[0] * size[1], "a picture of that size");
    assert!(to[0] > 0 && to[1] > 0, "a size");
    let linear = srgb::table();
    let is_colour = matches!(meaning, Meaning::Colour | Meaning::Cutout(_));
    let read = |t: &[u8]| -> [f32; 4] {
        let alpha = f32::from(t[3]) / 255.0;
        match meaning {
            _ if is_colour => {
                let c = [0, 1, 2].map(|k| linear[usize::from(t[k])] * alpha);
                [c[0], c[1], c[2], alpha]
            }
            Meaning::Normal => {
                let c = [0, 1, 2].map(|k| f32::from(t[k]) / 127.5 - 1.0);
                [c[0], c[1], c[2], alpha]
            }
            _ => [t[0], t[1], t[2], t[3]].map(|v| f32::from(v) / 255.0),
        }
    };
    let (across, down) = (shares(size[0], to[0]), shares(size[1], to[1]));
    let mut mean: Vec<[f32; 4]> = down
        .par_iter()
        .flat_map_iter(|rows| {
            let mut line = vec![[0.0f32; 4]; to[0]];
            for &(y, wy) in rows {
                let row = &rgba[4 * y * size[0]..4 * (y + 1) * size[0]];
                for (sum, columns) in line.iter_mut().zip(&across) {
                    for &(x, wx) in columns {
                        let v = read(&row[4 * x..4 * x + 4]);
                        (0..4).for_each(|k| sum[k] += v[k] * wx * wy);
                    }
                }
            }
            line
        })
        .collect();
    if let Meaning::Cutout(threshold) = meaning {
        let seen = |alphas: &mut dyn Iterator<Item = f32>, n: usize| {
            alphas.filter(|a| *a >= threshold).count() as f64 / n as f64
        };
        let mut before = rgba.chunks_exact(4).map(|t| f32::from(t[3]) / 255.0);
        let wanted = seen(&mut before, rgba.len() / 4);
        // The gain at which as much stays: found by halving, for more gain never hides anything.
        let (mut low, mut high) = (0.25f32, 4.0f32);
        for _ in 0..24 {
            let gain = 0.5 * (low + high);
            let now = seen(&mut mean.iter().map(|t| t[3] * gain), mean.len());
            if now < wanted {
                low = gain
            } else {
                high = gain
            }
        }
        // Opacity comes in steps where few texels are averaged: of the two sides of the last one the nearer is taken.
        let off =
            |gain: f32| (seen(&mut mean.iter().map(|t| t[3] * gain), mean.len()) - wanted).abs();
        let gain = if off(low) < off(high) { low } else { high };
        for t in &mut mean {
            let alpha = (t[3] * gain).min(1.0);
            // Colours stay as bright as they were under their own opacity.
            let by = if t[3] > 0.0 { alpha / t[3] } else { 0.0 };
            *t = [t[0] * by, t[1] * by, t[2] * by, alpha];
        }
    }
    let byte = |v: f32| (v.clamp(0.0, 1.0) * 255.0 + 0.5) as u8;
    mean.into_iter()
        .flat_map(|[r, g, b, a]| match meaning {
            _ if is_colour => {
                let c = [r, g, b].map(|v| if a > 0.0 { srgb::to_byte(v / a) } else { 0 });
                [c[0], c[1], c[2], byte(a)]
            }
            Meaning::Normal => {
                let n = Vec3::new(r, g, b).normalize_or(Vec3::Z);
                let c = n.to_array().map(|v| byte(0.5 * v + 0.5));
                [c[0], c[1], c[2], byte(a)]
            }
            _ => [r, g, b, a].map(byte),
        })
        .collect()
}

/// How much of a picture is kept when it is made smaller and shown at its size again, halfway values between the texels: the
/// signal-to-noise ratio of its coded values (PSNR), in decibels. 100 where nothing is lost.
///
/// # Panics
/// As [`scaled`].
pub fn kept_db(rgba: &[u8], size: [usize; 2], to: [usize; 2], meaning: Meaning) -> f64 {
    if size == to {
        return LOSSLESS_DB;
    }
    let small = scaled(rgba, size, to, meaning);
    // Where each texel lies between those of the small picture: the two it lies between, and how near it is to the second.
    let places = |from: usize, to: usize| -> Vec<(usize, usize, f32)> {
        let step = to as f32 / from as f32;
        (0..from)
            .map(|i| {
                let at = ((i as f32 + 0.5) * step - 0.5).clamp(0.0, (to - 1) as f32);
                let low = at.floor() as usize;
                (low, (low + 1).min(to - 1), at - low as f32)
            })
            .collect()
    };
    let (across, down) = (places(size[0], to[0]), places(size[1], to[1]));
    let squares: f64 = down
        .par_iter()
        .enumerate()
        .map(|(y, &(y0, y1, fy))| {
            let mut sum = 0.0;
            for (x, &(x0, x1, fx)) in across.iter().enumerate() {
                for k in 0..4 {
                    let of = |x: usize, y: usize| f32::from(small[4 * (y * to[0] + x) + k]);
                    let low = of(x0, y0) + (of(x1, y0) - of(x0, y0)) * fx;
                    let high = of(x0, y1) + (of(x1, y1) - of(x0, y1)) * fx;
                    let off = low + (high - low) * fy - f32::from(rgba[4 * (y * size[0] + x) + k]);
                    sum += f64::from(off * off);
                }
            }
            sum
        })
        .collect::<Vec<f64>>()
        .iter()
        .sum();
    let mean = squares / (4 * size[0] * size[1]) as f64;
    if mean > 0.0 {
        (10.0 * (255.0 * 255.0 / mean).log10()).min(LOSSLESS_DB)
    } else {
        LOSSLESS_DB
    }
}

/// What [`kept_db`] says of a picture of which nothing is lost.
const LOSSLESS_DB: f64 = 100.0;

#[cfg(test)]
mod tests {
    use super::*;

    /// A zone plate has every frequency up to that of its own texels. Its mean over a texel of the result, worked out in sixteen times as
    /// many places as there are texels, is what the filter must give: PSNR at least 40 dB (bar of the brief on delivery).
    #[test]
    fn a_zone_plate_scales_without_aliasing() {
        const FROM: usize = 8192;
        const TO: usize = 1024;
        let wave = |x: f64, y: f64| {
            let (x, y) = (x / FROM as f64, y / FROM as f64);
            0.5 + 0.5 * (std::f64::consts::PI * FROM as f64 * 0.5 * (x * x + y * y)).cos()
        };
        let rgba: Vec<u8> = (0..FROM * FROM)
            .flat_map(|i| {
                let v =
                    (wave((i % FROM) as f64 + 0.5, (i / FROM) as f64 + 0.5) * 255.0).round() as u8;
                [v, v, v, 255]
            })
            .collect();
        let small = scaled(&rgba, [FROM; 2], [TO; 2], Meaning::Linear);
        // Of the result every eleventh texel each way is worked out; rings of the plate do not fall in step with that.
        const STRIDE: usize = 11;
        let step = FROM / TO;
        let fine = 4 * step;
        let mut squares = 0.0;
        for y in (0..TO).step_by(STRIDE) {
            for x in (0..TO).step_by(STRIDE) {
                let mut sum = 0.0;
                for j in 0..fine {
                    for i in 0..fine {
                        let at =
                            |t: usize, k: usize| t as f64 * step as f64 + (k as f64 + 0.5) / 4.0;
                        sum += wave(at(x, i), at(y, j));
                    }
                }
                let mean = sum / (fine * fine) as f64 * 255.0;
                squares += (f64::from(small[4 * (y * TO + x)]) - mean).powi(2);
            }
        }
        let n = (TO.div_ceil(STRIDE) * TO.div_ceil(STRIDE)) as f64;
        let psnr = 10.0 * (255.0 * 255.0 / (squares / n)).log10();
        println!("{psnr:.1} dB");
        assert!(psnr >= 40.0, "{psnr:.1} dB");
    }

    /// White noise of one texel keeps a fifth of its variance at half the size, whatever is made between: the means of four keep a
    /// quarter, and halfway values between them less. One colour loses nothing.
    #[test]
    fn what_is_lost_is_told() {
        let mut state = 5u32;
        let noise: Vec<u8> = (0..128 * 128)
            .flat_map(|_| {
                state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                [(state >> 24) as u8; 4]
            })
            .collect();
        let lost = kept_db(&noise, [128; 2], [64; 2], Meaning::Linear);
        // Even noise of 0 to 255 has a deviation of 73.6: all of it lost is 10.8 dB.
        assert!((10.8..13.0).contains(&lost), "{lost}");
        let plain = vec![77; 4 * 64 * 32];
        assert_eq!(
            kept_db(&plain, [64, 32], [32, 16], Meaning::Linear),
            LOSSLESS_DB
        );
    }

    /// Half black and half white is half the light, which sRGB codes as 188, not 128.
    #[test]
    fn colours_are_mixed_as_light() {
        let rgba = [0, 0, 0, 255, 255, 255, 255, 255];
        assert_eq!(
            scaled(&rgba, [2, 1], [1, 1], Meaning::Colour),
            [188, 188, 188, 255]
        );
        assert_eq!(
            scaled(&rgba, [2, 1], [1, 1], Meaning::Linear),
            [128, 128, 128, 255]
        );
        // What is invisible has no say in the colour.
        let half = [255, 0, 0, 0, 0, 255, 0, 255];
        assert_eq!(
            scaled(&half, [2, 1], [1, 1], Meaning::Colour),
            [0, 255, 0, 128]
        );
    }

    #[test]
    fn normals_keep_their_length() {
        let mut state = 9u32;
        let mut random = || {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (state >> 8) as f32 / 16_777_216.0
        };
        let rgba: Vec<u8> = (0..96 * 64)
            .flat_map(|_| {
                let n = Vec3::new(random() - 0.5, random() - 0.5, 0.3 + random()).normalize();
                let c = n.to_array().map(|v| (127.5 * v + 127.5).round() as u8);
                [c[0], c[1], c[2], 255]
            })
            .collect();
        for t in scaled(&rgba, [96, 64], [25, 13], Meaning::Normal).chunks_exact(4) {
            let n = Vec3::from_array([0, 1, 2].map(|k| f32::from(t[k]) / 127.5 - 1.0));
            assert!((n.length() - 1.0).abs() <= 1.0 / 127.0, "{n}");
        }
    }

    /// Leaves about as large as a texel of the result: as much of it is seen at a quarter of the size.
    #[test]
    fn what_is_cut_out_keeps_its_share() {
        let rgba: Vec<u8> = (0..512 * 512)
            .flat_map(|i| {
                let (x, y) = ((i % 512) as f32, (i / 512) as f32);
                let leaf = (x * 0.93).sin() + (y * 1.13).sin() + ((x + 1.7 * y) * 0.37).sin();
                let on = leaf > 1.0;
                [80, 120, 60, if on { 255 } else { 0 }]
            })
            .collect();
        let share = |p: &[u8]| {
            let seen = p.chunks_exact(4).filter(|t| t[3] >= 128).count();
            seen as f64 / (p.len() / 4) as f64
        };
        let kept = scaled(&rgba, [512; 2], [64; 2], Meaning::Cutout(0.5));
        let plain = scaled(&rgba, [512; 2], [64; 2], Meaning::Colour);
        assert!(
            (share(&kept) - share(&rgba)).abs() < 0.03,
            "{} of {}",
            share(&kept),
            share(&rgba)
        );
        assert!(
            (share(&plain) - share(&rgba)).abs() > (share(&kept) - share(&rgba)).abs(),
            "{}",
            share(&plain)
        );
    }

    #[test]
    fn a_size_that_is_no_fraction_covers_everything_once() {
        for (from, to) in [(7, 3), (10, 10), (100, 33), (5, 4)] {
            let shares = shares(from, to);
            let mut of = vec![0.0; from];
            for line in &shares {
                assert!((line.iter().map(|s| s.1).sum::<f32>() - 1.0).abs() < 1e-5);
                line.iter().for_each(|&(k, w)| of[k] += w);
            }
            let each = to as f32 / from as f32;
            assert!(of.iter().all(|w| (w - each).abs() < 1e-4), "{of:?}");
        }
    }
}
