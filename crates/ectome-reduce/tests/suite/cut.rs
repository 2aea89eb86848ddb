//! What a cut keeps, on solids whose properties are known in closed form and on broken meshes.

use crate::common::globe;
use ectome_compare::compare;
use ectome_mesh::{
    Cancelled, Mesh, MeshBuilder, Primitive, Progress, measure, shapes,
    topology::{Topology, sorted_half_edges},
};
use ectome_reduce::{CutError, Options, Size, cut, first_pass};
use glam::{Affine3A, Vec2, Vec3};
use proptest::prelude::*;
use rstest::rstest;

fn cut_to(mesh: &Mesh, target: usize) -> Mesh {
    let result = cut(mesh, target, &Options::default(), &Progress::new())
        .unwrap()
        .mesh;
    result.check().unwrap();
    result
}

#[rstest]
#[case::half(0.5)]
#[case::tenth(0.1)]
#[case::hundredth(0.01)]
fn the_target_is_met_and_never_passed(
    #[case] share: f64,
    #[values(
        shapes::icosphere(1.0, 5),
        shapes::torus(1.0, 0.4, 160, 64),
        globe(128, 64, 0.05)
    )]
    mesh: Mesh,
) {
    let target = (mesh.triangle_count() as f64 * share) as usize;
    let low = cut_to(&mesh, target);
    assert!(low.triangle_count() <= target && low.triangle_count() + 2 >= target);
    let (before, after) = (Topology::of(&mesh), Topology::of(&low));
    assert_eq!(after.euler_characteristic, before.euler_characteristic);
    assert_eq!((after.open_edges, after.nonmanifold_edges), (0, 0));
    assert_eq!((after.inconsistent_edges, after.degenerate_faces), (0, 0));
    let report = compare(&mesh, &low, &Progress::new()).unwrap();
    assert_eq!(report.flipped_faces, 0);
}

// Closed form: with its corners on the unit sphere, an equilateral triangle of area A = 4π / n sags by
// e²/6 − e²/24 on average, e² = 4A/√3. A cut that places its points well stays below that.
#[test]
fn a_sphere_stays_round() {
    let ball = shapes::icosphere(1.0, 6);
    let low = cut_to(&ball, 800);
    let report = compare(&ball, &low, &Progress::new()).unwrap();
    let edge2 = 4.0 * (4.0 * std::f64::consts::PI / 800.0) / 3f64.sqrt();
    let inscribed_mm = (edge2 / 6.0 - edge2 / 24.0) * 1e3;
    assert!(report.deviation_mean_mm < inscribed_mm, "{report:?}");
    // A shell that sags by s loses the share 3 s of the volume.
    let drift = measure::volume(&low) / measure::volume(&ball) - 1.0;
    assert!(
        drift.abs() < 3.0 * inscribed_mm / 1e3,
        "volume drift {drift}"
    );
}

#[test]
fn a_flat_sided_solid_keeps_its_exact_shape() {
    // A box of 8 × 8 × 2 quads a side cuts back to 12 triangles without any error.
    let mut builder = MeshBuilder::new();
    builder.part("crate", Affine3A::IDENTITY);
    for (n, u) in [
        (Vec3::X, Vec3::Y),
        (-Vec3::X, Vec3::Z),
        (Vec3::Y, Vec3::Z),
        (-Vec3::Y, Vec3::X),
        (Vec3::Z, Vec3::X),
        (-Vec3::Z, Vec3::Y),
    ] {
        let v = n.cross(u);
        let mut p = Primitive::default();
        for j in 0..=8 {
            for i in 0..=8 {
                p.positions
                    .push(n + u * (i as f32 / 4.0 - 1.0) + v * (j as f32 / 4.0 - 1.0));
                p.normals.push(n);
            }
        }
        for j in 0..8u32 {
            for i in 0..8 {
                let a = j * 9 + i;
                p.corners.extend([a, a + 1, a + 10, a, a + 10, a + 9]);
            }
        }
        builder.primitive(p);
    }
    let mesh = builder.finish();
    assert!((measure::volume(&mesh) - 8.0).abs() < 1e-6);
    let low = cut_to(&mesh, 12);
    assert_eq!(low.triangle_count(), 12);
    assert!((measure::volume(&low) - 8.0).abs() < 1e-5);
    // Hard edges stay hard: every normal is still an axis.
    assert!(
        low.normals
            .iter()
            .all(|n| (n.abs().max_element() - 1.0).abs() < 1e-4)
    );
    assert_eq!(low.vertex_count(), 24);
}

