//! The fog bell: a bronze bell on an oak yoke between iron trestles.

use std::f32::consts::{FRAC_PI_2, PI, TAU};

use ectome_formats::{Library, Scene};
use ectome_mesh::{MeshBuilder, measure};
use glam::{Affine3A, Quat, Vec2, Vec3};
use serde_json::json;

use crate::{
    canvas::Canvas,
    glyph::strokes,
    noise::{fbm, smoothstep},
    solid::{Cell, Solid, curve, running_lengths, soften},
};

const BRONZE: u32 = 0;
const YARD: u32 = 1;

/// Where things are on the bronze texture.
const WALL: Cell = Cell(0.006, 0.006, 0.988, 0.70);
const CROWN: Cell = Cell(0.006, 0.72, 0.48, 0.13);
const CAST: Cell = Cell(0.5, 0.72, 0.49, 0.27);
const LETTER: Cell = Cell(0.006, 0.86, 0.48, 0.13);
/// Where things are on the texture of wood, iron and rope.
const OAK: Cell = Cell(0.004, 0.004, 0.492, 0.992);
const IRON: Cell = Cell(0.504, 0.004, 0.492, 0.60);
const HEMP: Cell = Cell(0.504, 0.612, 0.492, 0.384);

/// Heights of the mouldings on the wall, their half-widths and how far they stand out.
const MOULDINGS: [(f32, f32, f32); 8] = [
    (0.030, 0.012, 0.010),
    (0.125, 0.008, 0.007),
    (0.150, 0.012, 0.012),
    (0.175, 0.008, 0.007),
    (0.395, 0.007, 0.006),
    (0.420, 0.010, 0.009),
    (0.600, 0.010, 0.009),
    (0.624, 0.007, 0.006),
];

/// Height of the bell's lip above the ground.
const LIP: f32 = 0.42;

/// The bell's wall: outer radius at each height above the lip.
fn wall_profile() -> Vec<Vec2> {
    let knots = [
        (0.452, 0.0),
        (0.446, 0.02),
        (0.405, 0.085),
        (0.352, 0.165),
        (0.312, 0.255),
        (0.285, 0.36),
        (0.268, 0.48),
        (0.258, 0.60),
        (0.248, 0.675),
        (0.222, 0.735),
        (0.170, 0.775),
        (0.115, 0.79),
    ]
    .map(|(r, y)| Vec2::new(r, y));
    let mut profile = curve(&knots, 30);
    for p in &mut profile {
        for (at, half, out) in MOULDINGS {
            let d = (p.y - at) / half;
            if d.abs() < 1.0 {
                p.x += out * (1.0 - d * d).sqrt();
            }
        }
    }
    profile
}

/// The radius of the wall at a height, mouldings aside.
fn waist_radius(y: f32) -> f32 {
    let wall = wall_profile();
    let i = wall
        .iter()
        .position(|p| p.y >= y)
        .unwrap_or(wall.len() - 1)
        .max(1);
    let (a, b) = (wall[i - 1], wall[i]);
    a.x + (b.x - a.x) * ((y - a.y) / (b.y - a.y).max(1e-6)).clamp(0.0, 1.0)
}

/// The whole section: inside from the axis down, around the lip, outside up to the axis.
fn section() -> (Vec<Vec2>, usize) {
    let wall = wall_profile();
    let mut inside: Vec<Vec2> = curve(
        &[
            (0.425, 0.004),
            (0.392, 0.05),
            (0.345, 0.12),
            (0.298, 0.21),
            (0.262, 0.33),
            (0.238, 0.50),
            (0.222, 0.62),
            (0.198, 0.69),
            (0.140, 0.735),
            (0.0, 0.748),
        ]
        .map(|(r, y)| Vec2::new(r, y)),
        11,
    );
    inside.reverse();
    inside[0].x = 0.0;
    let lip = (1..8).map(|k| {
        let a = PI * k as f32 / 8.0;
        Vec2::new(
            0.4385 - 0.0135 * a.cos(),
            0.004 - 0.010 * a.sin() - 0.004 * k as f32 / 8.0,
        )
    });
    let mut whole = inside;
    whole.extend(lip);
    let outer_from = whole.len();
    whole.extend(wall);
    soften(&mut whole, Vec2::new(0.0, 0.797), 10);
    (whole, outer_from)
}

