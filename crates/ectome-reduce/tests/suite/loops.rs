//! Edge loops: found, ranked, held and taken out, on solids whose loops can be counted.

use ectome_mesh::{
    Mesh, MeshBuilder, Primitive, Progress, shapes, topology::Topology, triangulate::triangulate,
};
use ectome_reduce::{
    Options, Replay, analyse,
    loops::{Held, Quads, Which, find, take_out},
};
use glam::{Affine3A, Vec2, Vec3};
use rstest::rstest;

/// An open tube of quads: `around` columns, `rows` bands, radius and height by row.
fn tube(around: u32, rows: u32, profile: impl Fn(f32) -> Vec2) -> Mesh {
    wound(around, rows, 0, profile, false)
}

/// The same; with `closed`, the last row joins the first, shifted by `shift` columns.
fn wound(around: u32, rows: u32, shift: u32, profile: impl Fn(f32) -> Vec2, closed: bool) -> Mesh {
    let mut p = Primitive {
        uv_sets: vec![Vec::new()],
        ..Primitive::default()
    };
    let rings = if closed { rows } else { rows + 1 };
    for j in 0..rings {
        for i in 0..around {
            let turn = std::f32::consts::TAU * i as f32 / around as f32;
            let q = profile(j as f32 / rows as f32);
            p.positions
                .push(Vec3::new(q.x * turn.cos(), q.y, -q.x * turn.sin()));
            p.uv_sets[0].push(Vec2::new(
                (i as f32 / around as f32 - 0.5).abs(),
                j as f32 / rows as f32,
            ));
        }
    }
    for j in 0..rows {
        for i in 0..around {
            let moved = if closed && j + 1 == rows { shift } else { 0 };
            let up = |k: u32| (j + 1) % rings * around + (i + k + moved) % around;
            p.corners
                .extend([j * around + i, j * around + (i + 1) % around, up(1), up(0)]);
            p.face_sizes.push(4);
        }
    }
    let mut builder = MeshBuilder::new();
    builder.part("tube", Affine3A::IDENTITY).primitive(p);
    builder.finish()
}

fn straight(t: f32) -> Vec2 {
    Vec2::new(1.0, 3.0 * t)
}

/// A tyre: the row runs once around a circle.
fn tyre(t: f32) -> Vec2 {
    let a = std::f32::consts::TAU * t;
    Vec2::new(1.0 + 0.3 * a.cos(), 0.3 * a.sin())
}

fn taken(mesh: &Mesh, which: Which) -> ectome_reduce::loops::Loops {
    take_out(mesh, &Options::default(), which, &Progress::new()).unwrap()
}

#[test]
fn quads_are_recovered_from_triangles() {
    let quads = tube(24, 10, straight);
    let triangles = triangulate(&quads).0;
    let found = Quads::of(&triangles).unwrap();
    assert_eq!(
        (found.quads, found.recovered, found.faces.len()),
        (240, 240, 240)
    );
    let given = Quads::of(&quads).unwrap();
    assert_eq!((given.quads, given.recovered), (240, 0));
    // As many triangles as before, and the same surface.
    let again = found.into_mesh(&triangles);
    assert_eq!(again.triangle_count(), 480);
    assert_eq!(Topology::of(&triangulate(&again).0).open_edges, 48);
}

#[test]
fn a_tube_has_its_columns_and_its_inner_rows() {
    let mesh = tube(24, 10, straight);
    let loops = find(&mesh, &Quads::of(&mesh).unwrap(), &Options::default());
    let closed = loops.iter().filter(|l| l.closed).count();
    // The first and last row are open borders and no loops to take out.
    assert_eq!((closed, loops.len() - closed), (9, 24));
    // Rows lie flat on the tube and cost nothing; they come first.
    assert!(loops[..9].iter().all(|l| l.closed && l.deviation_m < 1e-6));
    assert_eq!(loops[0].triangles, 2 * 24);
}

/// Closed form: a point of a regular 2n-gon stands R(1 − cos(π/n)) off the chord between its neighbours.
#[test]
fn a_column_costs_what_its_chord_cuts_off() {
    let mesh = tube(24, 10, straight);
    let loops = find(&mesh, &Quads::of(&mesh).unwrap(), &Options::default());
    let column = loops.iter().find(|l| !l.closed).unwrap();
    let sagitta = 1.0 - (std::f64::consts::TAU / 24.0).cos();
    assert!(
        (column.deviation_m - sagitta).abs() < 1e-5,
        "{}",
        column.deviation_m
    );
    let half = taken(&mesh, Which::Every(2));
    assert!((half.deviation_m - sagitta).abs() < 1e-5);
    // Every second column and every second inner row: 12 × 6 quads are left (rows 0, 1, 3, 5, 7, 9, 10).
    assert!(half.taken >= 12, "{}", half.taken);
    assert!(half.mesh.triangle_count() <= 2 * 12 * 7);
}

#[test]
fn what_stays_keeps_its_place_and_its_uv() {
    let mesh = tube(24, 10, straight);
    let low = taken(&mesh, Which::Triangles(200)).mesh;
    low.check().unwrap();
    assert!(low.triangle_count() <= 200);
    for v in 0..low.vertex_count() {
        let same = (0..mesh.vertex_count()).any(|w| {
            mesh.position(w as u32) == low.position(v as u32)
                && mesh.uv_sets[0][w] == low.uv_sets[0][v]
        });
        assert!(same);
    }
    let before = Topology::of(&triangulate(&mesh).0);
    let after = Topology::of(&triangulate(&low).0);
    assert_eq!(after.open_loops, before.open_loops);
    assert_eq!(after.euler_characteristic, before.euler_characteristic);
    assert_eq!(after.nonmanifold_edges, 0);
}

