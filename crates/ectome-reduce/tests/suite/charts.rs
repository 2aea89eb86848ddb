//! What keeping the charts of hard surfaces costs.

use ectome_compare::{Report, compare};
use ectome_mesh::{Mesh, Progress, islands};
use ectome_reduce::{Options, cut, refine};
use rstest::rstest;

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

/// The largest angle between normals of one place in degrees, over places where more than one vertex stands: the median and the worst.
fn across_seams(mesh: &Mesh) -> (f32, f32) {
    let mut at_point = vec![Vec::new(); mesh.points.len()];
    for (v, &p) in mesh.vertex_point.iter().enumerate() {
        at_point[p as usize].push(mesh.normals[v]);
    }
    let mut angles: Vec<f32> = at_point
        .iter()
        .filter(|normals| normals.len() > 1)
        .map(|normals| {
            let turns = normals.iter().map(|n| n.angle_between(normals[0]));
            turns.fold(0.0, f32::max).to_degrees()
        })
        .collect();
    angles.sort_by(f32::total_cmp);
    (angles[angles.len() / 2], *angles.last().unwrap())
}

/// A seam parts UVs, not the surface: where the source's normals agree on both sides, the result's are the same. Without that they
/// differ by 15° at the median. The source may bring its normals or leave them to be made.
#[rstest]
#[case::brought(true, &[2000, 300, 60])]
#[case::made(false, &[2000, 300])]
fn normals_agree_across_seams(#[case] brought: bool, #[case] targets: &[usize]) {
    let mut source = crate::common::globe(96, 64, 0.0);
    if brought {
        source.normals = (0..source.vertex_count() as u32)
            .map(|v| source.position(v).normalize())
            .collect();
        source
            .runs
            .iter_mut()
            .for_each(|r| r.channels.normals = true);
    }
    for &target in targets {
        let (options, progress) = (Options::default(), Progress::new());
        let mut made = cut(&source, target, &options, &progress).unwrap();
        refine(&source, &options, &mut made, &progress).unwrap();
        let (median, worst) = across_seams(&made.mesh);
        assert!(
            worst < 0.1,
            "{target}: {median}° at the median, {worst}° at worst"
        );
    }
}

/// Where the source's normals part, at the edges of boxes whose sides are flat shaded, the result's do too.
#[test]
fn normals_part_where_the_source_parts_them() {
    let mut source = crate::common::plates(1, 12);
    let mut normals = vec![glam::Vec3::ZERO; source.vertex_count()];
    for corners in source.corners.chunks_exact(3) {
        let [a, b, c] = [0, 1, 2].map(|k| source.position(corners[k]));
        let normal = (b - a).cross(c - a).normalize();
        let main = normal.abs().max_position();
        let mut flat = glam::Vec3::ZERO;
        flat[main] = normal[main].signum();
        corners.iter().for_each(|&v| normals[v as usize] = flat);
    }
    source.normals = normals;
    source
        .runs
        .iter_mut()
        .for_each(|r| r.channels.normals = true);
    let made = cut(&source, 60, &Options::default(), &Progress::new()).unwrap();
    let (median, _) = across_seams(&made.mesh);
    assert!((median - 90.0).abs() < 0.1, "{median}°");
}