/// Builds the bell with its stand and textures.
pub fn fog_bell() -> Scene {
    let mut builder = MeshBuilder::new();
    let up = |y: f32| Affine3A::from_translation(Vec3::new(0.0, y, 0.0));
    let (profile, _) = section();
    builder
        .part("bell", up(LIP))
        .primitive(Solid::turned(&profile, 288).finish(WALL, BRONZE));
    raised_legend(&mut builder);
    crown(&mut builder);
    clapper(&mut builder);
    yoke(&mut builder);
    for side in [-1.0, 1.0] {
        trestle(&mut builder, side);
    }
    builder
        .part("bell rope", Affine3A::IDENTITY)
        .primitive(rope());

    let mut mesh = builder.finish();
    mesh.normals = measure::smooth_normals(&mesh);
    for run in &mut mesh.runs {
        run.channels.normals = true;
    }
    Scene {
        mesh,
        library: library(),
        copyright: Some(
            "Skerry Light, an invented scenario; made by Ectome's demo generator".into(),
        ),
        ..Scene::default()
    }
}

fn raised_legend(builder: &mut MeshBuilder) {
    let text = "SKERRY LIGHT";
    let (height, pitch) = (0.072, 0.070);
    let middle = 0.472;
    let mut whole: Option<Solid> = None;
    for (k, letter) in text.chars().enumerate() {
        let start = (k as f32 - text.len() as f32 / 2.0) * pitch;
        for stroke in strokes(letter) {
            let mut dense: Vec<Vec2> = Vec::new();
            for w in stroke.windows(2) {
                if dense.is_empty() {
                    dense.push(w[0]);
                }
                let steps = (w[0].distance(w[1]) * 14.0).ceil().max(1.0) as u32;
                soften(&mut dense, w[1], steps);
            }
            let path: Vec<Vec3> = dense
                .iter()
                .map(|p| {
                    let y = middle + (p.y / 1.5 - 0.0) * height;
                    let r = waist_radius(y) + 0.001;
                    let angle = (start + p.x * pitch * 0.66) / r + 0.45;
                    Vec3::new(r * angle.sin(), y, r * angle.cos())
                })
                .collect();
            let bar = Solid::drawn(&path, 20, |_, _| 0.0062);
            whole = Some(match whole {
                None => bar,
                Some(w) => w.and(bar),
            });
        }
    }
    if let Some(letters) = whole {
        builder
            .part(
                "raised legend",
                Affine3A::from_translation(Vec3::new(0.0, LIP, 0.0)),
            )
            .primitive(letters.finish(LETTER, BRONZE));
    }
}

fn crown(builder: &mut MeshBuilder) {
    let mut profile = vec![Vec2::new(0.0, 0.78)];
    for (r, y, n) in [
        (0.125, 0.785, 6),
        (0.130, 0.800, 4),
        (0.120, 0.812, 4),
        (0.085, 0.818, 5),
        (0.070, 0.835, 5),
        (0.066, 0.900, 12),
        (0.074, 0.912, 4),
        (0.0, 0.914, 6),
    ] {
        soften(&mut profile, Vec2::new(r, y), n);
    }
    let base = Affine3A::from_translation(Vec3::new(0.0, LIP, 0.0));
    builder
        .part("crown", base)
        .primitive(Solid::turned(&profile, 144).finish(CROWN, BRONZE));
    for k in 0..6 {
        let turn = Quat::from_rotation_y(TAU * (k as f32 + 0.5) / 6.0);
        let path: Vec<Vec3> = (0..=40)
            .map(|i| {
                let a = PI * i as f32 / 40.0;
                turn * Vec3::new(0.088 - 0.030 * a.cos(), 0.800 + 0.105 * a.sin(), 0.0)
            })
            .collect();
        let loop_ = Solid::drawn(&path, 28, |t, a| {
            0.0125 * (1.0 + 0.12 * (2.0 * a).cos()) * (1.0 + 0.25 * (t * PI).sin())
        });
        builder
            .part(&format!("canon {}", k + 1), base)
            .primitive(loop_.finish(CAST, BRONZE));
    }
}

