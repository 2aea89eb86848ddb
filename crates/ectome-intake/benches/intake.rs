//! How long examining and repairing a million triangles takes: `cargo bench -p ectome-intake`.

use divan::Bencher;
use ectome_intake::{
    diagnose::diagnose,
    parts::hidden,
    repair::{clip, holes, manifold, weld, winding},
};
use ectome_mesh::{Mesh, Progress, edit, shapes};

fn main() {
    divan::main();
}

/// A torus of 1 000 000 triangles with 100 holes.
fn torus() -> Mesh {
    let ring = shapes::torus(1.0, 0.35, 1000, 500);
    edit::kept(&ring, |f| f % 10_000 != 0)
}

#[divan::bench(sample_count = 5)]
fn diagnosis(bencher: Bencher) {
    let mesh = torus();
    bencher.bench(|| diagnose(&mesh, &Progress::new()));
}

#[divan::bench(sample_count = 5)]
fn welding(bencher: Bencher) {
    let mesh = torus();
    bencher.bench(|| weld::weld(&mesh, &weld::Weld::default()));
}

#[divan::bench(sample_count = 5)]
fn closing_holes(bencher: Bencher) {
    let mesh = torus();
    bencher.bench(|| holes::close_up_to(&mesh, 0.1));
}

#[divan::bench(sample_count = 5)]
fn turning_outward(bencher: Bencher) {
    let mesh = torus();
    bencher.bench(|| winding::make_outward(&mesh));
}

#[divan::bench(sample_count = 5)]
fn splitting(bencher: Bencher) {
    let mesh = torus();
    bencher.bench(|| manifold::split(&mesh));
}

#[divan::bench(sample_count = 5)]
fn clipping(bencher: Bencher) {
    let mesh = torus();
    let plane = clip::Plane {
        point: [0.1, 0.0, 0.0],
        normal: [1.0, 0.2, 0.1],
    };
    bencher.bench(|| clip::clip(&mesh, &plane, true));
}

#[divan::bench(sample_count = 3)]
fn hidden_faces(bencher: Bencher) {
    let mesh = torus();
    bencher.bench(|| hidden::find(&mesh, &Progress::new()));
}
