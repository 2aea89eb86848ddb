//! The harbour lantern: twelve parts of twelve kinds of material, each of which has to be what it is in every tier: brass, glass, a flame,
//! a net, a sign that takes no light, a float in vertex colours, tiles whose texture is moved and repeated, a pennant with two sides, a
//! lacquered handle, a collar with packed textures, a relief by its normal map, painted oak.

use std::{f32::consts::TAU, io::Cursor};

use ectome_formats::{Image, Library, Scene};
use ectome_mesh::{MeshBuilder, Primitive};
use glam::{Affine3A, Vec2, Vec3, Vec4};
use image::{ImageFormat, Rgba, RgbaImage};
use serde_json::{Value, json};

use crate::{
    noise::fbm,
    solid::{Cell, Solid, curve},
};

/// Edge of its textures, in texels.
const TEXELS: u32 = 256;
const WHOLE: Cell = Cell(0.0, 0.0, 1.0, 1.0);

/// A picture from colours in sRGB and opacity, 0 to 1, by UV.
fn picture(name: &str, paint: impl Fn(f32, f32) -> Vec4) -> Image {
    let picture = RgbaImage::from_fn(TEXELS, TEXELS, |x, y| {
        let at = |k: u32| (k as f32 + 0.5) / TEXELS as f32;
        Rgba(
            (paint(at(x), at(y)).clamp(Vec4::ZERO, Vec4::ONE) * 255.0 + 0.5)
                .to_array()
                .map(|v| v as u8),
        )
    });
    let mut bytes = Cursor::new(Vec::new());
    // Writing to memory cannot fail.
    let _ = picture.write_to(&mut bytes, ImageFormat::Png);
    Image {
        name: name.to_owned(),
        mime: "image/png".to_owned(),
        bytes: bytes.into_inner(),
    }
}

fn checker(u: f32, v: f32, n: f32) -> bool {
    ((u * n) as i32 + (v * n) as i32) % 2 == 0
}

/// Its pictures, in the order in which materials name them.
fn pictures() -> Vec<Image> {
    let opaque = |r: f32, g: f32, b: f32| Vec4::new(r, g, b, 1.0);
    vec![
        picture("lantern_oak", |u, v| {
            let ring =
                0.5 + 0.5 * (60.0 * (u + 0.04 * fbm(Vec3::new(3.0 * u, 9.0 * v, 1.0), 3))).sin();
            opaque(0.42 + 0.2 * ring, 0.28 + 0.14 * ring, 0.16 + 0.06 * ring)
        }),
        // Ropes cross; between them it is clear, in their colour, so that no fringe shows where texels are mixed.
        picture("lantern_net", |u, v| {
            let rope = |t: f32| ((t * 8.0).fract() - 0.5).abs() > 0.36;
            let opaque = rope(u) || rope(v);
            Vec4::new(0.55, 0.46, 0.3, if opaque { 1.0 } else { 0.0 })
        }),
        picture("lantern_tiles", |u, v| {
            if checker(u, v, 4.0) {
                opaque(0.1, 0.3, 0.65)
            } else {
                opaque(0.92, 0.9, 0.84)
            }
        }),
        picture("lantern_glass", |_, v| {
            let frosted = (0.35..0.65).contains(&v);
            Vec4::new(0.6, 0.78, 0.8, if frosted { 0.75 } else { 0.3 })
        }),
        picture("lantern_flame", |_, v| {
            opaque(1.0, 0.75 - 0.4 * v, 0.35 - 0.3 * v)
        }),
        picture("lantern_sign", |u, v| {
            let wave = (v - 0.5 - 0.12 * (u * TAU * 2.0).sin()).abs() < 0.1;
            if wave {
                opaque(0.95, 0.95, 0.9)
            } else {
                opaque(0.75, 0.1, 0.12)
            }
        }),
        // Occlusion, roughness, metalness.
        picture("lantern_collar", |u, v| {
            let groove = 0.5 + 0.5 * (u * TAU * 12.0).sin();
            opaque(
                0.35 + 0.65 * groove,
                if v > 0.5 { 0.75 } else { 0.3 },
                if v > 0.5 { 0.0 } else { 1.0 },
            )
        }),
        picture("lantern_relief", |u, v| {
            let slope = |t: f32| 0.6 * (t * TAU * 6.0).sin();
            let n = Vec3::new(slope(u), slope(v), 1.0).normalize() * 0.5 + 0.5;
            n.extend(1.0)
        }),
    ]
}

