//! Skins of shapes that are known exactly, and of what is broken.

use ectome_mesh::{
    Mesh, MeshBuilder, Primitive, Progress, edit, measure, nearest::SurfaceIndex, shapes,
};
use ectome_rebuild::{RebuildError, Settings, Skin, rebuild, volume};
use glam::{Affine3A, Quat, Vec3};
use rstest::rstest;

/// A mesh of several, each moved, as parts of their own.
fn together(list: &[(&str, Mesh, Affine3A)]) -> Mesh {
    let mut builder = MeshBuilder::new();
    for (name, mesh, motion) in list {
        builder.part(name, *motion).primitive(Primitive {
            positions: (0..mesh.vertex_count() as u32)
                .map(|v| mesh.position(v))
                .collect(),
            corners: mesh.corners.clone(),
            ..Primitive::default()
        });
    }
    builder.finish()
}

fn cuboid(size: Vec3) -> Mesh {
    let mut p = Primitive::default();
    for k in 0..8 {
        let bit = |b: u32| if k >> b & 1 == 1 { 0.5 } else { -0.5 };
        p.positions.push(size * Vec3::new(bit(0), bit(1), bit(2)));
    }
    let quads = [
        [0, 4, 6, 2],
        [1, 3, 7, 5],
        [0, 1, 5, 4],
        [2, 6, 7, 3],
        [0, 2, 3, 1],
        [4, 5, 7, 6],
    ];
    for [a, b, c, d] in quads {
        p.corners.extend([a, b, c, a, c, d]);
    }
    let mut builder = MeshBuilder::new();
    builder.part("box", Affine3A::IDENTITY).primitive(p);
    builder.finish()
}

fn torus(ring: f32, tube: f32) -> Mesh {
    let (n, m) = (96u32, 48u32);
    let mut p = Primitive::default();
    for i in 0..n {
        for j in 0..m {
            let (u, v) = (i as f32 / n as f32, j as f32 / m as f32);
            let (u, v) = (std::f32::consts::TAU * u, std::f32::consts::TAU * v);
            let r = ring + tube * v.cos();
            p.positions
                .push(Vec3::new(r * u.cos(), tube * v.sin(), -r * u.sin()));
            let at = |i: u32, j: u32| (i % n) * m + j % m;
            let (a, b, c, d) = (at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1));
            p.corners.extend([a, b, c, a, c, d]);
        }
    }
    let mut builder = MeshBuilder::new();
    builder.part("ring", Affine3A::IDENTITY).primitive(p);
    builder.finish()
}

#[track_caller]
fn skin(mesh: &Mesh, cell: f32) -> Skin {
    let skin = rebuild(mesh, &Settings::with_cell(cell), &Progress::new()).unwrap();
    skin.mesh.check().unwrap();
    let r = &skin.report;
    assert_eq!((r.border_edges, r.non_manifold_edges), (0, 0), "{r:?}");
    skin
}

/// The largest distance of the skin's points and middles from a surface.
fn off(skin: &Mesh, surface: &Mesh) -> f32 {
    let index = SurfaceIndex::of(surface);
    let middles = (0..skin.face_count()).map(|f| skin.triangle(f).iter().sum::<Vec3>() / 3.0);
    let places: Vec<Vec3> = skin.points.iter().copied().chain(middles).collect();
    index
        .nearest_each(&places)
        .into_iter()
        .flatten()
        .map(|p| p.distance)
        .fold(0.0, f32::max)
}

/// A tip of the source that is narrower than a cell draws several vertices to it. No two of them come to lie in one place: a face between
/// them would have no area, and importers complain of such faces.
#[test]
fn tips_narrower_than_a_cell_leave_faces_their_area() {
    let mut ball = shapes::icosphere(1.0, 6);
    for (i, p) in ball.points.iter_mut().enumerate() {
        // Every seventh point stands out.
        *p *= 1.0 + 0.03 * f32::from(u8::from(i % 7 == 0));
    }
    for cell in [0.02, 0.03, 0.05] {
        let made = skin(&ball, cell);
        let sides = (0..made.mesh.face_count()).flat_map(|f| {
            let [a, b, c] = made.mesh.triangle(f);
            [a.distance(b), b.distance(c), c.distance(a)]
        });
        let (shortest, none) = sides.fold((f32::INFINITY, 0), |(least, none), d| {
            (least.min(d), none + usize::from(d == 0.0))
        });
        println!("cells of {cell}: shortest side {shortest:.6}, without length {none}");
        assert!(shortest > 1e-4 * cell, "{shortest}");
    }
}

