//! Pictures of a heavy source and of a light result from 26 sides, as the proof of the look takes them.
//!
//! `cargo bench -p ectome-raster --bench seen`

use divan::Bencher;
use ectome_mesh::shapes;
use ectome_raster::{Backs, Camera, Light, Style, Surfaces, render_each};
use glam::Vec3;

fn main() {
    divan::main();
}

/// Subdivisions of an icosahedron: 5 120 triangles, and 1 310 720.
#[divan::bench(args = [4, 8], sample_count = 5, sample_size = 1)]
fn pictures_from_26_sides(bencher: Bencher<'_, '_>, subdivisions: u32) {
    let mut ball = shapes::icosphere(1.0, subdivisions);
    // A grain, so that neither depth nor normals are even.
    for p in &mut ball.points {
        *p *= 1.0 + 0.02 * (40.0 * p.x).sin() * (31.0 * p.y).cos();
    }
    let cameras: Vec<Camera> = (0..27)
        .filter(|&i| i != 13)
        .map(|i: i32| {
            let step = |n: i32| (n % 3 - 1) as f32;
            let eye = Vec3::new(step(i), step(i / 3), step(i / 9));
            Camera::from_direction(&ball, eye, 320, 320)
        })
        .collect();
    let style = Style {
        light: Light::Surroundings,
        clay: false,
        relief: true,
        backs: Backs::Marked,
        plain: Vec3::splat(0.4),
    };
    bencher.bench(|| render_each(&ball, &Surfaces::default(), &cameras, &style));
}
