//! Maps against closed forms: what must come out is known without any renderer.

use ectome_bake::{Baked, Directions, Kind, Map, Matching, Reach, Settings, Source, bake};
use ectome_mesh::{Mesh, MeshBuilder, Primitive, Progress, measure, shapes};
use ectome_texture::srgb;
use glam::{Affine3A, Vec2, Vec3};
use rstest::rstest;

use crate::sheet;

/// A grid of `n` × `n` squares with smooth normals.
fn sheet(n: u32, height: impl Fn(f32, f32) -> f32) -> Mesh {
    let mut mesh = sheet::sheet(n, height);
    mesh.normals = measure::smooth_normals(&mesh);
    mesh.runs.iter_mut().for_each(|r| r.channels.normals = true);
    mesh
}

/// A torus with UVs of its own: a grid of the two angles, cut open along both.
fn ring(ring: f32, tube: f32, around: u32, across: u32) -> Mesh {
    let mut p = Primitive {
        uv_sets: vec![Vec::new()],
        ..Primitive::default()
    };
    for i in 0..=around {
        for j in 0..=across {
            let (u, v) = (i as f32 / around as f32, j as f32 / across as f32);
            // The last column and row stand exactly on the first.
            let turn = |k: u32, n: u32| std::f32::consts::TAU * (k % n) as f32 / n as f32;
            let (a, b) = (turn(i, around), turn(j, across));
            let r = ring + tube * b.cos();
            p.positions
                .push(Vec3::new(r * a.cos(), tube * b.sin(), r * a.sin()));
            p.uv_sets[0].push(Vec2::new(u, v));
        }
    }
    for i in 0..around {
        for j in 0..across {
            let at = |i: u32, j: u32| i * (across + 1) + j;
            let [a, b, c, d] = [at(i, j), at(i, j + 1), at(i + 1, j + 1), at(i + 1, j)];
            p.corners.extend([a, b, c, a, c, d]);
        }
    }
    let mut builder = MeshBuilder::new();
    builder.part("ring", Affine3A::IDENTITY).primitive(p);
    builder.finish()
}

/// Several meshes as parts of one.
fn together(list: &[&Mesh]) -> Mesh {
    let mut builder = MeshBuilder::new();
    for (i, mesh) in list.iter().enumerate() {
        builder
            .part(&format!("part {i}"), Affine3A::IDENTITY)
            .primitive(Primitive {
                positions: (0..mesh.vertex_count() as u32)
                    .map(|v| mesh.position(v))
                    .collect(),
                corners: mesh.corners.clone(),
                material: Some(i as u32),
                ..Primitive::default()
            });
    }
    builder.finish()
}

/// A rectangle from a corner along two edges; it faces the way their cross product points.
fn wall(corner: Vec3, along: Vec3, up: Vec3) -> Mesh {
    let mut builder = MeshBuilder::new();
    builder
        .part("wall", Affine3A::IDENTITY)
        .primitive(Primitive {
            positions: vec![corner, corner + along, corner + along + up, corner + up],
            corners: vec![0, 1, 2, 0, 2, 3],
            ..Primitive::default()
        });
    builder.finish()
}

fn baked(source: &Mesh, low: &Mesh, settings: &Settings) -> Baked {
    bake(&Source::of(source), low, settings, &Progress::new()).unwrap()
}

fn only(kind: Kind, size: u32) -> Settings {
    Settings {
        size,
        padding: 2,
        kinds: vec![kind],
        ..Settings::default()
    }
}

fn at(map: &Map, size: usize, x: usize, y: usize) -> Vec3 {
    let c = map.kind.channels();
    let from = (y * size + x) * c;
    let one = |k: usize| {
        let v = f32::from(map.texels[from + k.min(c - 1)]) / 65_535.0;
        if map.kind.is_srgb() {
            srgb::to_linear(v)
        } else {
            v
        }
    };
    Vec3::new(one(0), one(1), one(2))
}

/// Waves of height a sin(kx) sin(kz): their normals are (−∂h/∂x, 1, −∂h/∂z).
#[rstest]
#[case::green_up(true)]
#[case::green_down(false)]
fn a_plane_over_waves_gets_their_normals(#[case] green_up: bool) {
    let (a, k) = (0.02f32, 18.0f32);
    let height = |x: f32, z: f32| a * (k * x).sin() * (k * z).sin();
    let source = sheet(400, height);
    let low = sheet(1, |_, _| 0.0);
    let settings = Settings {
        green_up,
        ..only(Kind::Normal, 256)
    };
    let b = baked(&source, &low, &settings);
    assert_eq!(b.counts.misses(), 0);
    let mut off = Vec::new();
    for y in 0..256 {
        for x in 0..256 {
            let (u, v) = ((x as f32 + 0.5) / 256.0, (y as f32 + 0.5) / 256.0);
            let dx = a * k * (k * u).cos() * (k * v).sin();
            let dz = a * k * (k * u).sin() * (k * v).cos();
            // Tangents along U, which is x; green up is against V, which is −z.
            let green = if green_up { dz } else { -dz };
            let want = Vec3::new(-dx, green, 1.0).normalize();
            let have = at(&b.maps[0], 256, x, y) * 2.0 - 1.0;
            off.push(have.normalize().angle_between(want).to_degrees());
        }
    }
    off.sort_by(f32::total_cmp);
    let mean = off.iter().sum::<f32>() / off.len() as f32;
    let most = off[off.len() * 99 / 100];
    assert!(mean <= 0.5 && most <= 2.0, "{mean} {most}");
}