fn clapper(builder: &mut MeshBuilder) {
    let mut profile = vec![Vec2::new(0.0, -0.075)];
    for (r, y, n) in [(0.010, -0.074, 2), (0.013, -0.02, 4)] {
        soften(&mut profile, Vec2::new(r, y), n);
    }
    let ball = curve(
        &[
            (0.013, -0.02),
            (0.046, 0.0),
            (0.058, 0.04),
            (0.044, 0.082),
            (0.019, 0.108),
            (0.014, 0.16),
        ]
        .map(|(r, y)| Vec2::new(r, y)),
        10,
    );
    profile.extend(&ball[1..]);
    for (r, y, n) in [
        (0.012, 0.62, 24),
        (0.022, 0.64, 4),
        (0.022, 0.67, 4),
        (0.0, 0.675, 4),
    ] {
        soften(&mut profile, Vec2::new(r, y), n);
    }
    let frame = Affine3A::from_rotation_translation(
        Quat::from_rotation_z(0.10),
        Vec3::new(0.068, LIP + 0.055, 0.0),
    );
    builder
        .part("clapper", frame)
        .primitive(Solid::turned(&profile, 64).finish(IRON, YARD));
}

fn yoke(builder: &mut MeshBuilder) {
    let beam = Solid::soft_box(Vec3::new(1.20, 0.17, 0.19), 0.022, 44).mapped(|p| {
        // Arched back, narrowed ends.
        let t = p.x / 0.6;
        let arch = 0.035 * (1.0 - t * t);
        let slim = 1.0 - 0.22 * t * t;
        Vec3::new(
            p.x,
            p.y * slim + if p.y > 0.0 { arch } else { 0.0 },
            p.z * slim,
        )
    });
    let centre = LIP + 0.985;
    let at = |x: f32, y: f32, z: f32| Affine3A::from_translation(Vec3::new(x, y, z));
    builder
        .part("yoke", at(0.0, centre, 0.0))
        .primitive(beam.finish(OAK, YARD));
    for (n, x) in [-0.26f32, 0.26].into_iter().enumerate() {
        let strap = Solid::soft_box(Vec3::new(0.062, 0.225, 0.218), 0.009, 26);
        builder
            .part(&format!("strap {}", n + 1), at(x, centre + 0.012, 0.0))
            .primitive(strap.finish(IRON, YARD));
        for (m, z) in [-1.0f32, 1.0].into_iter().enumerate() {
            for (l, y) in [-0.055f32, 0.055].into_iter().enumerate() {
                let frame = Affine3A::from_rotation_translation(
                    Quat::from_rotation_x(FRAC_PI_2 * z),
                    Vec3::new(x, centre + 0.012 + y, z * 0.109),
                );
                builder
                    .part(&format!("strap bolt {}", n * 4 + m * 2 + l + 1), frame)
                    .primitive(Solid::bolt(0.015).finish(IRON, YARD));
            }
        }
    }
    let mut plate = vec![Vec2::new(0.0, -0.006)];
    for (r, y, n) in [
        (0.118, -0.006, 6),
        (0.124, 0.0, 3),
        (0.124, 0.014, 3),
        (0.118, 0.02, 3),
        (0.0, 0.02, 6),
    ] {
        soften(&mut plate, Vec2::new(r, y), n);
    }
    builder
        .part("canon plate", at(0.0, LIP + 0.905, 0.0))
        .primitive(Solid::turned(&plate, 96).finish(IRON, YARD));
}

