//! Small meshes that tests of several files use.

use ectome_mesh::{Mesh, MeshBuilder, Primitive};
use glam::{Affine3A, Vec2, Vec3};

/// A 4 × 4 sheet whose UVs break along y = 2 from x = 2 to the border at x = 4.
pub fn sheet_with_slit_seam() -> Mesh {
    let mut p = Primitive {
        uv_sets: vec![Vec::new()],
        ..Primitive::default()
    };
    for j in 0..4u32 {
        for i in 0..4u32 {
            let first = p.positions.len() as u32;
            for (x, y) in [(i, j), (i + 1, j), (i + 1, j + 1), (i, j + 1)] {
                p.positions.push(Vec3::new(x as f32, y as f32, 0.0));
                let above = if i >= 2 && j >= 2 && y == 2 && x > 2 {
                    1.0
                } else {
                    0.0
                };
                p.uv_sets[0].push(Vec2::new(x as f32, y as f32 + above * 0.3));
            }
            p.corners
                .extend([first, first + 1, first + 2, first, first + 2, first + 3]);
        }
    }
    let mut builder = MeshBuilder::new();
    builder.part("sheet", Affine3A::IDENTITY).primitive(p);
    builder.finish()
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
                normals: m.normals.clone(),
                uv_sets: m.uv_sets.clone(),
                corners: m.corners.clone(),
                ..Primitive::default()
            });
    }
    builder.finish()
}
