//! How long examining and repairing a million triangles takes: `cargo bench -p ectome-intake`.

use divan::Bencher;
use ectome_intake::{
    diagnose::diagnose,
    parts::{hidden, mirror, repeats},
    repair::{clip, holes, manifold, weld, winding},
};
use ectome_mesh::{Mesh, MeshBuilder, Primitive, Progress, edit, shapes};
use glam::{Affine3A, Quat, Vec3};

fn main() {
    divan::main();
}

/// A torus of 1 000 000 triangles with 100 holes.
fn torus() -> Mesh {
    let ring = shapes::torus(1.0, 0.35, 1000, 500);
    edit::kept(&ring, |f| f % 10_000 != 0)
}

#[divan::bench(sample_count = 5)]
fn diagnosis(bencher: Bencher) {
    let mesh = torus();
    bencher.bench(|| diagnose(&mesh, &Progress::new()));
}

#[divan::bench(sample_count = 5)]
fn welding(bencher: Bencher) {
    let mesh = torus();
    bencher.bench(|| weld::weld(&mesh, &weld::Weld::default()));
}

#[divan::bench(sample_count = 5)]
fn closing_holes(bencher: Bencher) {
    let mesh = torus();
    bencher.bench(|| holes::close_up_to(&mesh, 0.1));
}

#[divan::bench(sample_count = 5)]
fn turning_outward(bencher: Bencher) {
    let mesh = torus();
    bencher.bench(|| winding::make_outward(&mesh, &Progress::new()));
}

#[divan::bench(sample_count = 5)]
fn splitting(bencher: Bencher) {
    let mesh = torus();
    bencher.bench(|| manifold::split(&mesh));
}

#[divan::bench(sample_count = 5)]
fn clipping(bencher: Bencher) {
    let mesh = torus();
    let plane = clip::Plane {
        point: [0.1, 0.0, 0.0],
        normal: [1.0, 0.2, 0.1],
    };
    bencher.bench(|| clip::clip(&mesh, &plane, true));
}

#[divan::bench(sample_count = 3)]
fn hidden_faces(bencher: Bencher) {
    let mesh = torus();
    bencher.bench(|| hidden::find(&mesh, &Progress::new()));
}

/// How the pins of an assembly differ.
#[derive(Clone, Copy, Debug)]
enum Pins {
    /// All alike, in one order of points and faces.
    Copied,
    /// All alike; points and faces stand in an order of their own in each.
    Shuffled,
    /// Side faces are split along either diagonal: no two are equal.
    Odd,
}

/// Round pins of 64 sides and 4 096 triangles, each turned its own way.
fn pins(count: u32, kind: Pins) -> Mesh {
    const SIDES: u32 = 64;
    const RINGS: u32 = 33;
    let mut builder = MeshBuilder::new();
    for pin in 0..count {
        // An order of the points by a step that shares no factor with their number, and a random bit for each face.
        let n = SIDES * RINGS;
        let step = match kind {
            Pins::Shuffled => 2 * pin + 5,
            Pins::Copied | Pins::Odd => 1,
        };
        let step = (step..).find(|s| s % 2 == 1 && s % 3 != 0 && s % 11 != 0);
        let place = |i: u32| (u64::from(i) * u64::from(step.unwrap_or(1)) % u64::from(n)) as u32;
        let mut positions = vec![Vec3::ZERO; n as usize];
        let mut corners = Vec::new();
        for ring in 0..RINGS {
            for side in 0..SIDES {
                let turn = std::f32::consts::TAU * side as f32 / SIDES as f32;
                let p = Vec3::new(0.03 * turn.cos(), 0.01 * ring as f32, 0.03 * turn.sin());
                positions[place(ring * SIDES + side) as usize] = p;
                if ring + 1 == RINGS {
                    continue;
                }
                let [a, b] = [side, (side + 1) % SIDES].map(|s| place(ring * SIDES + s));
                let [c, d] = [side, (side + 1) % SIDES].map(|s| place((ring + 1) * SIDES + s));
                let bits = (pin * n + ring * SIDES + side).wrapping_mul(2_654_435_761);
                corners.extend(match kind {
                    Pins::Odd if bits >> 31 == 1 => [a, c, b, b, c, d],
                    _ => [a, c, d, a, d, b],
                });
            }
        }
        let frame = Affine3A::from_rotation_translation(
            Quat::from_euler(glam::EulerRot::XYZ, pin as f32, 0.3, 0.7 * pin as f32),
            Vec3::new(pin as f32 * 0.1, 0.0, 0.0),
        );
        let primitive = Primitive {
            positions,
            corners,
            ..Primitive::default()
        };
        builder
            .part(&format!("pin {pin}"), frame)
            .primitive(primitive);
    }
    builder.finish()
}

#[divan::bench(sample_count = 3, args = [
    (48, Pins::Copied), (48, Pins::Shuffled), (48, Pins::Odd),
    (2000, Pins::Copied), (2000, Pins::Shuffled), (2000, Pins::Odd),
])]
fn equal_parts(bencher: Bencher, (count, kind): (u32, Pins)) {
    let mesh = pins(count, kind);
    bencher.bench(|| repeats::find(&mesh, &Progress::new()));
}

#[divan::bench(sample_count = 3, args = [48, 2000])]
fn symmetric_parts(bencher: Bencher, count: u32) {
    let mesh = pins(count, Pins::Copied);
    bencher.bench(|| mirror::find(&mesh, &Progress::new()));
}
