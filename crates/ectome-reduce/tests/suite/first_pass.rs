//! The first pass by blocks: topology kept, blocks joined, deviation measured.

use crate::common::{globe, plates};
use ectome_compare::compare;
use ectome_mesh::{Mesh, Progress, islands, topology::Topology};
use ectome_reduce::{CutError, Options, Size, cut, first_pass};
use rstest::rstest;

fn prepared(mesh: &Mesh, block: usize, leave: usize) -> ectome_reduce::FirstPass {
    let size = Size { block, leave };
    first_pass(mesh, &Options::default(), size, &Progress::new()).unwrap()
}

#[rstest]
#[case::globe(globe(200, 101, 0.05), 1)]
#[case::plates(plates(6, 24), 36)]
fn blocks_fit_together_again(#[case] mesh: Mesh, #[case] charts: usize) {
    let n = mesh.triangle_count();
    let done = prepared(&mesh, 3000, n / 4);
    let low = &done.mesh;
    low.check().unwrap();
    assert!(done.blocks > 3);
    assert!(
        low.triangle_count() < n / 2,
        "{} of {n}",
        low.triangle_count()
    );
    let (before, after) = (Topology::of(&mesh), Topology::of(low));
    assert_eq!(after.open_edges, before.open_edges);
    assert_eq!(after.nonmanifold_edges, before.nonmanifold_edges);
    // Euler characteristic: no tunnel, no piece made or lost.
    assert_eq!(after.euler_characteristic, before.euler_characteristic);
    assert_eq!(islands::count(low), charts);
    assert_eq!(islands::count(low), islands::count(&mesh));
    // The pass says how far points that went are from what is left; an independent measurement over
    // places spread by area must not find much more.
    let measured = compare(&mesh, low, &Progress::new()).unwrap();
    assert_eq!(measured.flipped_faces, 0);
    assert!(
        measured.high_to_low.deviation_max_mm <= done.largest_m * 1e3 * 1.5 + 1e-3,
        "{} {}",
        measured.high_to_low.deviation_max_mm,
        done.largest_m * 1e3
    );
}

/// Cut in blocks first and then as a whole: not much worse than as a whole from the start.
#[test]
fn a_first_pass_costs_little() {
    let mesh = globe(400, 201, 0.05);
    let target = mesh.triangle_count() / 50;
    let error = |from: &Mesh| {
        let low = cut(from, target, &Options::default(), &Progress::new())
            .unwrap()
            .mesh;
        let r = compare(&mesh, &low, &Progress::new()).unwrap();
        r.deviation_mean_percent_of_diagonal
    };
    let whole = error(&mesh);
    let blocks = error(&prepared(&mesh, 20_000, mesh.triangle_count() / 6).mesh);
    assert!(blocks < 1.15 * whole, "{blocks} {whole}");
}

#[test]
fn the_same_bytes_for_any_number_of_threads() {
    let mesh = globe(120, 61, 0.05);
    let with = |threads: usize| {
        rayon::ThreadPoolBuilder::new()
            .num_threads(threads)
            .build()
            .unwrap()
            .install(|| prepared(&mesh, 2000, 4000).mesh)
    };
    let one = with(1);
    assert_eq!(one, with(2));
    assert_eq!(one, with(5));
}

#[test]
fn it_can_be_stopped() {
    let progress = Progress::new();
    progress.cancel();
    let mesh = globe(60, 31, 0.05);
    let stopped = first_pass(&mesh, &Options::default(), Size::default(), &progress);
    assert!(matches!(stopped, Err(CutError::Cancelled(_))));
}
