//! The mooring post as a photogrammetry set would deliver it: dense everywhere, one texture with the
//! light of the day in it, a patch of ground, holes where no camera looked, crumbs in the air.

use std::f32::consts::{PI, TAU};

use ectome_formats::{Library, Scene};
use ectome_mesh::{Mesh, MeshBuilder, Primitive, measure};
use glam::{Affine3A, Vec2, Vec3};
use rayon::prelude::*;
use serde_json::json;

use crate::{
    canvas::Canvas,
    noise::{fbm, hash, perlin, smoothstep, unit},
    surface_nets::extract,
};

/// Side of a lattice cell, in metres.
const CELL: f32 = 0.0028;
/// Edge of the texture.
const TEXTURE: usize = 2048;
/// Height of the post above the ground.
const TOP: f32 = 0.98;

/// What a place is made of.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Stuff {
    Wood,
    Barnacle,
    Rope,
    Iron,
    Ground,
}

/// Gaps narrower than this are bridged, in metres (polynomial smooth minimum).
const BRIDGE: f32 = 0.012;

/// Drying cracks: angle, lowest and highest place, half-width, depth.
const CHECKS: [(f32, f32, f32, f32, f32); 6] = [
    (0.35, 0.42, 1.02, 0.0075, 0.075),
    (1.95, 0.15, 0.66, 0.0050, 0.050),
    (2.90, 0.55, 1.02, 0.0065, 0.065),
    (4.10, 0.30, 1.02, 0.0060, 0.055),
    (5.20, 0.05, 0.52, 0.0045, 0.040),
    (5.75, 0.60, 1.02, 0.0040, 0.045),
];

fn wood_radius<const FINE: bool>(angle: f32, y: f32) -> f32 {
    let around = Vec3::new(angle.cos(), angle.sin(), 0.0);
    let trunk = 0.170 - 0.020 * y + 0.008 * (2.0 * angle + 0.7).cos() + 0.004 * (5.0 * angle).cos();
    // Long grain: noise drawn out along the trunk, deeper where weather got at it.
    let grain = if !FINE {
        0.0
    } else {
        fbm(around * 7.0 + Vec3::new(0.0, 0.0, y * 1.1), 3) * 0.009
            + fbm(around * 24.0 + Vec3::new(0.0, 0.0, y * 2.1), 3) * 0.0055
            + perlin(around * 62.0 + Vec3::new(0.0, 0.0, y * 5.0)) * 0.0011
    };
    // Rope has worn three shallow waists into it.
    let worn: f32 = [
        (0.735, 0.030, 0.020),
        (0.685, 0.022, 0.011),
        (0.60, 0.016, 0.006),
    ]
    .iter()
    .map(|&(at, half, deep)| {
        let d = (y - at + 0.01 * (angle + at * 9.0).sin()) / half;
        deep * (-d * d).exp() * (0.75 + 0.25 * (angle - 0.6).cos())
    })
    .sum();
    // The foot swells.
    let foot = 0.035 * smoothstep(0.16, -0.06, y);
    trunk + grain * (1.0 - smoothstep(0.0, 0.012, worn)) - worn + foot
}

/// Barnacles as a height over the trunk: cones with a crater, thick below the tide line.
fn barnacle(angle: f32, y: f32) -> f32 {
    if !(0.0..0.46).contains(&y) {
        return 0.0;
    }
    let cell = 0.026;
    let (a, h) = (angle * 0.17 / cell, y / cell);
    let (ca, ch) = (a.floor() as i32, h.floor() as i32);
    let around = (TAU * 0.17 / cell).floor() as i32;
    let mut height: f32 = 0.0;
    for da in -1..=1 {
        for dh in -1..=1 {
            let (i, j) = ((ca + da).rem_euclid(around), ch + dh);
            let dense = smoothstep(0.46, 0.10, j as f32 * cell) * 0.85;
            let colony = smoothstep(
                -0.22,
                0.22,
                perlin(Vec3::new(i as f32 * 0.23, j as f32 * 0.3, 9.0)),
            );
            if unit(i, j, 1) > dense * colony {
                continue;
            }
            let centre = Vec2::new(
                (ca + da) as f32 + 0.25 + 0.5 * unit(i, j, 2),
                j as f32 + 0.25 + 0.5 * unit(i, j, 3),
            );
            let d = (Vec2::new(a, h) - centre) * cell;
            let radius = 0.0085 + 0.0085 * unit(i, j, 4);
            let turn = d.y.atan2(d.x);
            let ribs = 1.0 + 0.10 * (turn * (6.0 + (hash(i, j, 5) % 4) as f32)).cos();
            let rho = d.length() / (radius * ribs);
            if rho < 1.0 {
                let tall = radius * (0.75 + 0.5 * unit(i, j, 6));
                let cone = (1.0 - rho).min(0.40) / 0.40;
                let crater = smoothstep(0.46, 0.10, rho) * 0.50;
                height = height.max(tall * (cone - crater));
            }
        }
    }
    height
}

