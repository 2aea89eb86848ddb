//! What costs nothing goes first: flat regions with holes come down to the corners of their outlines, V + 2h − 2 triangles for V
//! corners and h holes, and nothing moves (the count is Euler's formula for a triangulated polygon with holes).

use std::collections::HashMap;

use ectome_compare::compare;
use ectome_mesh::{
    Mesh, MeshBuilder, Primitive, Progress, measure, topology::Topology, triangulate::triangulate,
};
use ectome_reduce::{Faces, Options, cut, join_flat, merge_flat};
use glam::{Affine3A, Quat, Vec2, Vec3};
use rstest::rstest;

use crate::common::slab;

/// 64 square holes in rows of eight, the bars between them two cells wide.
fn with_square_holes() -> Mesh {
    slab(25, 0.1, 0.2, |i, j| i % 3 != 1 || j % 3 != 1)
}

/// Turned by an odd angle, and every point off by up to a ten-millionth of its size: as files round.
fn turned_and_noisy(mesh: &Mesh) -> Mesh {
    turned_and_off(mesh, 2e-7)
}

/// Turned by an odd angle, and every point off by up to half of so much of its size along each axis.
fn turned_and_off(mesh: &Mesh, noise_of_size: f32) -> Mesh {
    let mut out = mesh.clone();
    let size = measure::bounds(mesh).diagonal();
    let turn = Quat::from_euler(glam::EulerRot::XYZ, 0.7, 1.1, 0.3);
    let mut seed = 7u32;
    let mut noise = || {
        seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (seed >> 8) as f32 / (1 << 24) as f32 - 0.5
    };
    for p in &mut out.points {
        *p = turn * *p + Vec3::new(noise(), noise(), noise()) * noise_of_size * size;
    }
    out.normals.iter_mut().for_each(|n| *n = turn * *n);
    out
}

fn merged(mesh: &Mesh) -> Mesh {
    let made = merge_flat(mesh, &Options::default(), &Progress::new());
    made.unwrap().mesh
}

/// Nothing has moved, opened, turned over or slipped.
fn is_the_same(mesh: &Mesh, flat: &Mesh) {
    flat.check().unwrap();
    let report = compare(mesh, flat, &Progress::new()).unwrap();
    assert!(
        report.deviation_max_percent_of_diagonal <= 1e-4,
        "{report:?}"
    );
    assert_eq!(report.flipped_faces, 0, "{report:?}");
    assert!(
        report.uv_drift_max_texels.is_none_or(|d| d < 0.1),
        "{report:?}"
    );
    let (a, b) = (Topology::of(mesh), Topology::of(flat));
    assert_eq!(
        (a.open_loops, a.nonmanifold_edges),
        (b.open_loops, b.nonmanifold_edges)
    );
    assert_eq!(a.euler_characteristic, b.euler_characteristic);
    let area = measure::area(flat) / measure::area(mesh);
    assert!((area - 1.0).abs() < 1e-5, "{area}");
}

#[rstest]
#[case::straight(false)]
#[case::turned_and_noisy(true)]
fn a_plate_with_square_holes_comes_down_to_its_corners(#[case] noisy: bool) {
    let mut mesh = with_square_holes();
    assert_eq!(mesh.triangle_count(), 2956);
    if noisy {
        mesh = turned_and_noisy(&mesh);
    }
    let flat = merged(&mesh);
    // Two faces of 4 + 64 · 4 corners and 64 holes, four outer walls, four walls a hole.
    assert_eq!(flat.triangle_count(), 2 * (260 + 128 - 2) + 8 + 512);
    // The source has no normals, so faces stay as flat as they were, and a point is one vertex.
    assert!(flat.normals.is_empty());
    assert_eq!(flat.vertex_count(), flat.points.len());
    is_the_same(&mesh, &flat);
}

/// An ordinary cut takes what is free first, so it is exact at every count down to there.
#[rstest]
#[case(2900)]
#[case(1500)]
#[case(1400)]
fn a_cut_takes_what_is_free_first(#[case] target: usize) {
    let mesh = with_square_holes();
    let made = cut(&mesh, target, &Options::default(), &Progress::new()).unwrap();
    assert_eq!(made.mesh.triangle_count(), target);
    is_the_same(&mesh, &made.mesh);
    assert!(!made.lines_released && !made.corners_released);
}

