//! The reference library on our meshes.

use ectome_mesh::Mesh;
use meshopt::{SimplifyOptions, VertexDataAdapter};

/// A mesh as the reference takes it.
pub struct Reference {
    indices: Vec<u32>,
    /// Position and UV of each vertex.
    vertices: Vec<[f32; 5]>,
    uvs: Vec<f32>,
}

impl Reference {
    /// Converts an all-triangle mesh with one UV set.
    pub fn of(mesh: &Mesh) -> Self {
        let vertices: Vec<[f32; 5]> = (0..mesh.vertex_count())
            .map(|v| {
                let (p, uv) = (mesh.position(v as u32), mesh.uv_sets[0][v]);
                [p.x, p.y, p.z, uv.x, uv.y]
            })
            .collect();
        Self {
            indices: mesh.corners.clone(),
            uvs: mesh.uv_sets[0].iter().flat_map(|uv| [uv.x, uv.y]).collect(),
            vertices,
        }
    }

    /// `simplify` to a count of triangles: indices.
    pub fn simplify(&self, target: usize) -> Vec<u32> {
        let bytes: Vec<u8> = self.bytes();
        let adapter = VertexDataAdapter::new(&bytes, 20, 0).expect("positions");
        meshopt::simplify(
            &self.indices,
            &adapter,
            target * 3,
            1.0,
            SimplifyOptions::None,
            None,
        )
    }

    /// The same with UVs in its metric.
    pub fn simplify_with_uv(&self, target: usize) -> Vec<u32> {
        let bytes: Vec<u8> = self.bytes();
        let adapter = VertexDataAdapter::new(&bytes, 20, 0).expect("positions");
        let locks = vec![false; self.vertices.len()];
        meshopt::simplify_with_attributes_and_locks(
            &self.indices,
            &adapter,
            &self.uvs,
            &[1.0, 1.0],
            8,
            &locks,
            target * 3,
            1.0,
            SimplifyOptions::None,
            None,
        )
    }

    fn bytes(&self) -> Vec<u8> {
        self.vertices
            .iter()
            .flatten()
            .flat_map(|v| v.to_ne_bytes())
            .collect()
    }
}
