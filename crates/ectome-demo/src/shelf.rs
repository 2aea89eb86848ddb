//! The wreck shelf: what a storm left on a ledge. A kit-bash of dense pieces run into one another, with buried insides, a slit, a ledge
//! without an underside, pieces that are inside out, and sailcloth as one open sheet.

use std::f32::consts::TAU;

use ectome_formats::{Library, Scene};
use ectome_mesh::{MeshBuilder, Primitive};
use glam::{Affine3A, EulerRot, Quat, Vec3};

use crate::{
    figurehead, material,
    noise::{fbm, smoothstep},
    solid::{Cell, Solid},
    surface_nets::extract,
};

/// Side of the rock's cells, in metres.
const ROCK: f32 = 0.0042;
/// Side of a stone's cells.
const STONE: f32 = 0.0034;

/// Materials, in their order.
const WET_ROCK: u32 = 0;
const PINE: u32 = 1;
const HEMP: u32 = 2;
const CLOTH: u32 = 3;

/// The ledge: layers of slate, worn, with a cleft; open below.
fn ledge() -> Primitive {
    let field = |p: Vec3| {
        let size = Vec3::new(0.86, 0.17, 0.55);
        let warp = Vec3::new(fbm(p * 2.1, 3), 0.0, fbm(p * 2.3 + 7.0, 3)) * 0.09;
        let q = (p + warp).abs() - size;
        let mut d = q.max(Vec3::ZERO).length() + q.max_element().min(0.0) - 0.03;
        // Slates, a cleft, grain.
        let layer = (p.y * 34.0 + 1.6 * fbm(p * 3.0, 2)).sin();
        d += 0.008 * smoothstep(-0.4, 0.7, layer);
        let cleft =
            (p.x - 0.22 - 0.05 * fbm(p * 4.0, 2)).abs() - 0.018 * smoothstep(-0.1, 0.2, p.y);
        d = d.max(-cleft.max(-p.y - 0.02));
        d - 0.02 * fbm(p * 6.0, 4) - 0.0025 * fbm(p * 60.0, 2)
    };
    let (low, high) = (Vec3::new(-1.05, -0.26, -0.75), Vec3::new(1.05, 0.28, 0.75));
    let net = extract(field, low, high, ROCK, 2.4);
    // Nobody could walk under it.
    let below = |f: &[u32]| f.iter().all(|&v| net.points[v as usize].y < -0.13);
    Primitive {
        corners: net
            .corners
            .chunks_exact(3)
            .filter(|f| !below(f))
            .flatten()
            .copied()
            .collect(),
        positions: net.points,
        material: Some(WET_ROCK),
        ..Primitive::default()
    }
}

/// A rounded stone of its own shape.
fn stone(number: u32, radius: f32, cell: f32) -> Primitive {
    let seed = Vec3::splat(11.3 * number as f32);
    let squash = Vec3::new(
        1.0,
        1.25 + 0.3 * (number as f32).sin(),
        0.9 + 0.2 * (2.0 * number as f32).cos(),
    );
    let field = |p: Vec3| {
        (p * squash).length()
            - radius
            - 0.25 * radius * fbm(p / radius + seed, 3)
            - 0.03 * radius * fbm(p / radius * 9.0 + seed, 2)
    };
    let room = Vec3::splat(1.5 * radius);
    let net = extract(field, -room, room, cell, 2.2);
    Primitive {
        positions: net.points,
        corners: net.corners,
        material: Some(WET_ROCK),
        ..Primitive::default()
    }
}

/// A rope thrown over it in coils, its strands twisted.
fn rope() -> Primitive {
    let steps = 1500;
    let path: Vec<Vec3> = (0..=steps)
        .map(|k| {
            let t = k as f32 / steps as f32;
            let turn = TAU * (3.2 * t + 0.1);
            let reach = 0.2 + 0.06 * (5.0 * turn).sin() * t;
            Vec3::new(
                -0.42 + reach * turn.cos() + 0.5 * smoothstep(0.75, 1.0, t),
                0.21 + 0.04 * 3.2 * t + 0.01 * (3.0 * turn).sin(),
                0.12 + reach * 0.8 * turn.sin(),
            )
        })
        .collect();
    let twist = |along: f32, around: f32| 0.021 + 0.0035 * (3.0 * (around + 160.0 * along)).cos();
    let mut own = Solid::drawn(&path, 48, twist).finish(Cell(0.0, 0.0, 1.0, 1.0), HEMP);
    // Like all the rest it comes without UVs.
    own.uv_sets.clear();
    own
}