#[test]
fn a_seam_stays_closed_and_the_texture_stays_in_place() {
    let mesh = globe(200, 100, 0.04);
    let low = cut_to(&mesh, 1_200);
    assert_eq!(Topology::of(&low).open_edges, 0, "the seam must not open");
    let set = &low.uv_sets[0];
    assert!(
        set.iter()
            .all(|uv| uv.min_element() >= -1e-6 && uv.max_element() <= 1.0 + 1e-6)
    );
    // On a lat-long sphere UVs follow from the direction: u from the longitude, v from the latitude.
    let mut drift = Vec::new();
    for (v, uv) in set.iter().enumerate() {
        let d = low.position(v as u32).normalize();
        if d.y.abs() > 0.9 {
            continue;
        }
        let u = (-d.z).atan2(d.x) / std::f32::consts::TAU;
        let off = (u - uv.x).rem_euclid(1.0);
        let off = off.min(1.0 - off) * (1.0 - d.y * d.y).sqrt() * 2.0;
        drift.push(off.hypot(d.y.acos() / std::f32::consts::PI - uv.y));
    }
    let mean = drift.iter().sum::<f32>() / drift.len() as f32;
    assert!(mean < 2e-3, "mean drift {mean} of the texture");
    // No face spans the seam: its UVs stay on one side.
    for f in 0..low.face_count() {
        let us = [0, 1, 2].map(|k| set[low.corners[3 * f + k] as usize].x);
        let span = us.iter().cloned().fold(f32::MIN, f32::max)
            - us.iter().cloned().fold(f32::MAX, f32::min);
        assert!(span < 0.6, "face {f} spans {span}");
    }
}

#[test]
fn an_open_border_keeps_its_outline() {
    // A disc: its border must stay on the circle and its area near π.
    let n = 96u32;
    let rings = 24u32;
    let mut p = Primitive::default();
    p.positions.push(Vec3::ZERO);
    for r in 1..=rings {
        for i in 0..n {
            let a = std::f32::consts::TAU * i as f32 / n as f32;
            p.positions
                .push(Vec3::new(a.cos(), a.sin(), 0.0) * r as f32 / rings as f32);
        }
    }
    for i in 0..n {
        let j = (i + 1) % n;
        p.corners.extend([0, 1 + i, 1 + j]);
        for r in 0..rings - 1 {
            let (a, b) = (1 + r * n, 1 + (r + 1) * n);
            p.corners.extend([a + i, b + i, b + j, a + i, b + j, a + j]);
        }
    }
    let mut builder = MeshBuilder::new();
    builder.primitive(p);
    let mesh = builder.finish();
    let low = cut_to(&mesh, 40);
    let t = Topology::of(&low);
    assert_eq!((t.open_loops, t.euler_characteristic), (1, 1));
    assert!((measure::area(&low) / measure::area(&mesh) - 1.0).abs() < 0.02);
    assert!(low.points.iter().all(|p| p.z.abs() < 1e-6));
}

#[test]
fn many_small_pieces_vanish_in_order_of_size() {
    let mut builder = MeshBuilder::new();
    for i in 0..60 {
        let size = 0.02 + 0.01 * i as f32;
        let ball = shapes::icosphere(size, 1);
        let at = Vec3::new(i as f32 * 2.0, 0.0, 0.0);
        builder.part(&format!("bead {i}"), Affine3A::from_translation(at));
        builder.primitive(Primitive {
            positions: ball.points.clone(),
            corners: ball.corners.clone(),
            ..Primitive::default()
        });
    }
    let mesh = builder.finish();
    // Sixty parts of four triangles each: fewer only where parts may go.
    let refused = cut(&mesh, 100, &Options::default(), &Progress::new()).unwrap_err();
    assert!(
        matches!(&refused, CutError::Held { reached: 240, held, .. } if held[0].by == "parts that would vanish"),
        "{refused}"
    );
    let options = Options {
        let_parts_go: true,
        ..Options::default()
    };
    let result = cut(&mesh, 100, &options, &Progress::new()).unwrap();
    assert!(result.mesh.triangle_count() <= 100);
    assert!(result.pieces_dropped > 0);
    let kept: Vec<usize> = result
        .mesh
        .triangles_per_part()
        .iter()
        .enumerate()
        .filter_map(|(i, &n)| (n > 0).then_some(i))
        .collect();
    let first = kept[0];
    assert_eq!(
        kept,
        (first..60).collect::<Vec<_>>(),
        "the largest beads stay"
    );
    assert_eq!(Topology::of(&result.mesh).open_edges, 0);
}