/// Closed forms: 4/3 π r³ and 2 π² R r²; genus 0 and 1 (Euler). The bar is .1 % of volume, of the meshes that are rebuilt.
#[test]
fn a_sphere_and_a_torus_keep_their_volume_and_their_handles() {
    let ball = shapes::icosphere(1.0, 6);
    let made = skin(&ball, 0.03);
    assert_eq!((made.report.components, made.report.genus), (1, 0));
    let share = volume(&made.mesh) / (4.0 / 3.0 * std::f64::consts::PI);
    println!("ball {share:.5}");
    assert!((share - 1.0).abs() < 1e-3, "{share}");
    let ring = torus(1.0, 0.35);
    let made = skin(&ring, 0.03);
    assert_eq!((made.report.components, made.report.genus), (1, 1));
    let share = volume(&made.mesh) / volume(&ring);
    println!("torus {share:.5}");
    assert!((share - 1.0).abs() < 1e-3, "{share}");
}

/// Edges and corners of a cube in line with the grid and of one that lies askew are where they were, to .001 % of its diagonal.
#[rstest]
#[case(0.0, 0.05, 1e-5)]
#[case(0.37, 0.05, 1e-5)]
#[case(0.37, 3f32.sqrt() / 200.0, 1e-5)]
fn a_cube_keeps_its_edges_and_corners(#[case] turn: f32, #[case] cell: f32, #[case] most: f32) {
    let frame = Affine3A::from_quat(Quat::from_euler(
        glam::EulerRot::XYZ,
        turn,
        2.0 * turn,
        0.7 * turn,
    ));
    let cube = together(&[("box", cuboid(Vec3::ONE), frame)]);
    let made = skin(&cube, cell);
    assert_eq!((made.report.components, made.report.genus), (1, 0));
    let diagonal = measure::bounds(&cuboid(Vec3::ONE)).diagonal();
    let worst = off(&made.mesh, &cube) / diagonal;
    println!("skin to cube {:.5} %", 100.0 * worst);
    // And the other way: places along its edges lie on the skin.
    let index = SurfaceIndex::of(&made.mesh);
    let mut away = 0.0f32;
    for k in 0..=100 {
        let t = k as f32 / 100.0 - 0.5;
        for edge in [
            Vec3::new(t, 0.5, 0.5),
            Vec3::new(0.5, t, -0.5),
            Vec3::new(-0.5, 0.5, t),
        ] {
            let at = frame.transform_point3(edge);
            away = away.max(index.nearest(at).unwrap().distance);
        }
    }
    println!("edges to skin {:.5} %", 100.0 * away / diagonal);
    assert!(worst < most && away / diagonal < most, "{worst} {away}");
}

/// Pieces run into one another, one of them inside out and one buried: one skin over their union, without what is inside.
/// A spike that stands out of a ball by two and a half cells, and is hardly one wide where it does, has no corner of the grid inside. The skin
/// comes to its tip all the same, to a quarter of a cell.
#[test]
fn what_is_thinner_than_a_cell_is_reached() {
    let cell = 0.05f32;
    let tip = Vec3::new(0.31, 0.87, 0.38).normalize() * (1.0 + 2.5 * cell);
    let side = tip.any_orthonormal_vector();
    let other = tip.normalize().cross(side);
    // It goes down into the ball and widens.
    let foot = |turn: f32| 0.9 * tip.normalize() + cell * (turn.cos() * side + turn.sin() * other);
    let p = Primitive {
        positions: vec![tip, foot(0.0), foot(2.094), foot(4.189)],
        corners: vec![0, 1, 2, 0, 2, 3, 0, 3, 1, 1, 3, 2],
        ..Primitive::default()
    };
    let mut builder = MeshBuilder::new();
    builder.part("spike", Affine3A::IDENTITY).primitive(p);
    let both = together(&[
        ("ball", shapes::icosphere(1.0, 5), Affine3A::IDENTITY),
        ("spike", builder.finish(), Affine3A::IDENTITY),
    ]);
    let made = skin(&both, cell);
    assert_eq!((made.report.components, made.report.genus), (1, 0));
    let near = SurfaceIndex::of(&made.mesh).nearest(tip).unwrap();
    assert!(
        near.distance < 0.25 * cell,
        "{} cells",
        near.distance / cell
    );
    // What leads up to it is as wide as a triangle of the skin at its foot.
    let stands_off = off(&made.mesh, &both);
    assert!(stands_off < 0.6 * cell, "{} cells", stands_off / cell);
}

