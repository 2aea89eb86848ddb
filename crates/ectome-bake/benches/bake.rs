//! What a map costs: a million triangles onto a low mesh. `cargo bench --workspace --bench bake`

#[path = "../tests/suite/sheet.rs"]
mod sheet;

use divan::Bencher;
use ectome_bake::{Kind, Settings, Source, bake};
use ectome_mesh::{Mesh, Progress};

fn main() {
    divan::main();
}

/// Waves over the unit square, `n` × `n` squares.
fn waves(n: u32, height: f32) -> Mesh {
    sheet::sheet(n, |u, v| {
        height * ((40.0 * u).sin() * (40.0 * v).sin() + 0.3 * (170.0 * u * v).sin())
    })
}

#[divan::bench(args = [512, 2048], sample_count = 3)]
fn normals_of_a_million_triangles(bencher: Bencher, size: u32) {
    let (source, low) = (waves(707, 0.01), waves(40, 0.01));
    let settings = Settings {
        size,
        kinds: vec![Kind::Normal],
        ..Settings::default()
    };
    bencher.bench(|| bake(&Source::of(&source), &low, &settings, &Progress::new()).unwrap());
}

#[divan::bench(sample_count = 3)]
fn occlusion_of_a_million_triangles(bencher: Bencher) {
    let (source, low) = (waves(707, 0.01), waves(40, 0.01));
    let settings = Settings {
        size: 1024,
        kinds: vec![Kind::Occlusion],
        ..Settings::default()
    };
    bencher.bench(|| bake(&Source::of(&source), &low, &settings, &Progress::new()).unwrap());
}
