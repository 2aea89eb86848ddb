//! The sea-horse figurehead: a sculpt, dense and scaly, without UVs.

use std::f32::consts::TAU;

use ectome_formats::{Library, Scene};
use ectome_mesh::{MeshBuilder, Primitive, measure};
use glam::{Affine3A, Vec3};
use serde_json::json;

use crate::{
    noise::{fbm, smoothstep},
    surface_nets::extract,
};

/// Side of the lattice's cells, in metres.
const CELL: f32 = 0.0034;

/// The spine from snout to the curled tail: place and radius.
fn spine() -> Vec<(Vec3, f32)> {
    let knots = [
        (0.42, 1.16, 0.034),
        (0.30, 1.20, 0.046),
        (0.20, 1.26, 0.085),
        (0.09, 1.30, 0.10),
        (0.0, 1.22, 0.092),
        (-0.02, 1.08, 0.105),
        (0.05, 0.92, 0.145),
        (0.09, 0.76, 0.16),
        (0.06, 0.60, 0.14),
        (-0.02, 0.46, 0.11),
        (-0.10, 0.34, 0.085),
    ];
    let mut list: Vec<(Vec3, f32)> = knots
        .iter()
        .map(|&(x, y, r)| (Vec3::new(x, y, 0.0), r))
        .collect();
    // The tail curls up in a spiral.
    for k in 0..=26 {
        let t = k as f32 / 26.0;
        let turn = 3.6 + 1.45 * TAU * t;
        let reach = 0.16 * (1.0 - 0.8 * t);
        let centre = Vec3::new(0.02, 0.24, 0.0);
        list.push((
            centre + Vec3::new(turn.cos(), turn.sin(), 0.0) * reach,
            0.068 * (1.0 - 0.72 * t),
        ));
    }
    list
}

fn smooth_min(a: f32, b: f32, k: f32) -> f32 {
    let h = (0.5 + 0.5 * (b - a) / k).clamp(0.0, 1.0);
    b + (a - b) * h - k * h * (1.0 - h)
}

/// Distance to the sculpt, negative inside.
fn field(spine: &[(Vec3, f32)], p: Vec3) -> f32 {
    let q = Vec3::new(p.x, p.y, p.z * 1.25);
    let (mut d, mut along, mut nearest) = (f32::MAX, 0.0, f32::MAX);
    for (i, w) in spine.windows(2).enumerate() {
        let ((a, ra), (b, rb)) = (w[0], w[1]);
        let ab = b - a;
        // A stretch too far to be the nearest or to blend in.
        let reach = ra.max(rb) + ab.length();
        if q.distance_squared(a) > (nearest.min(d).max(0.0) + reach + 0.05).powi(2) {
            continue;
        }
        let t = ((q - a).dot(ab) / ab.length_squared()).clamp(0.0, 1.0);
        let far = q.distance(a + ab * t) - (ra + (rb - ra) * t);
        if far < nearest {
            nearest = far;
            along = i as f32 + t;
        }
        d = smooth_min(d, far, 0.02);
    }
    // Far from the body only the distance counts; fin and crest reach no further than this.
    if d > 0.22 {
        return d - 0.15;
    }
    // A crest down the neck and back, a fin on each side, a plinth scroll below.
    let crest = (Vec3::new(p.x + 0.1, p.y - 1.22, p.z * 3.0).length() - 0.11)
        .max((p.z.abs() - 0.018) * 0.8);
    d = smooth_min(d, crest + 0.012 * (p.y * 90.0).sin().abs(), 0.03);
    let fin = Vec3::new(
        (p.x + 0.06) * 1.3,
        (p.y - 0.74) * 1.1,
        (p.z.abs() - 0.13) * 3.2,
    );
    d = smooth_min(
        d,
        (fin.length() - 0.12) * 0.6 + 0.006 * ((p.y - p.x) * 70.0).sin(),
        0.03,
    );
    let eye = Vec3::new(p.x - 0.15, p.y - 1.295, p.z.abs() - 0.062).length() - 0.024;
    d = smooth_min(d, eye, 0.006);
    // Scales: rows along the spine, staggered around it.
    let around =
        p.z.atan2(q.x - spine[(along as usize).min(spine.len() - 1)].0.x);
    let row = along * 3.2;
    let column = around / TAU * 18.0 + 0.5 * (row.floor() % 2.0);
    let (u, v) = (row.fract() - 0.5, column.fract() - 0.5);
    let scale = 1.0 - smoothstep(0.12, 0.5, (u * u + v * v).sqrt());
    let body = smoothstep(2.5, 4.0, along);
    d - 0.0075 * scale * body - 0.0012 * fbm(p * 60.0, 3)
}

/// Builds the figurehead.
pub fn figurehead() -> Scene {
    let spine = spine();
    let net = extract(
        |p| field(&spine, p),
        Vec3::new(-0.36, -0.06, -0.28),
        Vec3::new(0.5, 1.46, 0.28),
        CELL,
        1.9,
    );
    let mut builder = MeshBuilder::new();
    builder
        .part("sea-horse figurehead", Affine3A::IDENTITY)
        .primitive(Primitive {
            positions: net.points,
            corners: net.corners,
            material: Some(0),
            ..Primitive::default()
        });
    let mut mesh = builder.finish();
    mesh.normals = measure::smooth_normals(&mesh);
    mesh.runs.iter_mut().for_each(|r| r.channels.normals = true);
    Scene {
        mesh,
        library: Library {
            materials: vec![json!({ "name": "gilded pine", "pbrMetallicRoughness": {
                "baseColorFactor": [0.52, 0.33, 0.12, 1.0], "metallicFactor": 0.25, "roughnessFactor": 0.55 } })],
            ..Library::default()
        },
        copyright: Some(crate::NOTICE.into()),
        ..Scene::default()
    }
}