#[test]
fn a_kit_bash_becomes_the_outside_of_its_union() {
    let mut turned = cuboid(Vec3::new(2.0, 0.4, 0.4));
    turned
        .corners
        .chunks_exact_mut(3)
        .for_each(|t| t.swap(1, 2));
    let kit = together(&[
        ("ball", shapes::icosphere(0.5, 5), Affine3A::IDENTITY),
        ("beam", turned, Affine3A::from_rotation_y(0.3)),
        (
            "buried",
            shapes::icosphere(0.2, 3),
            Affine3A::from_translation(Vec3::new(0.1, 0.0, 0.0)),
        ),
    ]);
    let made = skin(&kit, 0.02);
    let r = &made.report;
    assert_eq!(
        (r.pieces, r.turned, r.components, r.genus),
        (3, 1, 1, 0),
        "{r:?}"
    );
    assert!(r.openings.is_empty(), "{:?}", r.openings);
    // Nothing of the buried ball is left, and nothing of the beam inside the ball.
    let inside = made
        .mesh
        .points
        .iter()
        .filter(|p| p.length() < 0.49 && p.y.abs() < 0.19)
        .count();
    assert_eq!(inside, 0);
    let names: Vec<&str> = made.mesh.parts.iter().map(|p| p.name.as_str()).collect();
    assert_eq!(names, ["ball", "beam", "buried"]);
    let held = made.mesh.triangles_per_part();
    assert!(held[0] > 100 && held[1] > 100 && held[2] == 0, "{held:?}");
    assert!(
        off(&made.mesh, &kit) < 0.05 * 0.02,
        "{}",
        off(&made.mesh, &kit)
    );
}

#[test]
fn holes_are_closed_and_listed() {
    let ball = shapes::icosphere(1.0, 5);
    let holed = edit::kept(&ball, |f| {
        let middle = ball.triangle(f).iter().sum::<Vec3>() / 3.0;
        middle.normalize().y < 0.95 && middle.normalize().x < 0.985
    });
    let made = skin(&holed, 0.04);
    assert_eq!((made.report.components, made.report.genus), (1, 0));
    assert_eq!(made.report.openings.len(), 2, "{:?}", made.report.openings);
    let first = made.report.openings[0];
    assert!(first.at_m[1] > 0.8 && first.across_m > 0.4, "{first:?}");
    let share = volume(&made.mesh) / (4.0 / 3.0 * std::f64::consts::PI);
    assert!((0.97..1.005).contains(&share), "{share}");
}

/// A sheet has its thickness; a ball within a ball is a hollow, filled or kept.
#[test]
fn sheets_and_hollows_are_taken_as_they_are_meant() {
    let ball = shapes::icosphere(1.0, 4);
    let cap = edit::kept(&ball, |f| ball.triangle(f)[0].y > 0.6);
    let settings = Settings {
        sheet_m: 0.08,
        ..Settings::with_cell(0.05)
    };
    let made = rebuild(&cap, &settings, &Progress::new()).unwrap();
    let r = &made.report;
    assert_eq!(
        (
            r.border_edges,
            r.non_manifold_edges,
            r.sheets(),
            r.components
        ),
        (0, 0, 1, 1)
    );
    let thick = volume(&made.mesh) / measure::area(&cap);
    assert!((thick / 0.08 - 1.0).abs() < 0.25, "{thick}");
    let mut inner = shapes::icosphere(0.5, 4);
    inner.corners.chunks_exact_mut(3).for_each(|t| t.swap(1, 2));
    let mut shell = ball.clone();
    let shift = shell.points.len() as u32;
    let vertices = shell.vertex_count() as u32;
    shell.points.extend(&inner.points);
    shell
        .vertex_point
        .extend(inner.vertex_point.iter().map(|p| p + shift));
    shell.normals.extend(&inner.normals);
    shell
        .corners
        .extend(inner.corners.iter().map(|v| v + vertices));
    shell.runs[0].faces.end += inner.face_count() as u32;
    // The inner ball is a piece of its own and is turned outward: solid all through.
    let made = skin(&shell, 0.06);
    assert_eq!(made.report.components, 1);
}

