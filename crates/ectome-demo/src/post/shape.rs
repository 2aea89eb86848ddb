//! The shape of the mooring post: how far a place is from its wood, rope, iron and ground, and what it is made of.

use std::f32::consts::{PI, TAU};

use glam::{Vec2, Vec3};

use crate::noise::{fbm, hash, perlin, smoothstep, unit};

/// Height of the post above the ground.
pub const TOP: f32 = 0.98;

/// What a place is made of.
#[derive(Clone, Copy, PartialEq, Eq)]
pub enum Stuff {
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
pub fn field<const FINE: bool>(p: Vec3) -> (f32, Stuff) {
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