/// The field: distance to the nearest surface, negative inside, and what it is made of. Without
/// `FINE` the grain of wood and rock is left out, which is good enough for shadows.
fn field<const FINE: bool>(p: Vec3) -> (f32, Stuff) {
    let flat = Vec2::new(p.x, p.z);
    let r = flat.length();
    let angle = p.x.atan2(p.z).rem_euclid(TAU);
    let mut best = (ground::<FINE>(p), Stuff::Ground);
    // Far parts answer with a cheap lower bound of their distance: most of the lattice is far from
    // most of the parts.
    let mut gap = 0.0f32;
    let mut consider = |d: f32, stuff: Stuff| {
        let h = (1.0 - (best.0 - d).abs() / BRIDGE).max(0.0);
        gap = gap.max(0.25 * BRIDGE * h * h);
        if d < best.0 {
            best = (d, stuff);
        }
    };
    if r < 0.34 && p.y < TOP + 0.12 {
        let radius = wood_radius::<FINE>(angle, p.y);
        let side = r - radius;
        let shell = if side.abs() < 0.03 {
            barnacle(angle, p.y)
        } else {
            0.0
        };
        // A worn, slightly dished top with year rings standing out of it.
        let near_top = FINE && (p.y - TOP).abs() < 0.06;
        let rings = if !near_top {
            0.0
        } else {
            0.0022 * (r * 420.0 + 3.0 * fbm(Vec3::new(p.x * 9.0, 0.0, p.z * 9.0), 3)).sin()
                - 0.010 * fbm(Vec3::new(p.x * 14.0, 3.0, p.z * 14.0), 3)
        };
        let tilt = 0.03 * p.x - 0.02 * p.z;
        let top = p.y - (TOP + tilt + rings);
        let (s, t) = (side + 0.022, top + 0.022);
        let wood = (s.max(0.0).powi(2) + t.max(0.0).powi(2)).sqrt() + s.max(t).min(0.0) - 0.022;
        let mut wood = wood;
        for (at, low, high, half, deep) in CHECKS {
            let rough = (angle - at + PI).rem_euclid(TAU) - PI;
            if rough.abs() > 0.14 || side < -deep || p.y < low || side > 0.03 {
                continue;
            }
            let wander = 0.05 * perlin(Vec3::new(at * 7.0, p.y * 5.0, 0.0));
            let off = ((angle - at - wander + PI).rem_euclid(TAU) - PI) * r;
            let along = smoothstep(low, low + 0.12, p.y)
                * smoothstep(high + 0.02, high - 0.10, p.y).max(f32::from(high > 1.0));
            // A slot with a round bottom; where it would get thinner than the lattice it ends.
            let half = half * along;
            if half > 0.0034 {
                let below = (-side - (deep - half)).max(0.0);
                wood = wood.max(half - off.hypot(below));
            }
        }
        if shell > 0.0005 {
            let d = side - shell;
            consider(d.max(top).max(-side - 0.008) * 0.6, Stuff::Barnacle);
        }
        consider(wood * 0.8, Stuff::Wood);
        consider(hoop(r, angle, p.y), Stuff::Iron);
        consider(rope(r, angle, p.y), Stuff::Rope);
    }
    consider(mooring_ring(p), Stuff::Iron);
    consider(rope_end(p), Stuff::Rope);
    consider(crumbs(p), Stuff::Ground);
    // No camera sees into the gaps where things touch: reconstruction closes them.
    (best.0 - gap, best.1)
}