/// The floor at distance d before a wall of height h and endless width sees (1 + d/√(d² + h²)) / 2 of the sky: a strip's form
/// factor (J. R. Howell, *A Catalog of Radiation Configuration Factors*, B-5 in its limit; from memory).
#[test]
fn a_floor_before_a_wall_is_dark_by_the_form_factor() {
    let floor = sheet(64, |_, _| 0.0);
    let (far, h) = (400.0, 0.5f32);
    // At x = 0, facing +x, endless along z.
    let wall = wall(
        Vec3::new(0.0, 0.0, far),
        Vec3::Z * (-2.0 * far),
        Vec3::Y * h,
    );
    let source = together(&[&floor, &wall]);
    let low = sheet(1, |_, _| 0.0);
    let settings = Settings {
        rays: 256,
        ..only(Kind::Occlusion, 64)
    };
    let b = baked(&source, &low, &settings);
    for x in 2..64 {
        let d = (x as f32 + 0.5) / 64.0;
        let want = (1.0 + d / (d * d + h * h).sqrt()) / 2.0;
        let column: f32 = (8..56).map(|y| at(&b.maps[0], 64, x, y).x).sum::<f32>() / 48.0;
        assert!(
            (column - want).abs() <= 0.02 * want,
            "{d}: {column} for {want}"
        );
    }
}

/// The middle of the floor of a square pit of edge 1 and depth 1/2 sees through its mouth: a square above its middle, whose form
/// factor is 4 times that of a quarter, (2/π)(X/√(1+X²)) atan(X/√(1+X²)) / 2 ... with X = 1 (Howell, B-3; from memory).
#[test]
fn the_bottom_of_a_pit_sees_its_mouth() {
    let depth = 0.5f32;
    let floor = sheet(32, |_, _| 0.0);
    let up = Vec3::Y * depth;
    let walls = [
        wall(Vec3::new(0.0, 0.0, 1.0), -Vec3::Z, up),
        wall(Vec3::new(1.0, 0.0, 0.0), Vec3::Z, up),
        wall(Vec3::new(0.0, 0.0, 0.0), Vec3::X, up),
        wall(Vec3::new(1.0, 0.0, 1.0), -Vec3::X, up),
    ];
    let source = together(&[&floor, &walls[0], &walls[1], &walls[2], &walls[3]]);
    let low = sheet(1, |_, _| 0.0);
    let settings = Settings {
        rays: 1024,
        reach: Reach::Metres(0.01),
        ..only(Kind::Occlusion, 65)
    };
    let b = baked(&source, &low, &settings);
    // A quarter of the mouth seen from below its corner: sides a, b over the distance c.
    let (x, y) = (0.5 / depth, 0.5 / depth);
    let leg = |x: f32, y: f32| x / (1.0 + x * x).sqrt() * (y / (1.0 + x * x).sqrt()).atan();
    let quarter = (leg(x, y) + leg(y, x)) / std::f32::consts::TAU;
    let want = 4.0 * quarter;
    let have: f32 = (28..37)
        .flat_map(|y| (28..37).map(move |x| (x, y)))
        .map(|(x, y)| at(&b.maps[0], 65, x, y).x)
        .sum::<f32>()
        / 81.0;
    assert!(
        (have - want).abs() <= 0.02 * want + 0.005,
        "{have} for {want}"
    );
}

/// Inside a closed sphere nothing is open.
#[test]
fn inside_a_sphere_it_is_dark() {
    let mut ball = shapes::icosphere(1.0, 4);
    // Turned inside out, so that it is looked at from within.
    ball.corners.chunks_exact_mut(3).for_each(|t| t.swap(1, 2));
    let floor = sheet(8, |_, _| 0.0);
    let mut small = floor.clone();
    small
        .points
        .iter_mut()
        .for_each(|p| *p = (*p - Vec3::new(0.5, 0.0, 0.5)) * 0.5);
    let source = together(&[&small, &ball]);
    let settings = Settings {
        reach: Reach::Metres(0.01),
        ..only(Kind::Occlusion, 32)
    };
    let b = baked(&source, &small, &settings);
    assert!(b.maps[0].texels.iter().all(|&v| v == 0));
}

