//! What keeping the charts of hard surfaces costs.

use ectome_compare::{Report, compare};
use ectome_mesh::{Mesh, Progress, islands};
use ectome_reduce::{Options, cut, refine};

/// Rounded boxes with a chart on every side, cut to a hundredth.
fn cut_to_a_hundredth(source: &Mesh) -> (Mesh, Report) {
    let (options, progress) = (Options::default(), Progress::new());
    let target = source.face_count() / 100;
    let mut made = cut(source, target, &options, &progress).unwrap();
    refine(source, &options, &mut made, &progress).unwrap();
    let report = compare(source, &made.mesh, &progress).unwrap();
    (made.mesh, report)
}

/// Seams may not be crossed, and their corners may not leave their places on the sheet; a surface without UVs is free of both. But points
/// of seams may lift off the surface to where a chord cuts off least: without that, these charts leave 1.005 of the deviation, with it .88.
#[test]
fn charts_on_every_side_cost_little_of_the_shape() {
    let source = crate::common::plates(3, 40);
    let (low, with) = cut_to_a_hundredth(&source);
    let mut bare = source.clone();
    bare.uv_sets.clear();
    bare.share_vertices();
    let (_, without) = cut_to_a_hundredth(&bare);
    let ratio = with.deviation_mean_mm / without.deviation_mean_mm;
    assert!(ratio < 0.95, "{ratio:.3} of the deviation without UVs");
    // The outlines of the charts are squares: they stay so to a hundredth of a texel.
    assert_eq!(islands::count(&low), islands::count(&source));
    let off = with.seam_drift_max_texels.unwrap();
    assert!(off < 0.05, "outlines {off} texels off");
}
