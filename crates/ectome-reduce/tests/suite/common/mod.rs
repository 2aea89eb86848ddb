//! Meshes that several tests cut.
#![allow(dead_code, reason = "each test uses some of them")]

use std::collections::HashMap;

use ectome_mesh::{Mesh, MeshBuilder, Primitive, measure};
use glam::{Affine3A, Vec2, Vec3};

/// A lat-long sphere with a UV seam: the last column of vertices stands on the first.
pub fn globe(columns: u32, rows: u32, bump: f32) -> Mesh {
    let mut p = Primitive {
        uv_sets: vec![Vec::new()],
        ..Primitive::default()
    };
    for j in 0..=rows {
        for i in 0..=columns {
            let (u, v) = (i as f32 / columns as f32, j as f32 / rows as f32);
            let turn = std::f32::consts::TAU * (i % columns) as f32 / columns as f32;
            let tilt = std::f32::consts::PI * v;
            let d = if j == 0 {
                Vec3::Y
            } else if j == rows {
                -Vec3::Y
            } else {
                Vec3::new(
                    tilt.sin() * turn.cos(),
                    tilt.cos(),
                    -tilt.sin() * turn.sin(),
                )
            };
            let r = 1.0 + bump * ((5.0 * d.x).sin() * (7.0 * d.y).sin() + (9.0 * d.z).cos());
            p.positions.push(d * r);
            p.uv_sets[0].push(Vec2::new(u, v));
        }
    }
    let w = columns + 1;
    for j in 0..rows {
        for i in 0..columns {
            let (a, b, c, d) = (
                j * w + i,
                j * w + i + 1,
                (j + 1) * w + i,
                (j + 1) * w + i + 1,
            );
            if j > 0 {
                p.corners.extend([a, d, b]);
            }
            if j + 1 < rows {
                p.corners.extend([a, c, d]);
            }
        }
    }
    let mut builder = MeshBuilder::new();
    builder.part("globe", Affine3A::IDENTITY).primitive(p);
    let mesh = builder.finish();
    assert!(measure::volume(&mesh) > 0.0);
    mesh
}

/// Boxes of `n` × `n` quads a side, each side a UV island of its own.
pub fn plates(count: usize, n: u32) -> Mesh {
    let mut builder = MeshBuilder::new();
    for k in 0..count {
        let at = Vec3::new(k as f32 * 2.5, 0.0, 0.0);
        builder.part(&format!("plate {k}"), Affine3A::from_translation(at));
        for side in sides(n, |side, place, across| {
            let uv = (across * 0.9 + Vec2::splat(0.05) + Vec2::new(side as f32, 0.0)) / 6.0;
            // Rounded, so that no side is flat.
            (round(place), uv)
        }) {
            builder.primitive(side);
        }
    }
    builder.finish()
}

/// The six sides of a cube from -1 to 1 in `n` × `n` quads, each by itself. `vertex` makes place and UV of a side's number, a place on the
/// cube, and where that is across the side, 0 to 1.
pub fn sides(n: u32, vertex: impl Fn(usize, Vec3, Vec2) -> (Vec3, Vec2)) -> Vec<Primitive> {
    let walk = [
        (Vec3::X, Vec3::Y),
        (-Vec3::X, Vec3::Z),
        (Vec3::Y, Vec3::Z),
        (-Vec3::Y, Vec3::X),
        (Vec3::Z, Vec3::X),
        (-Vec3::Z, Vec3::Y),
    ];
    let one = |(side, (normal, u)): (usize, (Vec3, Vec3))| {
        let v = normal.cross(u);
        let mut p = Primitive {
            uv_sets: vec![Vec::new()],
            ..Primitive::default()
        };
        for j in 0..=n {
            for i in 0..=n {
                let (s, t) = (i as f32 / n as f32, j as f32 / n as f32);
                let on_cube = normal + u * (2.0 * s - 1.0) + v * (2.0 * t - 1.0);
                let (place, uv) = vertex(side, on_cube, Vec2::new(s, t));
                p.positions.push(place);
                p.uv_sets[0].push(uv);
            }
        }
        let w = n + 1;
        for j in 0..n {
            for i in 0..n {
                let a = j * w + i;
                p.corners.extend([a, a + 1, a + w + 1, a, a + w + 1, a + w]);
            }
        }
        p
    };
    walk.into_iter().enumerate().map(one).collect()
}

/// A cube's surface bent outward; the same bits for the same place, so that sides meet.
fn round(p: Vec3) -> Vec3 {
    let grid = (p * 4096.0).round() / 4096.0;
    let out = grid / grid.length() * 1.2;
    ((grid * 0.5 + out * 0.5) * 1_048_576.0).round() / 1_048_576.0
}

/// Several meshes as parts of one.
pub fn joined(meshes: &[Mesh]) -> Mesh {
    let mut builder = MeshBuilder::new();
    for (i, m) in meshes.iter().enumerate() {
        builder
            .part(&format!("part {i}"), Affine3A::IDENTITY)
            .primitive(Primitive {
                positions: (0..m.vertex_count() as u32)
                    .map(|v| m.position(v))
                    .collect(),
                corners: m.corners.clone(),
                ..Primitive::default()
            });
    }
    builder.finish()
}

/// A slab over the cells of a grid that are there: top, bottom, and a wall wherever a cell ends. Lines are `step` apart and the
/// slab is `thick`.
pub fn slab(n: i32, step: f32, thick: f32, there: impl Fn(i32, i32) -> bool) -> Mesh {
    let there = |i: i32, j: i32| (0..n).contains(&i) && (0..n).contains(&j) && there(i, j);
    let mut p = Primitive::default();
    let mut known: HashMap<(i32, i32, bool), u32> = HashMap::new();
    let mut quads: Vec<[(i32, i32, bool); 4]> = Vec::new();
    for j in 0..n {
        for i in 0..n {
            if !there(i, j) {
                continue;
            }
            quads.push([
                (i, j, true),
                (i, j + 1, true),
                (i + 1, j + 1, true),
                (i + 1, j, true),
            ]);
            quads.push([
                (i, j, false),
                (i + 1, j, false),
                (i + 1, j + 1, false),
                (i, j + 1, false),
            ]);
            for (beside, a, b) in [
                ((i, j - 1), (i, j), (i + 1, j)),
                ((i, j + 1), (i + 1, j + 1), (i, j + 1)),
                ((i - 1, j), (i, j + 1), (i, j)),
                ((i + 1, j), (i + 1, j), (i + 1, j + 1)),
            ] {
                if !there(beside.0, beside.1) {
                    let at = |(i, j): (i32, i32), top| (i, j, top);
                    quads.push([at(a, true), at(b, true), at(b, false), at(a, false)]);
                }
            }
        }
    }
    for quad in quads {
        let corners = quad.map(|(i, j, top)| {
            *known.entry((i, j, top)).or_insert_with(|| {
                let y = if top { thick } else { 0.0 };
                p.positions
                    .push(Vec3::new(i as f32 * step, y, j as f32 * step));
                p.positions.len() as u32 - 1
            })
        });
        let [a, b, c, d] = corners;
        p.corners.extend([a, b, c, a, c, d]);
    }
    let mut builder = MeshBuilder::new();
    builder.part("slab", Affine3A::IDENTITY).primitive(p);
    builder.finish()
}
