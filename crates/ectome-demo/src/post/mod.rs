//! The mooring post as a photogrammetry set would deliver it: dense everywhere, one texture with the
//! light of the day in it, a patch of ground, holes where no camera looked, crumbs in the air.

mod looks;
mod shape;

use ectome_formats::{Library, Scene};
use ectome_mesh::{MeshBuilder, Primitive, measure};
use glam::{Affine3A, Vec2, Vec3};
use rayon::prelude::*;
use serde_json::json;

use looks::{Vertex, chart_of, chart_uv, dilate, light, paint};
use shape::field;

use crate::{
    canvas::Canvas,
    noise::{fbm, perlin},
    surface_nets::extract,
};

/// Side of a lattice cell, in metres.
const CELL: f32 = 0.0028;
/// Edge of the texture.
const TEXTURE: usize = 2048;

/// Builds the post with its texture.
pub fn mooring_post() -> Scene {
    let (low, high) = (Vec3::new(-0.60, -0.07, -0.60), Vec3::new(0.60, 1.16, 0.60));
    let net = extract(|p| field::<true>(p).0, low, high, CELL, 1.25);
    let corners = keep_seen(&net.points, &net.corners);
    let light: Vec<Vertex> = {
        let mut normals = vec![Vec3::ZERO; net.points.len()];
        for f in net.corners.chunks_exact(3) {
            let [a, b, c] = [f[0], f[1], f[2]].map(|v| net.points[v as usize]);
            let n = (b - a).cross(c - a);
            f.iter().for_each(|&v| normals[v as usize] += n);
        }
        net.points
            .par_iter()
            .zip(&normals)
            .map(|(&p, n)| light(p, n.normalize_or(Vec3::Y)))
            .collect()
    };

    // Charts: four quarters of the trunk, what looks up near the top, the ground.
    let mut builder = MeshBuilder::new();
    builder.part("mooring post scan", Affine3A::IDENTITY);
    let mut primitive = Primitive {
        uv_sets: vec![Vec::new()],
        material: Some(0),
        ..Primitive::default()
    };
    let mut canvas = Canvas {
        size: TEXTURE,
        texels: vec![Vec3::splat(-1.0); TEXTURE * TEXTURE],
    };
    for f in corners.chunks_exact(3) {
        let places = [0, 1, 2].map(|k| net.points[f[k] as usize]);
        let chart = chart_of(places);
        let first = primitive.positions.len() as u32;
        let uv = places.map(|p| chart_uv(chart, p));
        primitive.positions.extend(places);
        primitive.uv_sets[0].extend(uv);
        primitive.corners.extend([first, first + 1, first + 2]);
    }
    builder.primitive(primitive);
    let mut mesh = builder.finish();
    mesh.normals = measure::smooth_normals(&mesh);
    mesh.runs[0].channels.normals = true;
    let by_place: std::collections::HashMap<[u32; 3], Vertex> = net
        .points
        .iter()
        .zip(light)
        .map(|(p, l)| (p.to_array().map(f32::to_bits), l))
        .collect();
    paint(&mesh, &by_place, &mut canvas);
    dilate(&mut canvas);

    Scene {
        mesh,
        library: Library {
            materials: vec![json!({
                "name": "mooring post scan",
                "pbrMetallicRoughness": {
                    "baseColorTexture": { "index": 0 }, "metallicFactor": 0.0, "roughnessFactor": 1.0
                },
            })],
            textures: vec![json!({ "source": 0 })],
            samplers: vec![],
            images: vec![canvas.into_image("mooring_post_base_colour")],
        },
        copyright: Some(
            "Skerry Light, an invented scenario; made by Ectome's demo generator".into(),
        ),
        ..Scene::default()
    }
}

/// Drops what no camera saw: the underside of the ground, its ragged rim, a few patches.
fn keep_seen(points: &[Vec3], corners: &[u32]) -> Vec<u32> {
    let holes = [
        (Vec3::new(-0.10, 0.30, -0.145), 0.035),
        (Vec3::new(0.09, 0.52, -0.135), 0.026),
        (Vec3::new(0.30, 0.0, -0.36), 0.05),
        (Vec3::new(-0.42, 0.0, -0.10), 0.042),
        (Vec3::new(-0.16, 0.03, -0.20), 0.035),
    ];
    corners
        .chunks_exact(3)
        .filter(|f| {
            let [a, b, c] = [f[0], f[1], f[2]].map(|v| points[v as usize]);
            let m = (a + b + c) / 3.0;
            let rim = 0.50 + 0.06 * fbm(Vec3::new(m.x * 4.0, 1.0, m.z * 4.0), 3);
            let flat = Vec2::new(m.x, m.z).length();
            let ragged = 0.35 * perlin(m * 60.0);
            m.y > -0.055
                && flat < rim
                && holes
                    .iter()
                    .all(|(at, r)| m.distance(*at) > r * (1.0 + ragged))
        })
        .flatten()
        .copied()
        .collect()
}