fn materials() -> Vec<Value> {
    let texture = |n: u32| json!({ "index": n });
    let pbr = |base: [f32; 4], metal: f32, rough: f32| json!({ "baseColorFactor": base, "metallicFactor": metal, "roughnessFactor": rough });
    let painted = |n: u32, rough: f32| json!({ "baseColorTexture": texture(n), "metallicFactor": 0.0, "roughnessFactor": rough });
    let mut tiles = painted(2, 0.35);
    tiles["baseColorTexture"]["extensions"] = json!({
        "KHR_texture_transform": { "offset": [0.1, 0.2], "rotation": 0.3, "scale": [1.5, 1.5] }
    });
    let mut collar = pbr([0.75, 0.6, 0.35, 1.0], 1.0, 1.0);
    collar["metallicRoughnessTexture"] = texture(6);
    vec![
        json!({ "name": "brass", "pbrMetallicRoughness": pbr([0.83, 0.62, 0.26, 1.0], 1.0, 0.28) }),
        json!({ "name": "glass", "alphaMode": "BLEND", "pbrMetallicRoughness": painted(3, 0.06) }),
        json!({ "name": "flame", "pbrMetallicRoughness": pbr([0.02, 0.02, 0.02, 1.0], 0.0, 0.9),
            "emissiveFactor": [1.0, 1.0, 1.0], "emissiveTexture": texture(4),
            "extensions": { "KHR_materials_emissive_strength": { "emissiveStrength": 4.0 } } }),
        json!({ "name": "net", "alphaMode": "MASK", "alphaCutoff": 0.5, "doubleSided": true, "pbrMetallicRoughness": painted(1, 0.9) }),
        json!({ "name": "sign", "pbrMetallicRoughness": painted(5, 1.0), "extensions": { "KHR_materials_unlit": {} } }),
        json!({ "name": "cork", "pbrMetallicRoughness": pbr([1.0; 4], 0.0, 0.95) }),
        json!({ "name": "tiles", "pbrMetallicRoughness": tiles }),
        json!({ "name": "cloth", "doubleSided": true, "pbrMetallicRoughness": pbr([0.6, 0.08, 0.1, 1.0], 0.0, 1.0) }),
        json!({ "name": "lacquer", "pbrMetallicRoughness": pbr([0.12, 0.02, 0.02, 1.0], 0.0, 0.55),
            "extensions": { "KHR_materials_clearcoat": { "clearcoatFactor": 1.0, "clearcoatRoughnessFactor": 0.08 } } }),
        json!({ "name": "collar", "pbrMetallicRoughness": collar, "occlusionTexture": { "index": 6, "strength": 0.9 } }),
        json!({ "name": "relief", "pbrMetallicRoughness": pbr([0.5, 0.53, 0.5, 1.0], 0.0, 0.45), "normalTexture": texture(7) }),
        json!({ "name": "oak", "pbrMetallicRoughness": painted(0, 0.7) }),
    ]
}

fn turned(knots: &[(f32, f32)], segments: u32) -> Solid {
    let list: Vec<Vec2> = knots.iter().map(|&(r, y)| Vec2::new(r, y)).collect();
    let mut profile = curve(&list, 4);
    let last = profile.len() - 1;
    profile.iter_mut().for_each(|p| p.x = p.x.max(0.0));
    (profile[0].x, profile[last].x) = (0.0, 0.0);
    Solid::turned(&profile, segments)
}

/// A sheet of so many squares, one side, its UVs over the whole texture.
fn sheet([across, down]: [u32; 2], material: u32, place: impl Fn(f32, f32) -> Vec3) -> Primitive {
    let mut p = Primitive {
        uv_sets: vec![Vec::new()],
        material: Some(material),
        ..Primitive::default()
    };
    for j in 0..=down {
        for i in 0..=across {
            let (u, v) = (i as f32 / across as f32, j as f32 / down as f32);
            p.positions.push(place(u, v));
            p.uv_sets[0].push(Vec2::new(u, v));
        }
    }
    for j in 0..down {
        for i in 0..across {
            let at = j * (across + 1) + i;
            let below = at + across + 1;
            p.corners
                .extend([at, below, at + 1, at + 1, below, below + 1]);
        }
    }
    p
}

