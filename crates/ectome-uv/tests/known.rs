//! Shapes whose maps can be worked out by hand.

mod common;

use common::{laid_out, wall};
use ectome_mesh::{Mesh, Progress, edit, shapes};
use ectome_uv::{
    chart::Chart,
    face_graph::FaceGraph,
    flatten::{Bound, Care, flatten},
    layout::Layout,
    measure,
    pack::Settings,
    unwrap::Manner,
};
use glam::{DVec2, Vec3};
use rstest::rstest;

/// A surface whose Gaussian curvature is zero everywhere lies flat without stretch (C. F. Gauss, 1827).
#[rstest]
#[case::cylinder(wall([0.5, 0.5], 2.0, 32, 8))]
#[case::cone(wall([1.0, 0.0], 1.5, 48, 6))]
#[case::frustum(wall([1.0, 0.6], 0.8, 40, 4))]
#[case::cube(shapes::cuboid(Vec3::ONE))]
#[case::box_(shapes::cuboid(Vec3::new(1.0, 2.0, 0.3)))]
fn what_can_be_unrolled_is_not_stretched(
    #[case] mesh: Mesh,
    #[values(Manner::Soft, Manner::Mechanical)] manner: Manner,
) {
    let (_, n) = laid_out(&mesh, manner, &Settings::default());
    assert!((n.stretch_l2 - 1.0).abs() < 1e-4, "{n:?}");
    assert!((n.stretch_max - 1.0).abs() < 1e-4, "{n:?}");
    assert_eq!(
        (n.flipped_triangles, n.overlap_percent, n.without_uvs),
        (0, 0.0, 0)
    );
    assert!(n.smallest_gap_texels.unwrap() >= 8.0 - 1e-3, "{n:?}");
}

/// The walls unroll in one piece; a box has six sides.
#[test]
fn islands_follow_the_shape() {
    let count = |mesh: &Mesh, manner| laid_out(mesh, manner, &Settings::default()).1.islands;
    assert_eq!(count(&wall([0.5, 0.5], 1.0, 32, 8), Manner::Soft), 1);
    assert_eq!(count(&shapes::cuboid(Vec3::ONE), Manner::Mechanical), 6);
    assert!(count(&shapes::cuboid(Vec3::ONE), Manner::Soft) < 6);
}

/// No map of a sphere is true to size (C. F. Gauss, 1827), and a closed surface takes two islands at least.
#[test]
fn a_sphere_holds_the_bound() {
    let ball = shapes::icosphere(1.0, 4);
    let (_, n) = laid_out(&ball, Manner::Soft, &Settings::default());
    assert!(n.stretch_l2 > 1.0001 && n.stretch_l2 <= 1.02, "{n:?}");
    assert!(
        (2..=12).contains(&n.islands) && n.stretch_max < 1.6,
        "{n:?}"
    );
    assert_eq!((n.flipped_triangles, n.overlap_percent), (0, 0.0));
}

/// A cap of half angle θ is laid flat within a tenth of the excess stretch of the best known azimuthal map. With t the angle from the middle,
/// J. H. Lambert's map of equal area (1772) has the scales cos(t/2) outward and 1/cos(t/2) around; the equidistant one
/// has 1 and t / sin t. L² is the root of the mean of ½(1/a² + 1/b²) over the cap, times the mean scale.
#[rstest]
#[case(30.0)]
#[case(60.0)]
#[case(80.0)]
fn a_cap_is_stretched_no_more_than_by_azimuthal_maps(#[case] degrees: f64) {
    let theta = degrees.to_radians();
    let l2 = |scales: fn(f64) -> (f64, f64)| {
        let (mut area, mut sheet, mut squares) = (0.0, 0.0, 0.0);
        for i in 0..20_000 {
            let t = theta * (f64::from(i) + 0.5) / 20_000.0;
            let (a, b) = scales(t);
            area += t.sin();
            sheet += t.sin() * a * b;
            squares += t.sin() * 0.5 * (a.powi(-2) + b.powi(-2));
        }
        (squares / area).sqrt() * (sheet / area).sqrt()
    };
    let equal_area = l2(|t| ((t / 2.0).cos(), 1.0 / (t / 2.0).cos()));
    let equidistant = l2(|t| (1.0, t / t.sin()));
    let ball = shapes::icosphere(1.0, 5);
    let cap = edit::kept(&ball, |f| {
        ball.triangle(f)
            .iter()
            .all(|p| f64::from(p.y) >= theta.cos())
    });
    let surface = FaceGraph::of(&cap);
    let chart = Chart::new(&surface, (0..cap.face_count() as u32).collect(), |_| false);
    let bound = Bound::stretch(2.0, 9.0);
    let progress = Progress::new();
    let flat = flatten(&surface, &chart, &bound, Care::Best, &progress).unwrap();
    let best = equal_area.min(equidistant);
    let excess = (flat.stretch.l2() - 1.0) / (best - 1.0);
    // The energy that is made least weighs shrinking and growing alike, L² only one of them.
    assert!(excess < 1.1, "{} against {best}", flat.stretch.l2());
    // Whoever asked for it to stop does not wait for steps that take seconds each on large charts.
    progress.cancel();
    assert!(flatten(&surface, &chart, &bound, Care::Best, &progress).is_none());
}