#[test]
fn the_same_bytes_for_any_number_of_threads() {
    let mesh = globe(96, 48, 0.06);
    let with = |threads: usize| {
        rayon::ThreadPoolBuilder::new()
            .num_threads(threads)
            .build()
            .unwrap()
            .install(|| cut_to(&mesh, 500))
    };
    assert_eq!(with(1), with(3));
}

#[test]
fn work_can_be_stopped() {
    let progress = Progress::new();
    progress.cancel();
    let error = cut(
        &shapes::icosphere(1.0, 4),
        100,
        &Options::default(),
        &progress,
    )
    .unwrap_err();
    assert!(matches!(error, CutError::Cancelled(Cancelled)));
}

#[test]
fn a_single_solid_cannot_go_below_a_tetrahedron() {
    let error = cut(
        &shapes::icosphere(1.0, 2),
        3,
        &Options::default(),
        &Progress::new(),
    )
    .unwrap_err();
    assert!(error.to_string().contains("cannot be met: at 4"), "{error}");
}

/// A ring has a tunnel, which needs at least 14 triangles on 7 points (Á. Császár, *A polyhedron without
/// diagonals*, 1949). Below that it has to close.
#[rstest]
#[case(200)]
#[case(6)]
#[case(4)]
fn a_ring_gives_up_its_tunnel_only_when_it_must(#[case] target: usize) {
    let ring = shapes::torus(1.0, 0.3, 48, 24);
    let result = cut(&ring, target, &Options::default(), &Progress::new()).unwrap();
    let low = result.mesh;
    assert!(
        (target - 2..=target).contains(&low.triangle_count()),
        "{}",
        low.triangle_count()
    );
    let after = Topology::of(&low);
    assert_eq!((after.open_edges, after.nonmanifold_edges), (0, 0));
    assert_eq!(result.knots_released, target < 14);
    assert_eq!(
        after.euler_characteristic,
        if result.knots_released { 2 } else { 0 }
    );
}

#[test]
fn faces_that_stand_twice_hold_nothing() {
    let mut mesh = shapes::icosphere(1.0, 3);
    let twice = mesh.corners.clone();
    mesh.corners.extend(twice);
    mesh.runs[0].faces.end *= 2;
    let n = mesh.triangle_count();
    for target in [n - 3, n / 2, 100, 4] {
        let result = cut(&mesh, target, &Options::default(), &Progress::new()).unwrap();
        assert!((target - 2..=target).contains(&result.mesh.triangle_count()));
        let after = Topology::of(&result.mesh);
        assert_eq!((after.open_edges, result.pieces_dropped), (0, 0));
        assert!(after.nonmanifold_edges <= Topology::of(&mesh).nonmanifold_edges);
    }
}

#[test]
fn a_doubled_sheet_does_not_come_to_have_open_edges() {
    let mut p = Primitive::default();
    for i in 0..25u32 {
        p.positions.push(Vec3::new(
            (i % 5) as f32,
            (i / 5) as f32,
            0.1 * (i % 3) as f32,
        ));
    }
    for i in 0..16u32 {
        let a = i / 4 * 5 + i % 4;
        p.corners.extend([a, a + 1, a + 6, a, a + 6, a + 5]);
    }
    p.corners.extend(p.corners.clone());
    let mut builder = MeshBuilder::new();
    builder.primitive(p);
    let mesh = builder.finish();
    let before = Topology::of(&mesh);
    assert_eq!(before.open_edges, 0);
    for target in [60, 50, 46] {
        let result = cut(&mesh, target, &Options::default(), &Progress::new()).unwrap();
        assert_eq!(Topology::of(&result.mesh).open_edges, 0, "{target}");
    }
    // Below that it would have to open.
    let held = cut(&mesh, 40, &Options::default(), &Progress::new());
    assert!(
        matches!(held, Err(CutError::Held { reached: 46, .. })),
        "{held:?}"
    );
}

/// A mesh of triangles between random points of a small grid: non-manifold, inconsistent, with
/// holes, duplicates and zero-area faces.
fn broken() -> impl Strategy<Value = Mesh> {
    prop::collection::vec((0u32..40, 0u32..40, 0u32..40), 10..160).prop_map(|faces| {
        let mut p = Primitive {
            uv_sets: vec![Vec::new()],
            ..Primitive::default()
        };
        for i in 0..40u32 {
            let v = Vec3::new((i % 4) as f32, (i / 4 % 4) as f32, (i / 16) as f32 * 0.7);
            p.positions.push(v + Vec3::splat((i * 7 % 5) as f32 * 0.01));
            p.uv_sets[0].push(Vec2::new((i % 7) as f32, (i % 3) as f32));
        }
        p.corners = faces.into_iter().flat_map(|(a, b, c)| [a, b, c]).collect();
        let mut builder = MeshBuilder::new();
        builder.primitive(p);
        builder.finish()
    })
}