/// A step of known height: both levels come out exactly.
#[test]
fn a_step_has_its_height() {
    let step = 0.03f32;
    let upper = wall(Vec3::new(0.5, step, 1.0), Vec3::X * 0.5, -Vec3::Z);
    let lower = wall(Vec3::new(0.0, 0.0, 1.0), Vec3::X * 0.5, -Vec3::Z);
    let source = together(&[&upper, &lower]);
    let low = sheet(1, |_, _| 0.0);
    let settings = Settings {
        height: Some(0.05),
        ..only(Kind::Height, 64)
    };
    let b = baked(&source, &low, &settings);
    assert_eq!(b.maps[0].range_m, Some([-0.05, 0.05]));
    let metres = |x| (at(&b.maps[0], 64, x, 32).x - 0.5) * 0.1;
    let quantum = 0.1 / 65_535.0;
    assert!((metres(8) - 0.0).abs() <= quantum, "{}", metres(8));
    assert!((metres(56) - step).abs() <= quantum, "{}", metres(56));
}

/// A slab is as thick as it is.
#[test]
fn a_slab_has_its_thickness() {
    let thick = 0.08f32;
    let slab = shapes::cuboid(Vec3::new(4.0, thick, 4.0));
    let mut low = sheet(1, |_, _| thick / 2.0);
    low.points
        .iter_mut()
        .for_each(|p| (p.x, p.z) = (p.x - 0.5, p.z - 0.5));
    let b = baked(&slab, &low, &only(Kind::Thickness, 32));
    let [_, most] = b.maps[0].range_m.unwrap();
    let have = at(&b.maps[0], 32, 16, 16).x * most;
    assert!((have - thick).abs() <= 0.01 * thick, "{have}");
}

/// A mesh baked onto itself is flat everywhere: straight up in its own tangent space.
#[test]
fn a_mesh_baked_onto_itself_is_flat() {
    let mut mesh = ring(1.0, 0.35, 64, 32);
    mesh.normals = measure::smooth_normals(&mesh);
    mesh.runs.iter_mut().for_each(|r| r.channels.normals = true);
    let b = baked(&mesh, &mesh, &only(Kind::Normal, 512));
    assert_eq!(b.counts.misses(), 0);
    let flat = Vec3::new(0.5, 0.5, 1.0);
    let texels = 512 * 512;
    let off = (0..texels)
        .map(|i| {
            (at(&b.maps[0], 512, i % 512, i / 512) - flat)
                .abs()
                .max_element()
        })
        .filter(|off| *off > 1.0 / 255.0)
        .count();
    assert!(off * 1000 <= texels, "{off} of {texels} texels");
}

/// Curvature of a ball of radius 1 shown in full at a radius of 2: 1/1 × 2 is beyond, at a radius of ½ it is half.
#[test]
fn curvature_is_one_over_the_radius() {
    let ball = ring(1.0, 0.25, 192, 96);
    let settings = Settings {
        curvature_radius: Some(0.125),
        ..only(Kind::Curvature, 128)
    };
    let b = baked(&ball, &ball, &settings);
    let (mut most, mut least) = (0.0f32, f32::INFINITY);
    for i in 0..128 * 128 {
        let k = (at(&b.maps[0], 128, i % 128, i / 128).x - 0.5) * 2.0 / 0.125;
        (most, least) = (most.max(k), least.min(k));
    }
    // (R ± 2r) / (2r(R ± r)) on the outer and on the inner side.
    let [outer, inner] = [1.0f32, -1.0].map(|s| (1.0 + s * 0.5) / (0.5 * (1.0 + s * 0.25)));
    assert!((most - outer).abs() < 0.05 * outer, "{most} for {outer}");
    assert!((least - inner).abs() < 0.05 * inner, "{least} for {inner}");
}

/// A thin blade with two faces: each side shows itself, never the other.
#[test]
fn a_thin_blade_shows_its_own_side() {
    let thick = 0.002f32;
    let blade = shapes::cuboid(Vec3::new(1.0, thick, 1.0));
    let mut upper = sheet(1, |_, _| thick / 2.0);
    upper
        .points
        .iter_mut()
        .for_each(|p| (p.x, p.z) = (p.x - 0.5, p.z - 0.5));
    let mut lower = upper.clone();
    lower.points.iter_mut().for_each(|p| p.y = -p.y);
    lower.corners.chunks_exact_mut(3).for_each(|t| t.swap(1, 2));
    lower.normals.iter_mut().for_each(|n| *n = -*n);
    for (low, up) in [(upper, 1.0), (lower, 0.0)] {
        for directions in [Directions::Averaged, Directions::Faces, Directions::Blended] {
            let settings = Settings {
                directions,
                ..only(Kind::NormalObject, 64)
            };
            let b = baked(&blade, &low, &settings);
            assert_eq!(b.counts.misses(), 0, "{directions:?}");
            let green = (0..64 * 64).map(|i| at(&b.maps[0], 64, i % 64, i / 64).y);
            assert!(green.into_iter().all(|g| (g - up).abs() < 1e-3));
        }
    }
}