/// A gap between two boxes is filled where that is wanted, flush with its mouths; the crease where two meet at an angle stays.
#[test]
fn gaps_are_closed_and_creases_stay() {
    let (gap, cell) = (0.12f32, 0.04);
    let beside = Affine3A::from_translation(Vec3::X * (1.0 + gap));
    let two = together(&[
        ("a", cuboid(Vec3::ONE), Affine3A::IDENTITY),
        ("b", cuboid(Vec3::ONE), beside),
    ]);
    assert_eq!(skin(&two, cell).report.components, 2);
    let closing = Settings {
        gaps_m: 0.15,
        ..Settings::with_cell(cell)
    };
    let made = rebuild(&two, &closing, &Progress::new()).unwrap();
    assert_eq!((made.report.components, made.report.genus), (1, 0));
    let share = volume(&made.mesh) / f64::from(2.0 + gap);
    println!("closed gap {share:.4}");
    assert!((share - 1.0).abs() < 0.01, "{share}");
    let corner = together(&[
        (
            "floor",
            cuboid(Vec3::new(2.0, 0.4, 2.0)),
            Affine3A::IDENTITY,
        ),
        (
            "wall",
            cuboid(Vec3::new(0.4, 2.0, 2.0)),
            Affine3A::from_translation(Vec3::new(0.8, 0.9, 0.0)),
        ),
    ]);
    let (plain, closed) = (
        skin(&corner, cell),
        rebuild(&corner, &closing, &Progress::new()).unwrap(),
    );
    let share = volume(&closed.mesh) / volume(&plain.mesh);
    assert!((share - 1.0).abs() < 1e-3, "{share}");
}

#[test]
fn the_same_on_any_number_of_threads() {
    let kit = together(&[
        ("a", shapes::icosphere(0.5, 4), Affine3A::IDENTITY),
        (
            "b",
            cuboid(Vec3::ONE),
            Affine3A::from_translation(Vec3::splat(0.3)),
        ),
    ]);
    let on = |threads: usize| {
        let pool = rayon_pool(threads);
        pool.install(|| skin(&kit, 0.05).mesh)
    };
    assert_eq!(on(1), on(2));
}

fn rayon_pool(threads: usize) -> rayon::ThreadPool {
    rayon::ThreadPoolBuilder::new()
        .num_threads(threads)
        .build()
        .unwrap()
}

#[test]
fn what_cannot_be_rebuilt_says_why() {
    let cube = cuboid(Vec3::ONE);
    let with = |mesh: &Mesh, cell| {
        rebuild(mesh, &Settings::with_cell(cell), &Progress::new()).unwrap_err()
    };
    assert!(matches!(with(&Mesh::default(), 0.1), RebuildError::Empty));
    assert!(matches!(with(&cube, 0.0), RebuildError::NoSize(_)));
    assert!(matches!(with(&cube, f32::NAN), RebuildError::NoSize(_)));
    assert!(matches!(with(&cube, 1e-5), RebuildError::TooFine { .. }));
    let progress = Progress::new();
    progress.cancel();
    let stopped = rebuild(&cube, &Settings::with_cell(0.05), &progress).unwrap_err();
    assert!(matches!(stopped, RebuildError::Cancelled(_)));
    // One triangle is a sheet: it becomes a film, or at a size that loses it, nothing.
    let one = edit::kept(&cube, |f| f == 0);
    let film = rebuild(&one, &Settings::with_cell(0.05), &Progress::new()).unwrap();
    assert_eq!((film.report.sheets(), film.report.border_edges), (1, 0));
}