/// A plate of cells without holes is a box of six quads; one with 64 holes has 260 walls, and two faces that n-gons cover with at most one
/// more than there are holes: each hole is cut free by two diagonals at most.
#[rstest]
#[case::whole(false, Faces::Ngons, 6..=6)]
#[case::whole_in_quads(false, Faces::Quads, 6..=6)]
#[case::holes(true, Faces::Ngons, 262..=390)]
#[case::holes_in_quads(true, Faces::Quads, 390..=760)]
fn flat_areas_are_left_in_the_faces_asked_for(
    #[case] holes: bool,
    #[case] faces: Faces,
    #[case] count: std::ops::RangeInclusive<usize>,
) {
    let mesh = if holes {
        turned_and_noisy(&with_square_holes())
    } else {
        slab(25, 0.1, 0.2, |_, _| true)
    };
    let joined = join_flat(&merged(&mesh), faces);
    joined.check().unwrap();
    assert!(
        count.contains(&joined.face_count()),
        "{}",
        joined.face_count()
    );
    let largest = (0..joined.face_count()).map(|f| joined.face(f).len()).max();
    match faces {
        Faces::Quads => assert_eq!(largest, Some(4)),
        _ if holes => assert!(largest > Some(40), "{largest:?}"),
        _ => assert_eq!(largest, Some(4)),
    }
    is_the_same(&mesh, &triangulate(&joined).0);
    // No polygon touches itself.
    for f in 0..joined.face_count() {
        let mut points: Vec<u32> = joined
            .face(f)
            .iter()
            .map(|&v| joined.vertex_point[v as usize])
            .collect();
        points.sort_unstable();
        points.dedup();
        assert_eq!(points.len(), joined.face(f).len());
    }
}

/// What only looks flat piece by piece is not: around a ring of so many segments each is 9e-5 of a radian off the next.
#[test]
fn a_fine_ring_is_no_polygon() {
    let ring = ectome_mesh::shapes::torus(1.0, 0.3, 70_000, 3);
    let joined = join_flat(&ring, Faces::Ngons);
    let largest = (0..joined.face_count()).map(|f| joined.face(f).len()).max();
    assert!(largest <= Some(64), "{largest:?}");
}

/// Triangles of the letters before they are merged.
const LETTERS: usize = 4848;

/// A scanned or cast plate: nothing lies in a plane, so nothing is free, and around most points every collapse would turn a face over.
/// Faces are joined anew there (Schroeder 1992): what is left is off by about as much as the plate itself is, where 1 % of its size was
/// lost.
#[rstest]
#[case(1e-5, 1340)]
#[case(1e-4, 1340)]
#[case(1e-3, 1340)]
fn a_plate_that_is_nearly_flat_is_joined_anew(#[case] noise: f32, #[case] target: usize) {
    let plate = turned_and_off(&with_square_holes(), noise);
    let cut = cut(&plate, target, &Options::default(), &Progress::new()).unwrap();
    assert!(cut.mesh.triangle_count() <= target);
    let report = compare(&plate, &cut.mesh, &Progress::new()).unwrap();
    let worst = report.deviation_max_percent_of_diagonal / 100.0;
    assert!(worst <= 2.0 * f64::from(noise), "{worst}");
    assert_eq!(report.flipped_faces, 0, "{report:?}");
}

/// Letters of cells, as text of a font is turned into a mesh: outlines that turn often, holes in some of them.
#[rstest]
#[case::straight(false)]
#[case::turned_and_noisy(true)]
fn letters_of_cells_keep_their_corners_only(#[case] noisy: bool) {
    const ROWS: [&str; 7] = [
        ".####.#..#.####.#",
        ".#....#..#.#..#.#",
        ".###..####.####.#",
        ".#....#..#.#..#.#",
        ".####.#..#.####.#",
        ".................",
        "##############...",
    ];
    let there = |i: i32, j: i32| {
        let (i, j) = (i as usize / 4, j as usize / 4);
        ROWS.get(j).and_then(|r| r.as_bytes().get(i)) == Some(&b'#')
    };
    let mut mesh = slab(17 * 4, 0.05, 0.3, there);
    assert_eq!(mesh.triangle_count(), LETTERS);
    // Corners of the outlines: points of the grid with an odd number of cells around them.
    let mut corners = 0;
    for j in 0..=17 * 4 {
        for i in 0..=17 * 4 {
            let around = [(i - 1, j - 1), (i, j - 1), (i, j), (i - 1, j)]
                .map(|(i, j)| there_in(&there, i, j));
            corners += around.iter().filter(|t| **t).count() % 2;
        }
    }
    let euler = Topology::of(&mesh);
    // A solid of c pieces and h holes through it: V − E + F = 2(c − h), and its flat faces come to 2(V + 2h − 2c) triangles.
    let twice = 2 * euler.components as i64 - euler.euler_characteristic;
    let (pieces, holes) = (euler.components, twice as usize / 2);
    let want = 2 * (corners + 2 * holes - 2 * pieces) + 2 * corners;
    if noisy {
        mesh = turned_and_noisy(&mesh);
    }
    let flat = merged(&mesh);
    is_the_same(&mesh, &flat);
    assert_eq!(flat.triangle_count(), want);
}

fn there_in(there: &impl Fn(i32, i32) -> bool, i: i32, j: i32) -> bool {
    i >= 0 && j >= 0 && there(i, j)
}

/// Discs with square cells around a round hole of 32 corners stay what they are.
#[rstest]
#[case::straight(false)]
#[case::turned_and_noisy(true)]
fn a_plate_with_round_holes_comes_down_to_their_corners(#[case] noisy: bool) {
    let mut mesh = round_holes(3, 24);
    if noisy {
        mesh = turned_and_noisy(&mesh);
    }
    let holes = 9;
    let flat = merged(&mesh);
    is_the_same(&mesh, &flat);
    assert_eq!(flat.triangle_count(), 4 + 32 * holes + 2 * holes - 2);
}

