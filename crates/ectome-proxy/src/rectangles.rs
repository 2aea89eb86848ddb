//! Rectangles that show pictures, as one mesh.

use ectome_mesh::{Mesh, MeshBuilder, Primitive};
use glam::{Affine3A, Vec2, Vec3};

/// Rectangles, each of two triangles with vertices of its own.
#[derive(Clone, Debug, Default)]
pub struct Rectangles {
    positions: Vec<Vec3>,
    normals: Vec<Vec3>,
    uvs: Vec<Vec2>,
    corners: Vec<u32>,
}

impl Rectangles {
    /// Adds one by its corners, each a place in metres and its UVs, anticlockwise as seen from where its normal points.
    pub fn push(&mut self, corners: [(Vec3, Vec2); 4], normal: Vec3) {
        let first = self.positions.len() as u32;
        for (place, uv) in corners {
            self.positions.push(place);
            self.uvs.push(uv);
            self.normals.push(normal);
        }
        self.corners.extend([0, 1, 2, 0, 2, 3].map(|c| first + c));
    }

    /// All of them as one part in the first material.
    pub fn into_mesh(self, part: &str) -> Mesh {
        let mut builder = MeshBuilder::new();
        builder.part(part, Affine3A::IDENTITY).primitive(Primitive {
            positions: self.positions,
            normals: self.normals,
            uv_sets: vec![self.uvs],
            corners: self.corners,
            material: Some(0),
            ..Primitive::default()
        });
        builder.finish()
    }
}