fn ground<const FINE: bool>(p: Vec3) -> f32 {
    if p.y > 0.17 {
        return p.y - 0.11;
    }
    let at = Vec3::new(p.x, 0.0, p.z);
    let mut d = p.y - 0.030 * fbm(at * 3.4, if FINE { 4 } else { 2 });
    if FINE {
        d -= 0.006 * fbm(at * 19.0, 3);
    }
    if d.abs() > 0.12 {
        return d;
    }
    // Pebbles and two larger stones half in the ground.
    for (x, z, y, r) in [
        (0.36, 0.22, 0.0, 0.085),
        (-0.33, 0.30, -0.02, 0.075),
        (-0.22, -0.40, 0.0, 0.06),
    ] {
        let q = Vec3::new(p.x - x, (p.y - y) * 1.35, p.z - z);
        if q.length() < r + 0.06 {
            d = smooth_min(d, q.length() - r - 0.018 * fbm(p * 17.0, 3), 0.02);
        }
    }
    let cell = 0.07;
    let (cx, cz) = ((p.x / cell).floor() as i32, (p.z / cell).floor() as i32);
    for i in cx - 1..=cx + 1 {
        for j in cz - 1..=cz + 1 {
            if unit(i, j, 21) > 0.62 {
                continue;
            }
            let c = Vec3::new(
                (i as f32 + 0.2 + 0.6 * unit(i, j, 22)) * cell,
                0.012 * unit(i, j, 25) - 0.008,
                (j as f32 + 0.2 + 0.6 * unit(i, j, 23)) * cell,
            );
            let r = 0.010 + 0.018 * unit(i, j, 24);
            let q = (p - c) * Vec3::new(1.0, 1.5, 0.85);
            d = smooth_min(d, q.length() - r, 0.006);
        }
    }
    d
}

fn smooth_min(a: f32, b: f32, k: f32) -> f32 {
    let h = (0.5 + 0.5 * (b - a) / k).clamp(0.0, 1.0);
    b + (a - b) * h - k * h * (1.0 - h)
}

/// An iron hoop below the top, pitted.
fn hoop(r: f32, angle: f32, y: f32) -> f32 {
    if (y - 0.885).abs() > 0.06 {
        return (y - 0.885).abs() - 0.03;
    }
    let pits = 0.0016 * perlin(Vec3::new(angle * 9.0, y * 60.0, 31.0));
    let d = Vec2::new((r - 0.158).abs() - 0.009, (y - 0.885).abs() - 0.026);
    let outside = d.max(Vec2::ZERO).length() + d.max_element().min(0.0);
    outside - 0.003 + pits
}

/// Three turns of rope around the waist, strands laid right-handed.
fn rope(r: f32, angle: f32, y: f32) -> f32 {
    let above = (y - 0.705).abs() - 0.075;
    if above > 0.02 {
        return above;
    }
    let mut best = 1.0f32;
    for k in 0..3 {
        let height = 0.660 + 0.0315 * (k as f32 + angle / TAU) + 0.004 * (angle * 3.0).sin();
        let centre = 0.162 + 0.006 * (2.0 * angle + 0.7).cos();
        let d = Vec2::new(r - centre, y - height);
        let turn = d.y.atan2(d.x);
        let strands = 0.0026 * (3.0 * turn - angle * 34.0).cos().powi(2);
        best = smooth_min(best, d.length() - 0.0158 - strands, 0.006);
    }
    best * 0.7
}