#[test]
fn the_extremes_of_a_curve_stay() {
    // A vase: widest in the middle, narrow at a quarter and three quarters.
    let mesh = tube(24, 16, |t| {
        Vec2::new(
            1.0 - 0.3 * (t * std::f32::consts::TAU * 2.0).cos() * (1.0 - t),
            3.0 * t,
        )
    });
    let loops = find(&mesh, &Quads::of(&mesh).unwrap(), &Options::default());
    let held = loops
        .iter()
        .filter(|l| l.held == Some(Held::Extreme))
        .count();
    assert!((2..=4).contains(&held), "{held}");
    let low = taken(&mesh, Which::Triangles(4));
    assert!(low.held.iter().any(|l| l.held == Some(Held::Extreme)));
}

#[test]
fn seams_stay_and_so_do_guarded_borders() {
    let mut mesh = tube(24, 10, straight);
    // A seam along one column: its right-hand side gets vertices of its own.
    let n = mesh.vertex_count() as u32;
    for row in 0..11u32 {
        mesh.vertex_point
            .push(mesh.vertex_point[(row * 24) as usize]);
        mesh.uv_sets[0].push(Vec2::new(1.0, row as f32 / 10.0));
    }
    for face in mesh.corners.chunks_exact_mut(4) {
        let last_column = face[0] % 24 == 23;
        for v in face
            .iter_mut()
            .filter(|v| last_column && **v % 24 == 0 && **v < n)
        {
            *v = n + *v / 24;
        }
    }
    mesh.check().unwrap();
    let quads = Quads::of(&mesh).unwrap();
    let held = |options: &Options, why: Held| {
        find(&mesh, &quads, options)
            .iter()
            .filter(|l| l.held == Some(why))
            .count()
    };
    assert_eq!(held(&Options::default(), Held::Line), 1);
    let mut guarded = Options::default();
    guarded.keep.borders = true;
    assert_eq!(held(&guarded, Held::Border), 23);
}

/// On a tyre whose rows close one column further, all columns are one line that winds around many times.
#[test]
fn a_spiral_is_left_out_with_a_word() {
    let mesh = wound(24, 16, 1, tyre, true);
    let loops = find(&mesh, &Quads::of(&mesh).unwrap(), &Options::default());
    let spirals: Vec<_> = loops
        .iter()
        .filter(|l| l.held == Some(Held::Spiral))
        .collect();
    assert_eq!(spirals.len(), 1);
    assert!(Held::Spiral.to_string().contains("spiral"));
    let low = taken(&mesh, Which::Triangles(100));
    assert!(low.held.iter().any(|l| l.held == Some(Held::Spiral)));
    assert_eq!(Topology::of(&triangulate(&low.mesh).0).open_edges, 0);
}

#[rstest]
#[case::half(Which::Every(2))]
#[case::third(Which::Every(3))]
#[case::target(Which::Triangles(150))]
fn a_closed_solid_stays_closed(#[case] which: Which) {
    let mesh = wound(24, 16, 0, tyre, true);
    let low = taken(&mesh, which);
    let after = Topology::of(&triangulate(&low.mesh).0);
    assert!(low.taken > 0);
    assert_eq!((after.open_edges, after.nonmanifold_edges), (0, 0));
    assert_eq!(
        (after.inconsistent_edges, after.euler_characteristic),
        (0, 0)
    );
}

#[test]
fn larger_faces_are_refused_and_triangles_left_alone() {
    let ball = ectome_mesh::shapes::icosphere(1.0, 2);
    let loops = find(&ball, &Quads::of(&ball).unwrap(), &Options::default());
    // An icosphere has no rows of quads, however its triangles are paired.
    assert_eq!(loops.len(), 0);
    let low = taken(&ball, Which::Triangles(20));
    assert_eq!((low.taken, low.mesh.face_count()), (0, ball.face_count()));
    let mut pentagon = Primitive::default();
    for i in 0..5 {
        let a = std::f32::consts::TAU * i as f32 / 5.0;
        pentagon.positions.push(Vec3::new(a.cos(), a.sin(), 0.0));
    }
    pentagon.corners = (0..5).collect();
    pentagon.face_sizes = vec![5];
    let mut builder = MeshBuilder::new();
    builder.primitive(pentagon);
    assert!(Quads::of(&builder.finish()).is_none());
}

/// Triangles that stand as a scan's do pair up by chance and make no rows; a lathe's triangles are somebody's quads.
#[test]
fn quads_are_recovered_only_where_they_form_rows() {
    let fine = shapes::icosphere(1.0, 6);
    let progress = Progress::new();
    let options = Options::default();
    let log = analyse(&fine, &options, &progress).unwrap();
    let scan = Replay::new(&fine, &log).unwrap();
    let scan = scan.at(&fine, &log, 9_000).unwrap().mesh;
    let found = Quads::of(&scan).unwrap();
    assert!(
        2 * found.recovered * 4 < scan.triangle_count(),
        "{} of {} triangles pair up",
        2 * found.recovered,
        scan.triangle_count()
    );
    let lathe = shapes::torus(1.0, 0.3, 60, 24);
    let found = Quads::of(&lathe).unwrap();
    assert_eq!(2 * found.recovered, lathe.triangle_count());
}
