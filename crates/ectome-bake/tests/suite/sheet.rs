//! A surface over the unit square, for tests and benches.

use ectome_mesh::{Mesh, MeshBuilder, Primitive};
use glam::{Affine3A, Vec2, Vec3};

/// A grid of `n` × `n` squares over the unit square, its height and its UV from x and z, without normals.
pub fn sheet(n: u32, height: impl Fn(f32, f32) -> f32) -> Mesh {
    let mut p = Primitive {
        uv_sets: vec![Vec::new()],
        ..Primitive::default()
    };
    for j in 0..=n {
        for i in 0..=n {
            let (u, v) = (i as f32 / n as f32, j as f32 / n as f32);
            p.positions.push(Vec3::new(u, height(u, v), v));
            p.uv_sets[0].push(Vec2::new(u, v));
        }
    }
    for j in 0..n {
        for i in 0..n {
            let a = j * (n + 1) + i;
            let (b, c, d) = (a + 1, a + n + 2, a + n + 1);
            p.corners.extend([a, d, c, a, c, b]);
        }
    }
    let mut builder = MeshBuilder::new();
    builder.part("sheet", Affine3A::IDENTITY).primitive(p);
    builder.finish()
}
