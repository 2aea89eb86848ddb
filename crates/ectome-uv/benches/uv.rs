//! How long unwrapping, packing and measuring take on a ring with waves of 20 000 triangles:
//! `cargo bench -p ectome-uv`. Figures beside a reference library: docs/performance.md.

use divan::{Bencher, black_box};
use ectome_mesh::{Mesh, Progress, shapes};
use ectome_uv::{
    arrange::{self, Wishes},
    layout::Layout,
    measure,
    pack::Settings,
    unwrap::{self, Manner, Options},
};

fn main() {
    divan::main();
}

fn ring() -> Mesh {
    let mut mesh = shapes::torus(1.0, 0.4, 200, 50);
    for p in &mut mesh.points {
        let wave = (9.0 * p.x).sin() * (7.0 * p.y + 1.0).sin() * (8.0 * p.z).cos();
        *p += p.normalize() * 0.05 * wave;
    }
    mesh
}

fn unwrapped(mesh: &Mesh, manner: Manner) -> Layout {
    let options = Options {
        manner,
        ..Options::default()
    };
    unwrap::whole(mesh, &options, &Progress::new()).expect("not stopped")
}

#[divan::bench(args = [Manner::Soft, Manner::Mechanical], sample_count = 5)]
fn unwrap(bencher: Bencher, manner: Manner) {
    let mesh = ring();
    bencher.bench(|| unwrapped(black_box(&mesh), manner));
}

#[divan::bench(args = [0, 8], sample_count = 5)]
fn pack(bencher: Bencher, effort: u32) {
    let mesh = ring();
    let layout = unwrapped(&mesh, Manner::Soft);
    let islands = measure::islands(&mesh, &layout);
    let settings = Settings {
        effort,
        ..Settings::default()
    };
    bencher.bench(|| {
        arrange::pack(
            black_box(&layout),
            &islands,
            &Wishes::default(),
            &settings,
            &Progress::new(),
        )
    });
}

#[divan::bench(sample_count = 5)]
fn numbers(bencher: Bencher) {
    let mesh = ring();
    let layout = unwrapped(&mesh, Manner::Soft);
    let islands = measure::islands(&mesh, &layout);
    let packed = arrange::pack(
        &layout,
        &islands,
        &Wishes::default(),
        &Settings::default(),
        &Progress::new(),
    )
    .expect("room");
    bencher.bench(|| {
        let islands = measure::islands(&mesh, &packed);
        measure::numbers(black_box(&mesh), &packed, &islands, 2048)
    });
}
