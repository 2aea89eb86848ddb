//! What a map costs: a million triangles onto a low mesh. `cargo bench --workspace --bench bake`

use divan::Bencher;
use ectome_bake::{Kind, Settings, Source, bake};
use ectome_mesh::{Mesh, MeshBuilder, Primitive, Progress};
use glam::{Affine3A, Vec2, Vec3};

fn main() {
    divan::main();
}

/// Waves over the unit square, `n` × `n` squares.
fn waves(n: u32, height: f32) -> Mesh {
    let mut p = Primitive {
        uv_sets: vec![Vec::new()],
        ..Primitive::default()
    };
    for j in 0..=n {
        for i in 0..=n {
            let (u, v) = (i as f32 / n as f32, j as f32 / n as f32);
            let wave = (40.0 * u).sin() * (40.0 * v).sin() + 0.3 * (170.0 * u * v).sin();
            p.positions.push(Vec3::new(u, height * wave, v));
            p.uv_sets[0].push(Vec2::new(u, v));
        }
    }
    for j in 0..n {
        for i in 0..n {
            let a = j * (n + 1) + i;
            let (b, c, d) = (a + 1, a + n + 2, a + n + 1);
            p.corners.extend([a, d, c, a, c, b]);
        }
    }
    let mut builder = MeshBuilder::new();
    builder.part("waves", Affine3A::IDENTITY).primitive(p);
    builder.finish()
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
