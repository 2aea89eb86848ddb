//! The enamel kettle as a generator of meshes leaves it: torn into patches whose borders nearly coincide, one
//! texture that must survive.

use std::{collections::HashMap, f32::consts::TAU};

use ectome_formats::{Library, Scene};
use ectome_mesh::{MeshBuilder, Primitive};
use glam::{Affine3A, Vec2, Vec3};
use serde_json::json;

use crate::{
    canvas::Canvas,
    noise::fbm,
    solid::{Cell, Solid, curve},
};

/// Side of the cells in which a patch ends, in metres.
const PATCH: f32 = 0.03;
/// How far the copies of a point are apart at most.
const TORN: f32 = 6e-6;

fn body() -> Solid {
    let knots = [
        (0.0, 0.0),
        (0.098, 0.0),
        (0.11, 0.008),
        (0.12, 0.04),
        (0.115, 0.09),
        (0.09, 0.135),
        (0.062, 0.152),
        (0.06, 0.158),
        (0.04, 0.168),
        (0.012, 0.174),
        (0.016, 0.188),
        (0.012, 0.198),
        (0.0, 0.2),
    ];
    let list: Vec<Vec2> = knots.iter().map(|&(r, y)| Vec2::new(r, y)).collect();
    let mut profile = curve(&list, 5);
    let last = profile.len() - 1;
    (profile[0].x, profile[last].x) = (0.0, 0.0);
    profile.iter_mut().for_each(|p| p.x = p.x.max(0.0));
    Solid::turned(&profile, 72)
}

fn spout() -> Solid {
    let path: Vec<Vec3> = (0..=20)
        .map(|k| {
            let t = k as f32 / 20.0;
            Vec3::new(0.1 + 0.09 * t, 0.05 + 0.1 * t * t + 0.02 * t, 0.0)
        })
        .collect();
    Solid::drawn(&path, 20, |t, _| 0.024 - 0.012 * t)
}

fn handle() -> Solid {
    let path: Vec<Vec3> = (0..=36)
        .map(|k| {
            let turn = std::f32::consts::PI * k as f32 / 36.0;
            Vec3::new(0.085 * turn.cos(), 0.125 + 0.15 * turn.sin(), 0.0)
        })
        .collect();
    Solid::drawn(&path, 12, |_, _| 0.0075)
}

/// Gives every patch vertices of its own, a little off.
fn torn(p: Primitive) -> Primitive {
    let mut out = Primitive {
        uv_sets: vec![Vec::new()],
        material: p.material,
        ..Primitive::default()
    };
    let mut own: HashMap<(u32, [i32; 3]), u32> = HashMap::new();
    for f in p.corners.chunks_exact(3) {
        let middle = f.iter().map(|&v| p.positions[v as usize]).sum::<Vec3>() / 3.0;
        let patch = (middle / PATCH).floor().as_ivec3().to_array();
        for &v in f {
            let w = *own.entry((v, patch)).or_insert_with(|| {
                let n = out.positions.len() as u32;
                let wobble = |k: u32| ((n * 7 + k * 13) % 11) as f32 / 11.0 - 0.5;
                let off = Vec3::new(wobble(0), wobble(1), wobble(2)) * TORN;
                out.positions.push(p.positions[v as usize] + off);
                out.uv_sets[0].push(p.uv_sets[0][v as usize]);
                n
            });
            out.corners.push(w);
        }
    }
    out
}

/// Builds the kettle and its texture.
pub fn enamel_kettle() -> Scene {
    let mut builder = MeshBuilder::new();
    builder.part("kettle", Affine3A::IDENTITY);
    for (solid, cell) in [
        (body(), Cell(0.01, 0.01, 0.98, 0.66)),
        (spout(), Cell(0.01, 0.69, 0.48, 0.3)),
        (handle(), Cell(0.51, 0.69, 0.48, 0.3)),
    ] {
        builder.primitive(torn(solid.finish(cell, 0)));
    }
    let canvas = Canvas::painted(1024, |u, v| {
        let enamel = Vec3::new(0.035, 0.12, 0.22);
        let cream = Vec3::new(0.72, 0.66, 0.5);
        let ring = ((v * 40.0).fract() - 0.5).abs() < 0.08 && (0.2..0.6).contains(&v);
        let fleck = fbm(Vec3::new(u * 90.0, v * 90.0, 0.5), 2) > 0.42;
        let wave = (0.44 + 0.012 * (u * TAU * 12.0).sin()..0.47).contains(&v);
        let chip = fbm(Vec3::new(u * 14.0, v * 14.0, 3.0), 3) > 0.5;
        if chip {
            Vec3::new(0.03, 0.026, 0.024)
        } else if fleck || wave || ring {
            cream
        } else {
            enamel
        }
    });
    Scene {
        mesh: builder.finish(),
        library: Library {
            materials: vec![json!({ "name": "enamel", "pbrMetallicRoughness": {
                "baseColorTexture": { "index": 0 }, "metallicFactor": 0.0, "roughnessFactor": 0.3 } })],
            textures: vec![json!({ "source": 0 })],
            images: vec![canvas.into_image("enamel_kettle_base_colour")],
            ..Library::default()
        },
        copyright: Some(crate::NOTICE.into()),
        ..Scene::default()
    }
}
