//! KTX2 files read by the transcoder that ships with three.js (Binomial's, compiled to WebAssembly).

use ectome_outside::texels_of_ktx2;
use ectome_texture::{
    ktx2,
    scale::{Meaning, scaled},
};
use rstest::rstest;

const SIZE: usize = 128;

type Pixel = fn(f32, f32) -> [f32; 4];

/// Colours that run into one another, with a sharp edge; both coordinates from 0 to 1.
fn colours(x: f32, y: f32) -> [f32; 4] {
    let stripe = if (x * 9.0 + y * 4.0) as i32 % 2 == 0 {
        0.25
    } else {
        0.0
    };
    [0.2 + 0.6 * x, 0.7 - 0.5 * y, 0.3 + stripe, 1.0]
}

/// Normals of round bumps.
fn normals(x: f32, y: f32) -> [f32; 4] {
    let (u, v) = ((x * 20.0).sin() * 0.4, (y * 16.0).cos() * 0.4);
    let w = (1.0 - u * u - v * v).sqrt();
    [0.5 + 0.5 * u, 0.5 + 0.5 * v, 0.5 + 0.5 * w, 1.0]
}

/// A leaf: opaque inside, clear outside, soft between.
fn leaf(x: f32, y: f32) -> [f32; 4] {
    let far = ((x - 0.5).powi(2) + (y - 0.5).powi(2)).sqrt();
    [
        0.1 + 0.3 * y,
        0.5,
        0.1,
        ((0.4 - far) * 12.0).clamp(0.0, 1.0),
    ]
}

fn one_colour(_: f32, _: f32) -> [f32; 4] {
    [0.8, 0.4, 0.1, 0.6]
}

fn picture(pixel: Pixel) -> Vec<u8> {
    let place = |k: usize| (k as f32 + 0.5) / SIZE as f32;
    (0..SIZE * SIZE)
        .flat_map(|k| pixel(place(k % SIZE), place(k / SIZE)).map(|v| (v * 255.0).round() as u8))
        .collect()
}

/// Decibels by which two pictures are alike (PSNR).
fn alike(a: &[u8], b: &[u8]) -> f64 {
    assert_eq!(a.len(), b.len());
    let sum: f64 = a
        .iter()
        .zip(b)
        .map(|(a, b)| f64::from(a.abs_diff(*b)).powi(2))
        .sum();
    10.0 * (255.0f64.powi(2) / (sum / a.len() as f64).max(1e-9)).log10()
}

/// The picture comes back, and so do its smaller copies. UASTC keeps 40 to 50 dB of most textures (Binomial LLC, *UASTC Texture
/// Specification*, 2020).
#[rstest]
#[case::colours(colours, Meaning::Colour, [45.0, 35.0])]
#[case::normals(normals, Meaning::Normal, [40.0, 28.0])]
#[case::leaf(leaf, Meaning::Colour, [45.0, 30.0])]
#[case::one_colour(one_colour, Meaning::Linear, [90.0, 90.0])]
fn a_picture_comes_back(#[case] pixel: Pixel, #[case] meaning: Meaning, #[case] least: [f64; 2]) {
    let rgba = picture(pixel);
    let file = ktx2::written(&rgba, [SIZE; 2], meaning);
    for (level, least) in [0, 2].into_iter().zip(least) {
        let side = SIZE >> level;
        let wanted = match level {
            0 => rgba.clone(),
            _ => scaled(&rgba, [SIZE; 2], [side; 2], meaning),
        };
        let db = alike(&texels_of_ktx2(&file, level), &wanted);
        println!("level {level}: {db:.1} dB");
        // A quarter of the size has four times the detail in a block.
        assert!(db > least, "level {level}: {db:.1} dB");
    }
}