fn trestle(builder: &mut MeshBuilder, side: f32) {
    let name = if side < 0.0 { "left" } else { "right" };
    let x = side * 0.66;
    let axle = LIP + 0.985;
    let mut pin = vec![Vec2::new(0.0, -0.09)];
    for (r, y, n) in [
        (0.030, -0.088, 5),
        (0.032, -0.08, 3),
        (0.032, 0.06, 10),
        (0.042, 0.064, 3),
        (0.042, 0.078, 3),
        (0.036, 0.084, 3),
        (0.0, 0.086, 5),
    ] {
        soften(&mut pin, Vec2::new(r, y), n);
    }
    let frame = Affine3A::from_rotation_translation(
        Quat::from_rotation_z(-side * FRAC_PI_2),
        Vec3::new(x, axle, 0.0),
    );
    builder
        .part(&format!("gudgeon {name}"), frame)
        .primitive(Solid::turned(&pin, 96).finish(IRON, YARD));
    let block = Solid::soft_box(Vec3::new(0.085, 0.115, 0.15), 0.014, 24);
    builder
        .part(
            &format!("bearing {name}"),
            Affine3A::from_translation(Vec3::new(x, axle - 0.008, 0.0)),
        )
        .primitive(block.finish(IRON, YARD));
    for (n, z) in [-1.0f32, 1.0].into_iter().enumerate() {
        let frame = Affine3A::from_rotation_translation(
            Quat::from_rotation_x(FRAC_PI_2 * z),
            Vec3::new(x, axle + 0.022, z * 0.075),
        );
        builder
            .part(&format!("bearing bolt {name} {}", n + 1), frame)
            .primitive(Solid::bolt(0.013).finish(IRON, YARD));
        // Legs lean in to the bearing.
        let (foot, head) = (
            Vec3::new(x, 0.03, z * 0.34),
            Vec3::new(x, axle - 0.05, z * 0.045),
        );
        let length = foot.distance(head);
        let leg = Solid::soft_box(Vec3::new(0.062, length, 0.072), 0.010, 26);
        let frame = Affine3A::from_rotation_translation(
            Quat::from_rotation_arc(Vec3::Y, (head - foot) / length),
            (foot + head) * 0.5,
        );
        builder
            .part(&format!("leg {name} {}", n + 1), frame)
            .primitive(leg.finish(OAK, YARD));
        let shoe = Solid::soft_box(Vec3::new(0.12, 0.035, 0.17), 0.008, 18);
        builder
            .part(
                &format!("shoe {name} {}", n + 1),
                Affine3A::from_translation(Vec3::new(x, 0.0475, z * 0.34)),
            )
            .primitive(shoe.finish(IRON, YARD));
        for (m, dz) in [-0.055f32, 0.055].into_iter().enumerate() {
            builder
                .part(
                    &format!("shoe bolt {name} {}", n * 2 + m + 1),
                    Affine3A::from_translation(Vec3::new(x + side * 0.04, 0.065, z * 0.34 + dz)),
                )
                .primitive(Solid::bolt(0.011).finish(IRON, YARD));
        }
    }
    let tie = Solid::soft_box(Vec3::new(0.045, 0.055, 0.50), 0.008, 22);
    builder
        .part(
            &format!("tie {name}"),
            Affine3A::from_translation(Vec3::new(x, 0.42, 0.0)),
        )
        .primitive(tie.finish(OAK, YARD));
    let sill = Solid::soft_box(Vec3::new(0.15, 0.06, 0.92), 0.012, 26);
    builder
        .part(
            &format!("sill {name}"),
            Affine3A::from_translation(Vec3::new(x, 0.0, 0.0)),
        )
        .primitive(sill.finish(OAK, YARD));
}

