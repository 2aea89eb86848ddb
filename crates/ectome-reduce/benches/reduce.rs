//! Times of analysis, replay and fit beside a reference library on the same input in the same run:
//! `cargo bench -p ectome-reduce`. Quality: `cargo run --release -p ectome-reduce --example figures`.
#![allow(missing_docs, reason = "divan's functions explain themselves")]

#[path = "../tests/suite/common/mod.rs"]
mod common;
mod reference;

use std::sync::LazyLock;

use divan::Bencher;
use ectome_mesh::{Mesh, Progress};
use ectome_reduce::{CollapseLog, Options, Replay, analyse, merge_flat, refine};

/// A million triangles with one seam.
static GLOBE: LazyLock<Mesh> = LazyLock::new(|| common::globe(1000, 501, 0.05));
static ANALYSED: LazyLock<(CollapseLog, Replay)> = LazyLock::new(|| {
    let log = analyse(&GLOBE, &Options::default(), &Progress::new()).expect("analysed");
    let replay = Replay::new(&GLOBE, &log).expect("its own log");
    (log, replay)
});

fn main() {
    divan::main();
}

#[divan::bench(args = [100, 316, 1000], sample_count = 3, sample_size = 1)]
fn analysis_of_globe_with_columns(bencher: Bencher, columns: u32) {
    let mesh = common::globe(columns, columns / 2 + 1, 0.05);
    bencher.bench(|| analyse(&mesh, &Options::default(), &Progress::new()));
}

/// Plates with square holes, of 100 000 and of a million triangles.
#[divan::bench(args = [155, 490], sample_count = 5, sample_size = 1)]
fn flat_areas_of_a_plate(bencher: Bencher, cells: i32) {
    let mesh = common::slab(cells, 0.01, 0.2, |i, j| i % 3 != 1 || j % 3 != 1);
    bencher.bench(|| merge_flat(&mesh, &Options::default(), &Progress::new()));
}

#[divan::bench(sample_count = 3, sample_size = 1)]
fn tables_for_replay(bencher: Bencher) {
    let (log, _) = &*ANALYSED;
    bencher.bench(|| Replay::new(&GLOBE, log));
}

#[divan::bench(args = [100_000, 10_000, 1_000], sample_count = 9, sample_size = 1)]
fn replay_to(bencher: Bencher, target: usize) {
    let (log, replay) = &*ANALYSED;
    bencher.bench(|| replay.at(&GLOBE, log, target));
}

#[divan::bench(args = [100_000, 10_000], sample_count = 3, sample_size = 1)]
fn fit_of(bencher: Bencher, target: usize) {
    let (log, replay) = &*ANALYSED;
    let cut = replay.at(&GLOBE, log, target).expect("reachable");
    bencher
        .with_inputs(|| cut.clone())
        .bench_values(|mut cut| refine(&GLOBE, &Options::default(), &mut cut, &Progress::new()));
}

#[divan::bench(sample_count = 3, sample_size = 1)]
fn reference_meshopt_with_attributes_to_1_percent(bencher: Bencher) {
    let reference = reference::Reference::of(&GLOBE);
    bencher.bench(|| reference.simplify_with_uv(GLOBE.triangle_count() / 100));
}

#[divan::bench(sample_count = 3, sample_size = 1)]
fn reference_meshopt_points_only_to_1_percent(bencher: Bencher) {
    let reference = reference::Reference::of(&GLOBE);
    bencher.bench(|| reference.simplify(GLOBE.triangle_count() / 100));
}