/// An open sheet of n × n squares with a hole of 32 corners in each, ringed by `rings` rings of quads out to the square, whose sides
/// have eight stretches each.
fn round_holes(n: u32, rings: u32) -> Mesh {
    let mut p = Primitive {
        uv_sets: vec![Vec::new()],
        ..Primitive::default()
    };
    let mut known: HashMap<[i64; 2], u32> = HashMap::new();
    for cell in 0..n * n {
        let middle = Vec2::new((cell % n) as f32 + 0.5, (cell / n) as f32 + 0.5);
        let mut at = |ring: u32, k: u32| -> u32 {
            let a = std::f32::consts::TAU * (k % 32) as f32 / 32.0;
            let round = Vec2::new(a.cos(), a.sin()) * 0.3;
            // On the square: 32 places, eight a side, a corner at every eighth.
            let s = (k % 32 + 4) % 32;
            let (side, t) = (s / 8, (s % 8) as f32 / 8.0 - 0.5);
            let square = match side {
                0 => Vec2::new(0.5, t),
                1 => Vec2::new(-t, 0.5),
                2 => Vec2::new(-0.5, -t),
                _ => Vec2::new(t, -0.5),
            };
            let place = middle + round.lerp(square, ring as f32 / rings as f32);
            let key = [place.x, place.y].map(|v| (f64::from(v) * 1e5).round() as i64);
            *known.entry(key).or_insert_with(|| {
                p.positions.push(Vec3::new(place.x, 0.0, place.y));
                p.uv_sets[0].push(place / n as f32);
                p.positions.len() as u32 - 1
            })
        };
        let mut corners = Vec::new();
        for ring in 0..rings {
            for k in 0..32 {
                let quad = [
                    at(ring, k),
                    at(ring, k + 1),
                    at(ring + 1, k + 1),
                    at(ring + 1, k),
                ];
                let [a, b, c, d] = quad;
                corners.extend([a, b, c, a, c, d]);
            }
        }
        p.corners.extend(corners);
    }
    let mut builder = MeshBuilder::new();
    builder.part("sheet", Affine3A::IDENTITY).primitive(p);
    builder.finish()
}

/// Shelves: boxes of many quads. Twelve triangles each, whatever they began with; and none where the texture lies unevenly.
#[test]
fn boxes_come_down_to_twelve_triangles_in_little_time() {
    let mesh = slab(220, 0.01, 0.5, |_, _| true);
    assert!(mesh.triangle_count() > 190_000);
    let flat = merged(&mesh);
    assert_eq!(flat.triangle_count(), 12);
    is_the_same(&mesh, &flat);
}

/// What is flat within a distance stays within it: on a ball, which is flat nowhere, and on a sheet under waves that are lower.
#[rstest]
#[case::ball(ectome_mesh::shapes::icosphere(1.0, 6), 0.004, 0.2)]
#[case::ball_wider(ectome_mesh::shapes::icosphere(1.0, 6), 0.02, 0.05)]
#[case::waves(waves(120, 0.0004), 0.002, 0.02)]
#[case::plate(turned_and_noisy(&with_square_holes()), 0.002, 0.44)]
fn nearly_flat_is_within_its_distance(#[case] mesh: Mesh, #[case] within: f32, #[case] share: f64) {
    let options = Options {
        flat_within_m: within,
        ..Options::default()
    };
    let flat = merge_flat(&mesh, &options, &Progress::new()).unwrap().mesh;
    flat.check().unwrap();
    let report = compare(&mesh, &flat, &Progress::new()).unwrap();
    let off = report.deviation_max_mm / 1e3;
    assert!(off <= f64::from(within), "{off} for {within}");
    assert_eq!(report.flipped_faces, 0);
    let (a, b) = (Topology::of(&mesh), Topology::of(&flat));
    assert_eq!(a.euler_characteristic, b.euler_characteristic);
    assert_eq!(b.nonmanifold_edges, 0);
    let left = flat.triangle_count() as f64 / mesh.triangle_count() as f64;
    assert!(left <= share, "{left} of the triangles are left");
}

/// An open sheet of n × n squares under waves of a height.
fn waves(n: u32, height: f32) -> Mesh {
    let mut p = Primitive::default();
    for j in 0..=n {
        for i in 0..=n {
            let (x, z) = (i as f32 / n as f32, j as f32 / n as f32);
            p.positions.push(Vec3::new(
                x,
                height * (30.0 * x).sin() * (30.0 * z).cos(),
                z,
            ));
        }
    }
    for j in 0..n {
        for i in 0..n {
            let a = j * (n + 1) + i;
            let (b, c, d) = (a + 1, a + n + 2, a + n + 1);
            p.corners.extend([a, d, c, a, c, b]);
        }
    }
    let mut builder = MeshBuilder::new();
    builder.part("sheet", Affine3A::IDENTITY).primitive(p);
    builder.finish()
}