/// Neighbours bleed when everything is baked from everything, and not when parts are matched.
#[test]
fn matched_parts_do_not_bleed() {
    let floor = wall(Vec3::new(0.0, 0.0, 1.0), Vec3::X, -Vec3::Z);
    // Another part that hangs close above half of it.
    let lid = wall(Vec3::new(0.5, 0.01, 1.0), Vec3::X * 0.5, -Vec3::Z);
    let source = together(&[&floor, &lid]);
    let low = sheet(1, |_, _| 0.0);
    let mut settings = Settings {
        reach: Reach::Metres(0.05),
        ..only(Kind::PartId, 32)
    };
    let all = baked(&source, &low, &settings);
    assert_ne!(at(&all.maps[0], 32, 4, 4), at(&all.maps[0], 32, 28, 4));
    settings.matching = Matching::Groups {
        low: vec![0],
        source: vec![0, 1],
    };
    let matched = baked(&source, &low, &settings);
    assert_eq!(
        at(&matched.maps[0], 32, 4, 4),
        at(&matched.maps[0], 32, 28, 4)
    );
    assert_eq!(matched.counts.misses(), 0);
}

/// Where there is no source, texels are told to have missed.
#[test]
fn what_is_missed_is_counted_for_its_part() {
    let half = wall(Vec3::new(0.0, 0.0, 1.0), Vec3::X * 0.5, -Vec3::Z);
    let low = sheet(1, |_, _| 0.0);
    let settings = Settings {
        reach: Reach::Metres(0.05),
        ..only(Kind::Normal, 32)
    };
    let b = baked(&half, &low, &settings);
    assert_eq!((b.counts.covered, b.counts.nothing), (1024, 512));
    assert_eq!(b.parts[0], b.counts);
    let mut behind = half.clone();
    behind
        .corners
        .chunks_exact_mut(3)
        .for_each(|t| t.swap(1, 2));
    let b = baked(&behind, &low, &settings);
    assert_eq!((b.counts.nothing, b.counts.behind), (512, 512));
}

/// Where nothing of the source is near, as where an opening was closed, the low mesh is as it is by itself: flat, and not what a slope
/// at the end of the source would go on to.
#[test]
fn far_from_any_source_the_low_mesh_is_flat() {
    // The left half of the sheet, sloping.
    let mut slope = wall(Vec3::new(0.0, 0.0, 1.0), Vec3::X * 0.5, -Vec3::Z);
    slope.points.iter_mut().for_each(|p| p.y = 0.2 * p.x);
    let low = sheet(1, |_, _| 0.0);
    let settings = Settings {
        reach: Reach::Metres(0.2),
        kinds: vec![Kind::Normal, Kind::Height, Kind::Curvature],
        ..only(Kind::Normal, 64)
    };
    let b = baked(&slope, &low, &settings);
    assert_eq!(b.counts.misses(), b.counts.covered / 2);
    let tilt = Vec3::new(-0.2, 0.0, 1.0).normalize() * 0.5 + 0.5;
    for (x, normal) in [
        (10, tilt),
        (32, tilt),
        (33, tilt),
        (36, Vec3::new(0.5, 0.5, 1.0)),
    ] {
        let found = at(&b.maps[0], 64, x, 30);
        assert!(found.distance(normal) < 0.006, "{x}: {found}");
    }
    for map in &b.maps[1..] {
        let found = at(map, 64, 60, 30).x;
        assert!((found - 0.5).abs() < 0.003, "{:?}: {found}", map.kind);
    }
}

/// The same bytes on one thread and on several.
#[test]
fn threads_change_nothing() {
    let source = ring(1.0, 0.3, 90, 40);
    let low = ring(1.0, 0.3, 20, 10);
    let settings = Settings {
        size: 128,
        kinds: vec![Kind::Normal, Kind::Occlusion, Kind::Thickness, Kind::PartId],
        ..Settings::default()
    };
    let on = |threads| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads);
        let pool = pool.build().unwrap();
        pool.install(|| baked(&source, &low, &settings))
    };
    let (one, three) = (on(1), on(3));
    for (a, b) in one.maps.iter().zip(&three.maps) {
        assert!(a.texels == b.texels, "{:?}", a.kind);
    }
}