/// A three-strand rope from the clapper, sagging, with a knot at its end.
fn rope() -> ectome_mesh::Primitive {
    let path: Vec<Vec3> = (0..=220)
        .map(|i| {
            let t = i as f32 / 220.0;
            let sway = 0.05 * (t * 5.0).sin() * t;
            Vec3::new(
                0.077 + 0.10 * t + sway * 0.3,
                LIP - 0.01 - 0.33 * t,
                0.10 * t * t + sway,
            )
        })
        .collect();
    Solid::drawn(&path, 36, |t, a| {
        let strands = 1.0 + 0.16 * (3.0 * (a - 60.0 * t)).cos();
        let knot = 1.0 + 1.1 * (-((t - 0.88) / 0.05).powi(2)).exp();
        0.0105 * strands * knot
    })
    .finish(HEMP, YARD)
}

fn library() -> Library {
    let clamp = json!({ "wrapS": 33071, "wrapT": 33071 });
    Library {
        materials: vec![
            json!({
                "name": "bronze",
                "pbrMetallicRoughness": {
                    "baseColorTexture": { "index": 0 }, "metallicFactor": 0.35, "roughnessFactor": 0.55
                },
            }),
            json!({
                "name": "oak iron hemp",
                "pbrMetallicRoughness": {
                    "baseColorTexture": { "index": 1 }, "metallicFactor": 0.0, "roughnessFactor": 0.8
                },
            }),
        ],
        textures: vec![
            json!({ "source": 0, "sampler": 0 }),
            json!({ "source": 1, "sampler": 0 }),
        ],
        samplers: vec![clamp],
        images: vec![
            Canvas::painted(2048, bronze).into_image("fog_bell_bronze_base_colour"),
            Canvas::painted(1024, yard).into_image("fog_bell_yard_base_colour"),
        ],
    }
}

/// What the paint needs to know about the bell's section at a place along it.
struct Along {
    lengths: Vec<f32>,
    profile: Vec<Vec2>,
    outer_from: usize,
}

impl Along {
    fn at(&self, share: f32) -> (Vec2, bool) {
        let i = self
            .lengths
            .partition_point(|&l| l < share)
            .clamp(1, self.lengths.len() - 1);
        let span = (self.lengths[i] - self.lengths[i - 1]).max(1e-9);
        let t = (share - self.lengths[i - 1]) / span;
        (
            self.profile[i - 1].lerp(self.profile[i], t),
            i >= self.outer_from,
        )
    }
}