/// The rope's loose end, hanging down and over the ground.
fn rope_end(p: Vec3) -> f32 {
    if p.z < 0.10 || p.x.abs() > 0.24 || p.y > 0.75 {
        return (0.14 - p.z).max(p.x.abs() - 0.20).max(p.y - 0.70);
    }
    let mut best = f32::MAX;
    let knots = [
        Vec3::new(0.01, 0.665, 0.175),
        Vec3::new(0.035, 0.60, 0.185),
        Vec3::new(0.05, 0.45, 0.182),
        Vec3::new(0.06, 0.25, 0.196),
        Vec3::new(0.075, 0.08, 0.215),
        Vec3::new(0.12, 0.022, 0.29),
        Vec3::new(0.17, 0.018, 0.37),
    ];
    let mut before = 0.0;
    for w in knots.windows(2) {
        let (a, d) = (w[0], w[1] - w[0]);
        let t = ((p - a).dot(d) / d.length_squared()).clamp(0.0, 1.0);
        let off = p - (a + d * t);
        let along = before + t * d.length();
        before += d.length();
        let turn = off.x.atan2(off.z + off.y);
        let strands = 0.0026 * (1.5 * turn - along * 210.0).cos().powi(2);
        best = best.min(off.length() - 0.0145 - strands);
    }
    best * 0.7
}

/// A ring through an eye bolt on the seaward side.
fn mooring_ring(p: Vec3) -> f32 {
    let c = Vec3::new(0.0, 0.40, 0.208) - Vec3::new(0.085, 0.0, 0.03);
    let q = p - c;
    if q.length() > 0.2 {
        return q.length() - 0.13;
    }
    let tilt = Vec3::new(q.x, q.y * 0.966 - q.z * 0.259, q.y * 0.259 + q.z * 0.966);
    let ring = Vec2::new(Vec2::new(tilt.x, tilt.y).length() - 0.066, tilt.z).length() - 0.0085;
    let e = p - (c + Vec3::new(0.0, 0.066, 0.0));
    let eye = Vec2::new(Vec2::new(e.y, e.z).length() - 0.017, e.x).length() - 0.0065;
    let shank = Vec2::new(e.x, e.y).length() - 0.0075;
    let shank = shank.max(e.z - -0.012).max(-0.09 - e.z);
    let plate = Vec2::new(e.x, e.y).length() - 0.034;
    let plate = plate.max((e.z + 0.036).abs() - 0.010);
    ring.min(eye).min(shank).min(plate) + 0.0008 * perlin(p * 90.0)
}

/// What matching errors leave in the air.
fn crumbs(p: Vec3) -> f32 {
    [
        (0.31, 0.62, 0.10, 0.011),
        (-0.27, 0.88, 0.16, 0.008),
        (0.22, 1.06, -0.12, 0.013),
        (-0.36, 0.35, -0.20, 0.010),
        (0.40, 0.24, -0.28, 0.007),
        (-0.12, 1.10, 0.24, 0.006),
    ]
    .iter()
    .map(|&(x, y, z, r)| {
        let q = p - Vec3::new(x, y, z);
        if q.length() > 4.0 * r {
            q.length() - 2.0 * r
        } else {
            q.length() - r - r * 0.8 * perlin(p * 70.0)
        }
    })
    .fold(f32::MAX, f32::min)
}

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

/// Light and material at a vertex.
#[derive(Clone, Copy)]
struct Vertex {
    light: Vec3,
    stuff: Stuff,
}

/// The light of a hazy afternoon, as the cameras recorded it: sun with shadow, sky with occlusion.
fn light(p: Vec3, n: Vec3) -> Vertex {
    let (_, stuff) = field::<true>(p - n * 0.001);
    let mut open = 1.0;
    let mut weight = 0.9;
    for k in 1..=4 {
        let reach = 0.006 * (k * k) as f32;
        open -= weight * ((reach - field::<false>(p + n * reach).0) / reach).clamp(0.0, 1.0);
        weight *= 0.55;
    }
    let sun = Vec3::new(-0.55, 0.62, 0.56).normalize();
    let mut lit = n.dot(sun).max(0.0);
    if lit > 0.0 {
        let mut t = 0.012;
        for _ in 0..9 {
            let d = field::<false>(p + n * 0.004 + sun * t).0;
            lit *= (d * 14.0 / t + 0.55).clamp(0.0, 1.0);
            t += d.max(0.018);
        }
    }
    let sky = 0.5 + 0.5 * n.y;
    let ambient = Vec3::new(0.40, 0.46, 0.54) * sky + Vec3::new(0.22, 0.20, 0.17) * (1.0 - sky);
    Vertex {
        light: ambient * open.clamp(0.12, 1.0) + Vec3::new(1.05, 0.95, 0.78) * lit,
        stuff,
    }
}