/// A closed solid with some faces taken out.
fn holed() -> impl Strategy<Value = Mesh> {
    (
        2u32..5,
        prop::collection::vec(any::<prop::sample::Index>(), 0..12),
    )
        .prop_map(|(level, out)| {
            let mut mesh = shapes::icosphere(1.0, level);
            for index in out {
                let f = index.index(mesh.face_count());
                mesh.corners.drain(3 * f..3 * f + 3);
            }
            mesh.runs[0].faces.end = (mesh.corners.len() / 3) as u32;
            mesh
        })
}

/// True when a point has more than two open edges.
fn holes_touch(mesh: &Mesh) -> bool {
    let mut open_edges = vec![0; mesh.points.len()];
    for edge in sorted_half_edges(mesh).chunk_by(|a, b| (a.low, a.high) == (b.low, b.high)) {
        if let [one] = edge {
            open_edges[one.low as usize] += 1;
            open_edges[one.high as usize] += 1;
        }
    }
    open_edges.iter().any(|&n| n > 2)
}

fn never_worse(mesh: &Mesh, share: f64) -> Result<(), TestCaseError> {
    let target = ((mesh.triangle_count() as f64 * share) as usize).max(4);
    let before = Topology::of(mesh);
    match cut(mesh, target, &Options::default(), &Progress::new()) {
        Ok(result) => {
            let low = result.mesh;
            prop_assert!(low.check().is_ok());
            prop_assert!(low.triangle_count() <= target);
            prop_assert!(low.points.iter().all(|p| p.is_finite()));
            let after = Topology::of(&low);
            prop_assert!(after.open_edges <= before.open_edges);
            prop_assert!(after.nonmanifold_edges <= before.nonmanifold_edges);
            prop_assert!(after.duplicate_faces <= before.duplicate_faces);
            prop_assert!(after.degenerate_faces <= before.degenerate_faces);
        }
        Err(CutError::Held { reached, .. }) => prop_assert!(reached > target),
        Err(other) => return Err(TestCaseError::fail(other.to_string())),
    }
    Ok(())
}

/// How many cases: more on request, for a long run.
fn cases(usual: u32) -> u32 {
    std::env::var("ECTOME_CASES")
        .ok()
        .and_then(|n| n.parse().ok())
        .unwrap_or(usual)
}

/// Cut block by block with many borders between blocks, no edge gets worse either.
fn blocks_never_worse(mesh: &Mesh, block: usize) -> Result<(), TestCaseError> {
    let size = Size {
        block,
        leave: mesh.triangle_count() / 3,
    };
    let low = first_pass(mesh, &Options::default(), size, &Progress::new())
        .unwrap()
        .mesh;
    prop_assert!(low.check().is_ok());
    let (before, after) = (Topology::of(mesh), Topology::of(&low));
    prop_assert!(after.open_edges <= before.open_edges);
    prop_assert!(after.nonmanifold_edges <= before.nonmanifold_edges);
    prop_assert!(after.inconsistent_edges <= before.inconsistent_edges);
    prop_assert!(after.duplicate_faces <= before.duplicate_faces);
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(cases(300)))]

    #[test]
    fn a_broken_mesh_gets_no_worse(mesh in broken(), share in 0.05..0.9) {
        never_worse(&mesh, share)?;
    }

    #[test]
    fn a_broken_mesh_in_blocks_gets_no_worse(mesh in broken(), block in 5usize..80) {
        blocks_never_worse(&mesh, block)?;
    }

    #[test]
    fn a_holed_mesh_in_blocks_gets_no_worse(mesh in holed(), block in 20usize..800) {
        blocks_never_worse(&mesh, block)?;
    }

    #[test]
    fn holes_do_not_grow_in_number(mesh in holed(), share in 0.02..0.9) {
        never_worse(&mesh, share)?;
        let target = ((mesh.triangle_count() as f64 * share) as usize).max(4);
        // Nothing is guarded, so the cut may say no only where nothing at all would be left.
        let result = cut(&mesh, target, &Options::default(), &Progress::new());
        let result = result.map_err(|e| TestCaseError::fail(e.to_string()))?;
        // Holes that touch in a point count as one loop, and may come apart there.
        if !holes_touch(&mesh) {
            let loops = |m: &Mesh| Topology::of(m).open_loops;
            prop_assert!(loops(&result.mesh) <= loops(&mesh));
        }
    }
}