fn bronze(u: f32, v: f32) -> Vec3 {
    use std::sync::LazyLock;
    static ALONG: LazyLock<Along> = LazyLock::new(|| {
        let (profile, outer_from) = section();
        Along {
            lengths: running_lengths(&profile),
            profile,
            outer_from,
        }
    });
    let metal = Vec3::new(0.36, 0.20, 0.072);
    let brown = Vec3::new(0.105, 0.062, 0.032);
    let green = Vec3::new(0.16, 0.33, 0.27);
    let pale = Vec3::new(0.30, 0.48, 0.40);
    let in_cell = |c: Cell| ((u - c.0) / c.2, (v - c.1) / c.3);
    let (wu, wv) = in_cell(WALL);
    if v < WALL.1 + WALL.3 + 0.008 {
        let angle = wu * TAU;
        let (place, outer) = ALONG.at((1.0 - wv).clamp(0.0, 1.0));
        let p = Vec3::new(place.x * angle.sin(), place.y, place.x * angle.cos());
        let cloud = fbm(p * 7.0, 5);
        let grain = fbm(p * 90.0, 3);
        if !outer {
            let c = brown.lerp(green, smoothstep(0.05, 0.4, cloud + 0.1));
            return c * (0.75 + 0.4 * grain);
        }
        // Convex beads are rubbed bright, the grooves beside them hold verdigris, which runs down.
        let mut bead: f32 = 0.0;
        let mut groove: f32 = 0.0;
        let mut run: f32 = 0.0;
        for (at, half, _) in MOULDINGS {
            let d = (place.y - at) / half;
            bead = bead.max(smoothstep(0.75, 0.2, d.abs()));
            groove = groove.max(smoothstep(1.9, 1.0, d.abs()) * smoothstep(0.6, 1.0, d.abs()));
            let below = at - half - place.y;
            if below > 0.0 {
                let streak = fbm(Vec3::new(angle * 9.0, at * 40.0, below * 2.0), 4)
                    + 0.5 * fbm(Vec3::new(angle * 40.0, at * 11.0, below * 3.0), 2);
                let reach = 0.03 + 0.16 * smoothstep(-0.1, 0.5, streak);
                run = run.max(smoothstep(0.02, 0.42, streak) * smoothstep(reach, 0.0, below));
            }
        }
        let shoulder = smoothstep(0.62, 0.76, place.y);
        let lip = smoothstep(0.03, 0.0, place.y);
        let weather =
            (0.55 * smoothstep(-0.1, 0.45, cloud) + 0.8 * groove + 0.95 * run + 0.55 * shoulder)
                .clamp(0.0, 1.0);
        let rubbed = (bead * smoothstep(-0.25, 0.25, fbm(p * 16.0, 3)) + lip).clamp(0.0, 1.0);
        let mut c = metal.lerp(brown, smoothstep(-0.3, 0.3, fbm(p * 11.0 + 5.0, 4)) * 0.85);
        c = c.lerp(
            green.lerp(pale, smoothstep(0.0, 0.5, grain + 0.4 * cloud)),
            weather * 0.88,
        );
        c = c.lerp(metal * 1.35, rubbed * 0.7);
        return c * (0.92 + 0.35 * grain);
    }
    let p = Vec3::new(u * 30.0, v * 30.0, 3.0);
    let (lu, lv) = in_cell(LETTER);
    if (0.0..=1.0).contains(&lu) && (0.0..=1.0).contains(&lv) {
        // Letters: around the bar, the outer half is rubbed, the foot is green.
        let wear = smoothstep(0.15, 0.6, 0.5 + 0.5 * (lu * TAU).cos() + 0.4 * fbm(p, 3));
        return (green * 0.9).lerp(metal * 1.25, wear * 0.8) * (0.9 + 0.3 * fbm(p * 5.0, 2));
    }
    let cloud = fbm(p, 5);
    metal
        .lerp(brown, smoothstep(-0.2, 0.3, fbm(p * 1.7, 4)))
        .lerp(green, 0.75 * smoothstep(0.0, 0.35, cloud))
        * (0.9 + 0.4 * fbm(p * 8.0, 2))
}

fn yard(u: f32, v: f32) -> Vec3 {
    if u < 0.5 {
        // Oak: long grain, silvered, with a few dark checks.
        let grain = fbm(Vec3::new(u * 60.0, v * 420.0, 1.0), 4);
        let board = fbm(Vec3::new(u * 6.0, v * 24.0, 7.0), 4);
        let check = smoothstep(0.30, 0.42, fbm(Vec3::new(u * 18.0, v * 190.0, 13.0), 3));
        let c = Vec3::new(0.21, 0.155, 0.105).lerp(Vec3::new(0.30, 0.275, 0.24), 0.5 + board);
        return c * (0.9 + 0.7 * grain) * (1.0 - 0.65 * check);
    }
    if v < 0.608 {
        // Iron: black oxide under rust that blooms in patches.
        let p = Vec3::new(u * 40.0, v * 40.0, 2.0);
        let bloom = smoothstep(-0.02, 0.35, fbm(p, 5));
        let fine = fbm(p * 7.0, 3);
        let c = Vec3::new(0.045, 0.047, 0.05).lerp(Vec3::new(0.20, 0.085, 0.035), bloom * 0.85);
        return c * (1.0 + 0.7 * fine);
    }
    let fibre = fbm(Vec3::new(u * 300.0, v * 90.0, 4.0), 3);
    Vec3::new(0.34, 0.27, 0.17) * (0.9 + 0.8 * fibre)
}