/// Sailcloth over the edge: one open sheet.
fn cloth() -> Primitive {
    let (n, m) = (160u32, 120u32);
    let mut p = Primitive {
        material: Some(CLOTH),
        ..Primitive::default()
    };
    for j in 0..=m {
        for i in 0..=n {
            let (u, v) = (i as f32 / n as f32, j as f32 / m as f32);
            // Over the top to the edge, and down in front of it.
            let over = smoothstep(0.4, 0.6, v);
            let fold = 0.014 * (u * 19.0 + 2.0 * v).sin() * (0.4 + v);
            let creased = fold + 0.01 * fbm(Vec3::new(6.0 * u, 6.0 * v, 0.0), 3);
            p.positions.push(Vec3::new(
                0.35 + 0.5 * u + 0.02 * (v * 7.0).sin(),
                0.235 - 0.6 * (v - 0.5).max(0.0) + creased * (1.0 - over),
                0.3 + 0.68 * v.min(0.5) + 0.03 * over + creased * over,
            ));
        }
    }
    let at = |i: u32, j: u32| j * (n + 1) + i;
    for j in 0..m {
        for i in 0..n {
            let (a, b, c, d) = (at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1));
            p.corners.extend([a, c, b, a, d, c]);
        }
    }
    p
}

/// Builds the shelf.
pub fn wreck_shelf() -> Scene {
    let mut builder = MeshBuilder::new();
    builder.part("ledge", Affine3A::IDENTITY).primitive(ledge());
    // The figurehead lies on its side, half sunk into the ledge.
    let lying = Quat::from_euler(EulerRot::ZXY, -1.32, 0.35, 0.2);
    let sculpt = figurehead().mesh;
    let place = Affine3A::from_scale_rotation_translation(
        Vec3::splat(0.72),
        lying,
        Vec3::new(-0.45, 0.26, -0.16),
    );
    builder.part("figurehead", place).primitive(Primitive {
        positions: sculpt.points,
        corners: sculpt
            .corners
            .iter()
            .map(|&v| sculpt.vertex_point[v as usize])
            .collect(),
        material: Some(PINE),
        ..Primitive::default()
    });
    let stones = [
        (-0.72, 0.2, 0.3, 0.15),
        (-0.58, 0.19, 0.42, 0.11),
        (0.1, 0.2, 0.3, 0.12),
        (0.62, 0.2, -0.3, 0.17),
        (0.75, 0.24, -0.05, 0.1),
        (-0.1, 0.17, -0.42, 0.13),
        (-0.8, 0.16, -0.35, 0.14),
        (0.36, 0.19, -0.42, 0.1),
        (0.02, 0.18, 0.45, 0.09),
    ];
    for (n, (x, y, z, radius)) in stones.into_iter().enumerate() {
        let mut own = stone(n as u32, radius, STONE);
        // Some came from a tool that turned them inside out.
        if n % 4 == 3 {
            own.corners.chunks_exact_mut(3).for_each(|t| t.swap(1, 2));
        }
        let name = format!("stone {}", n + 1);
        let turn = Quat::from_euler(EulerRot::XYZ, n as f32, 2.0 * n as f32, 0.0);
        let place = Affine3A::from_rotation_translation(turn, Vec3::new(x, y, z));
        builder.part(&name, place).primitive(own);
    }
    // What the ledge was blocked out with was left inside it.
    builder
        .part(
            "block-out",
            Affine3A::from_translation(Vec3::new(0.3, 0.0, 0.0)),
        )
        .primitive(stone(31, 0.11, STONE));
    // A boulder that split: two halves with a slit between them.
    for (name, side) in [
        ("boulder, left half", -1.0f32),
        ("boulder, right half", 1.0),
    ] {
        let field = |p: Vec3| {
            let d = (p * Vec3::new(1.0, 1.2, 1.0)).length() - 0.16 - 0.03 * fbm(p * 8.0 + 3.0, 3);
            d.max(0.003 - side * (p.x + 0.012 * fbm(p * 14.0, 2)))
        };
        let net = extract(field, Vec3::splat(-0.24), Vec3::splat(0.24), STONE, 2.2);
        let place = Affine3A::from_translation(Vec3::new(0.55, 0.26, 0.12));
        builder.part(name, place).primitive(Primitive {
            positions: net.points,
            corners: net.corners,
            material: Some(WET_ROCK),
            ..Primitive::default()
        });
    }
    builder.part("rope", Affine3A::IDENTITY).primitive(rope());
    builder
        .part("sailcloth", Affine3A::IDENTITY)
        .primitive(cloth());
    Scene {
        mesh: builder.finish(),
        library: Library {
            materials: vec![
                material("wet slate", [0.09, 0.11, 0.115], 0.0, 0.45),
                material("gilded pine", [0.52, 0.33, 0.12], 0.25, 0.55),
                material("hemp", [0.36, 0.27, 0.15], 0.0, 0.9),
                material("sailcloth", [0.62, 0.58, 0.48], 0.0, 0.95),
            ],
            ..Library::default()
        },
        copyright: Some(crate::NOTICE.into()),
        ..Scene::default()
    }
}