/// What a place looks like before light.
fn albedo(p: Vec3, stuff: Stuff) -> Vec3 {
    let fine = fbm(p * 160.0, 3);
    let cloud = fbm(p * 9.0, 4);
    let tide = smoothstep(0.50, 0.22, p.y + 0.05 * cloud);
    match stuff {
        Stuff::Wood => {
            let angle = p.x.atan2(p.z);
            let around = Vec3::new(angle.cos(), angle.sin(), 0.0);
            let grain = fbm(around * 40.0 + Vec3::new(0.0, 0.0, p.y * 4.0), 4);
            let dry =
                Vec3::new(0.34, 0.31, 0.27).lerp(Vec3::new(0.20, 0.145, 0.10), 0.5 + 1.2 * grain);
            let wet = Vec3::new(0.075, 0.062, 0.045);
            let weed = Vec3::new(0.075, 0.105, 0.035);
            let low = wet.lerp(weed, smoothstep(-0.15, 0.25, fbm(p * 21.0, 3)));
            dry.lerp(low, tide) * (1.0 + 0.5 * fine)
        }
        Stuff::Barnacle => {
            let chalk = Vec3::new(0.55, 0.53, 0.46).lerp(Vec3::new(0.30, 0.30, 0.24), 0.5 + cloud);
            chalk * (0.95 + 0.7 * fine)
        }
        Stuff::Rope => {
            let tar = Vec3::new(0.36, 0.28, 0.17).lerp(Vec3::new(0.20, 0.15, 0.10), 0.5 + cloud);
            tar * (1.0 + 0.9 * fine)
        }
        Stuff::Iron => {
            Vec3::new(0.055, 0.052, 0.05).lerp(
                Vec3::new(0.26, 0.10, 0.035),
                smoothstep(-0.18, 0.25, fbm(p * 30.0, 4)),
            ) * (1.0 + 0.8 * fine)
        }
        Stuff::Ground => {
            let rock = Vec3::new(0.20, 0.195, 0.185).lerp(Vec3::new(0.33, 0.30, 0.25), 0.5 + cloud);
            let weed = smoothstep(0.12, 0.34, fbm(p * 5.0 + 40.0, 4));
            rock.lerp(Vec3::new(0.085, 0.10, 0.04), weed * 0.8) * (0.95 + 0.8 * fine)
        }
    }
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Chart {
    Quarter(u8),
    Crown,
    Ground,
}

fn chart_of(p: [Vec3; 3]) -> Chart {
    let m = (p[0] + p[1] + p[2]) / 3.0;
    let flat = Vec2::new(m.x, m.z).length();
    if m.y > TOP - 0.07 && flat < 0.135 {
        Chart::Crown
    } else if m.y < 0.13 && flat > 0.232 {
        Chart::Ground
    } else {
        let angle = m.x.atan2(m.z).rem_euclid(TAU);
        Chart::Quarter((angle / (TAU / 4.0)) as u8 % 4)
    }
}

fn chart_uv(chart: Chart, p: Vec3) -> Vec2 {
    match chart {
        Chart::Quarter(q) => {
            let middle = (f32::from(q) + 0.5) * TAU / 4.0;
            let off = (p.x.atan2(p.z) - middle + PI).rem_euclid(TAU) - PI;
            let left = 0.005 + f32::from(q) * 0.15;
            let u = left + (off / (TAU / 4.0) * 0.90 + 0.5) * 0.142;
            Vec2::new(
                u.clamp(left, left + 0.144),
                0.99 - (p.y + 0.06) / 1.24 * 0.97,
            )
        }
        Chart::Crown => Vec2::new(0.80 + p.x * 0.52, 0.125 + p.z * 0.52),
        Chart::Ground => Vec2::new(0.805 + p.x * 0.33, 0.62 + p.z * 0.60 * 0.55),
    }
}

/// Fills the texels of every triangle with its colour in its light.
fn paint(mesh: &Mesh, light: &std::collections::HashMap<[u32; 3], Vertex>, canvas: &mut Canvas) {
    let size = canvas.size as f32;
    let at: Vec<Option<Vertex>> = mesh
        .points
        .iter()
        .map(|p| light.get(&p.to_array().map(f32::to_bits)).copied())
        .collect();
    let bands = 64;
    let canvas_size = canvas.size;
    let rows = canvas_size / bands;
    canvas
        .texels
        .par_chunks_mut(rows * canvas.size)
        .enumerate()
        .for_each(|(band, texels)| {
            let (from, to) = (band * rows, (band + 1) * rows);
            for f in 0..mesh.face_count() {
                let corners = &mesh.corners[3 * f..3 * f + 3];
                let uv = [0, 1, 2].map(|k| mesh.uv_sets[0][corners[k] as usize] * size);
                let low = uv[0].min(uv[1]).min(uv[2]).floor();
                let high = uv[0].max(uv[1]).max(uv[2]).ceil();
                if high.y < from as f32 || low.y >= to as f32 {
                    continue;
                }
                let area = (uv[1] - uv[0]).perp_dot(uv[2] - uv[0]);
                if area == 0.0 {
                    continue;
                }
                let points = mesh.triangle_points(f);
                let (y0, y1) = (
                    low.y.max(from as f32) as usize,
                    (high.y as usize + 1).min(to),
                );
                let (x0, x1) = (
                    low.x.max(0.0) as usize,
                    (high.x as usize + 1).min(canvas_size),
                );
                for y in y0..y1 {
                    for x in x0..x1 {
                        let q = Vec2::new(x as f32 + 0.5, y as f32 + 0.5);
                        let w =
                            [1, 2, 0].map(|k| (uv[(k + 1) % 3] - uv[k]).perp_dot(q - uv[k]) / area);
                        // A little over the edge where nothing is painted yet, so that no texel
                        // between triangles is missed.
                        let texel = &mut texels[(y - from) * canvas_size + x];
                        let least = w[0].min(w[1]).min(w[2]);
                        if least < -0.35 || (least < 0.0 && texel.x >= 0.0) {
                            continue;
                        }
                        let mix = |value: &dyn Fn(usize) -> Vec3| -> Vec3 {
                            (0..3).map(|k| value(k) * w[k]).sum()
                        };
                        let place = mix(&|k| mesh.points[points[k] as usize]);
                        let lit = mix(&|k| at[points[k] as usize].map_or(Vec3::ONE, |v| v.light));
                        let stuff = at[points[0] as usize].map_or(Stuff::Ground, |v| v.stuff);
                        *texel =
                            (albedo(place, stuff) * lit.max(Vec3::splat(0.02))).max(Vec3::ZERO);
                    }
                }
            }
        });
}

/// Carries colours a few texels over the edges of charts, and fills what is left.
fn dilate(canvas: &mut Canvas) {
    let n = canvas.size;
    for _ in 0..8 {
        let before = canvas.texels.clone();
        canvas
            .texels
            .par_iter_mut()
            .enumerate()
            .for_each(|(i, texel)| {
                if texel.x >= 0.0 {
                    return;
                }
                let (x, y) = (i % n, i / n);
                let mut sum = Vec3::ZERO;
                let mut count = 0.0;
                for (dx, dy) in [(-1i32, 0i32), (1, 0), (0, -1), (0, 1)] {
                    let (x, y) = (x as i32 + dx, y as i32 + dy);
                    if x >= 0 && y >= 0 && (x as usize) < n && (y as usize) < n {
                        let c = before[y as usize * n + x as usize];
                        if c.x >= 0.0 {
                            sum += c;
                            count += 1.0;
                        }
                    }
                }
                if count > 0.0 {
                    *texel = sum / count;
                }
            });
    }
    for texel in &mut canvas.texels {
        if texel.x < 0.0 {
            *texel = Vec3::new(0.17, 0.16, 0.15);
        }
    }
}
