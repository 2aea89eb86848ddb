//! Closed solids with known area, volume and topology, for tests, benchmarks and examples.

use std::{collections::HashMap, f32::consts::TAU};

use glam::{Affine3A, Vec3};

use crate::{Mesh, MeshBuilder, Primitive};

fn single(name: &str, positions: Vec<Vec3>, corners: Vec<u32>) -> Mesh {
    let mut builder = MeshBuilder::new();
    builder.part(name, Affine3A::IDENTITY).primitive(Primitive {
        positions,
        corners,
        ..Primitive::default()
    });
    builder.finish()
}

/// A sphere of `20 · 4^level` triangles with all points on radius `radius`.
pub fn icosphere(radius: f32, level: u32) -> Mesh {
    let t = (1.0 + 5f32.sqrt()) / 2.0;
    let mut points: Vec<Vec3> = [
        [-1., t, 0.],
        [1., t, 0.],
        [-1., -t, 0.],
        [1., -t, 0.],
        [0., -1., t],
        [0., 1., t],
        [0., -1., -t],
        [0., 1., -t],
        [t, 0., -1.],
        [t, 0., 1.],
        [-t, 0., -1.],
        [-t, 0., 1.],
    ]
    .map(|p| Vec3::from_array(p).normalize())
    .to_vec();
    let mut corners: Vec<u32> = vec![
        0, 11, 5, 0, 5, 1, 0, 1, 7, 0, 7, 10, 0, 10, 11, 1, 5, 9, 5, 11, 4, 11, 10, 2, 10, 7, 6, 7,
        1, 8, 3, 9, 4, 3, 4, 2, 3, 2, 6, 3, 6, 8, 3, 8, 9, 4, 9, 5, 2, 4, 11, 6, 2, 10, 8, 6, 7, 9,
        8, 1,
    ];
    for _ in 0..level {
        let mut middle = HashMap::new();
        let mut next = Vec::with_capacity(corners.len() * 4);
        for f in corners.chunks_exact(3) {
            let mut mid = |a: u32, b: u32| {
                *middle.entry((a.min(b), a.max(b))).or_insert_with(|| {
                    points.push((points[a as usize] + points[b as usize]).normalize());
                    points.len() as u32 - 1
                })
            };
            let (a, b, c) = (mid(f[0], f[1]), mid(f[1], f[2]), mid(f[2], f[0]));
            next.extend([f[0], a, c, f[1], b, a, f[2], c, b, a, b, c]);
        }
        corners = next;
    }
    let points = points.into_iter().map(|p| p * radius).collect();
    single("sphere", points, corners)
}

/// A torus around the y axis: ring radius `ring`, tube radius `tube`, `2 · around · across`
/// triangles.
pub fn torus(ring: f32, tube: f32, around: u32, across: u32) -> Mesh {
    let mut points = Vec::new();
    let mut corners = Vec::new();
    for i in 0..around {
        let a = TAU * i as f32 / around as f32;
        for j in 0..across {
            let b = TAU * j as f32 / across as f32;
            let r = ring + tube * b.cos();
            points.push(Vec3::new(r * a.cos(), tube * b.sin(), r * a.sin()));
            let at = |i: u32, j: u32| (i % around) * across + j % across;
            let [p, q, r, s] = [at(i, j), at(i, j + 1), at(i + 1, j + 1), at(i + 1, j)];
            corners.extend([p, q, r, p, r, s]);
        }
    }
    single("torus", points, corners)
}

/// A box of 12 triangles with sides `size`, centred on the origin.
pub fn cuboid(size: Vec3) -> Mesh {
    let points = (0..8)
        .map(|i| {
            let side = |bit: u32| if i >> bit & 1 == 1 { 0.5 } else { -0.5 };
            size * Vec3::new(side(0), side(1), side(2))
        })
        .collect();
    let corners = vec![
        0, 2, 3, 0, 3, 1, 4, 5, 7, 4, 7, 6, 0, 1, 5, 0, 5, 4, 2, 6, 7, 2, 7, 3, 0, 4, 6, 0, 6, 2,
        1, 3, 7, 1, 7, 5,
    ];
    single("box", points, corners)
}