/// Two squares of 1 m and 2 m on the sheet at 0.25 and 0.5: by hand 512 and 512 texels to the metre at 2048, coverage 1/16 +
/// 1/4, a gap of 0.125 · 2048 texels between them and the least edge 0.05 · 2048.
#[test]
fn numbers_of_a_layout_made_by_hand() {
    let square = |s: f32, x: f32| {
        let corner = |i: f32, j: f32| Vec3::new(x + s * i, s * j, 0.0);
        vec![
            corner(0., 0.),
            corner(1., 0.),
            corner(1., 1.),
            corner(0., 1.),
        ]
    };
    let mut positions = square(1.0, 0.0);
    positions.extend(square(2.0, 5.0));
    let mesh = common::single(positions, vec![0, 1, 2, 0, 2, 3, 4, 5, 6, 4, 6, 7]);
    let at = |x: f64, y: f64, s: f64| {
        // v runs down.
        let c = |i: f64, j: f64| DVec2::new(x + s * i, y + s * (1.0 - j));
        [
            [c(0., 0.), c(1., 0.), c(1., 1.)],
            [c(0., 0.), c(1., 1.), c(0., 1.)],
        ]
    };
    let [a, b] = at(0.0625, 0.0625, 0.25);
    let [c, d] = at(0.4375, 0.05, 0.5);
    let layout = Layout {
        island: vec![0, 0, 1, 1],
        count: 2,
        uv: vec![a, b, c, d],
        textures: Vec::new(),
        sheets: 1,
    };
    let n = measure::numbers(&mesh, &layout, &measure::islands(&mesh, &layout), 2048);
    assert!((n.coverage_percent - 31.25).abs() < 0.05, "{n:?}");
    assert!((n.texels_per_metre - 512.0).abs() < 1e-6 && n.density_spread_percent < 1e-6);
    assert!(
        (n.smallest_gap_texels.unwrap() - 0.05 * 2048.0).abs() < 1e-6,
        "{n:?}"
    );
    assert!(
        (n.stretch_l2 - 1.0).abs() < 1e-9 && n.inside_out.is_empty() && n.out_of_range.is_empty()
    );
    // Moved onto each other by a quarter of the small one, mirrored, and out of the sheet.
    let mut bad = layout.clone();
    bad.uv[0] = a.map(|p| DVec2::new(1.0 - p.x, p.y) - DVec2::new(0.4375, -0.4));
    bad.uv[1] = b.map(|p| DVec2::new(1.0 - p.x, p.y) - DVec2::new(0.4375, -0.4));
    let n = measure::numbers(&mesh, &bad, &measure::islands(&mesh, &bad), 2048);
    assert_eq!(
        (n.inside_out.as_slice(), n.overlapping.as_slice()),
        (&[0][..], &[0, 1][..])
    );
    assert!(
        n.overlap_percent > 1.0 && n.out_of_range.is_empty(),
        "{n:?}"
    );
    // On textures of their own they are on sheets of their own.
    let apart = Layout {
        textures: vec![0, 0, 1, 1],
        ..bad.clone()
    };
    let n = measure::numbers(&mesh, &apart, &measure::islands(&mesh, &apart), 2048);
    assert_eq!(
        (n.sheets, n.overlapping.len(), n.overlap_percent),
        (2, 0, 0.0)
    );
    assert!((n.coverage_percent - 31.25 / 2.0).abs() < 0.05, "{n:?}");
    bad.uv[2] = c.map(|p| p + DVec2::new(0.0, 0.6));
    bad.uv[3] = d.map(|p| p + DVec2::new(0.0, 0.6));
    let n = measure::numbers(&mesh, &bad, &measure::islands(&mesh, &bad), 2048);
    assert_eq!(n.out_of_range, [1]);
}