/// The parts, by name; each has the material of its number.
fn parts() -> Vec<(&'static str, Primitive)> {
    let whole = |solid: Solid, material: u32| solid.finish(WHOLE, material);
    let moved = |solid: Solid, by: Vec3| solid.mapped(move |p| p + by);
    let housing = turned(
        &[
            (0.0, 0.03),
            (0.11, 0.03),
            (0.115, 0.05),
            (0.1, 0.07),
            (0.0, 0.075),
        ],
        64,
    )
    .and(turned(
        &[
            (0.0, 0.335),
            (0.1, 0.34),
            (0.11, 0.36),
            (0.05, 0.42),
            (0.012, 0.44),
            (0.0, 0.442),
        ],
        64,
    ));
    let glass = Solid::turned(
        &[
            (0.0, 0.08),
            (0.085, 0.08),
            (0.085, 0.16),
            (0.085, 0.25),
            (0.085, 0.33),
            (0.0, 0.33),
        ]
        .map(|(r, y)| Vec2::new(r, y)),
        72,
    );
    let flame = turned(
        &[
            (0.0, 0.12),
            (0.02, 0.14),
            (0.024, 0.165),
            (0.01, 0.21),
            (0.0, 0.235),
        ],
        40,
    );
    let net = sheet([40, 32], 3, |u, v| {
        let turn = 0.35 + 2.2 * u;
        let out = 0.17 + 0.012 * (9.0 * u).sin() * v;
        Vec3::new(out * turn.cos(), 0.36 - 0.32 * v, out * turn.sin())
    });
    let sign = moved(
        Solid::soft_box(Vec3::new(0.12, 0.08, 0.012), 0.003, 8),
        Vec3::new(0.0, 0.21, -0.13),
    );
    let mut float = whole(
        moved(
            turned(
                &[
                    (0.0, 0.0),
                    (0.035, 0.015),
                    (0.04, 0.05),
                    (0.03, 0.085),
                    (0.0, 0.1),
                ],
                48,
            ),
            Vec3::new(-0.2, 0.03, 0.05),
        ),
        5,
    );
    float.colours = float
        .positions
        .iter()
        .map(|p| {
            let band = (0.065..0.1).contains(&p.y);
            let cork = 0.5 + 0.12 * fbm(*p * 60.0, 2);
            if band {
                Vec4::new(0.7, 0.05, 0.04, 1.0)
            } else {
                Vec4::new(cork, 0.7 * cork, 0.45 * cork, 1.0)
            }
        })
        .collect();
    let tiles = Solid::soft_box(Vec3::new(0.5, 0.03, 0.42), 0.006, 16);
    let pennant = sheet([36, 14], 7, |u, v| {
        let half = 0.05 * (1.0 - 0.85 * u);
        Vec3::new(
            0.02 + 0.2 * u,
            0.46 + half * (1.0 - 2.0 * v),
            0.02 * (8.0 * u).sin() * u,
        )
    });
    let handle: Vec<Vec3> = (0..=40)
        .map(|k| {
            let turn = std::f32::consts::PI * k as f32 / 40.0;
            Vec3::new(0.0, 0.42 + 0.1 * turn.sin(), 0.075 * turn.cos())
        })
        .collect();
    let handle = Solid::drawn(&handle, 16, |_, _| 0.008);
    let collar = turned(
        &[
            (0.0, 0.31),
            (0.09, 0.312),
            (0.094, 0.32),
            (0.09, 0.332),
            (0.0, 0.334),
        ],
        96,
    );
    let relief = moved(
        turned(
            &[
                (0.0, 0.0),
                (0.05, 0.002),
                (0.06, 0.01),
                (0.05, 0.022),
                (0.0, 0.026),
            ],
            64,
        ),
        Vec3::new(0.19, 0.02, -0.12),
    );
    let oak = moved(
        Solid::soft_box(Vec3::new(0.09, 0.06, 0.09), 0.008, 10),
        Vec3::new(0.19, 0.05, 0.12),
    );
    vec![
        ("housing", whole(housing, 0)),
        ("glass", whole(glass, 1)),
        ("flame", whole(flame, 2)),
        ("net", net),
        ("sign", whole(sign, 4)),
        ("float", float),
        ("tiles", whole(tiles, 6)),
        ("pennant", pennant),
        ("handle", whole(handle, 8)),
        ("collar", whole(collar, 9)),
        ("relief", whole(relief, 10)),
        ("block", whole(oak, 11)),
    ]
}

/// Builds the lantern and its textures.
pub fn harbour_lantern() -> Scene {
    let mut builder = MeshBuilder::new();
    for (name, primitive) in parts() {
        builder.part(name, Affine3A::IDENTITY).primitive(primitive);
    }
    let images = pictures();
    Scene {
        mesh: builder.finish(),
        library: Library {
            materials: materials(),
            textures: (0..images.len()).map(|n| json!({ "source": n })).collect(),
            images,
            ..Library::default()
        },
        copyright: Some(crate::NOTICE.into()),
        ..Scene::default()
    }
}
