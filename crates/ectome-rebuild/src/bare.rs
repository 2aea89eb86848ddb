//! Triangles without anything that lies on them.

use ectome_mesh::{Channels, Mesh, Part, Run};
use glam::Vec3;

/// Triangles as a mesh of one part.
pub(crate) fn bare(places: &[Vec3], triangles: &[[u32; 3]]) -> Mesh {
    Mesh {
        points: places.to_vec(),
        vertex_point: (0..places.len() as u32).collect(),
        corners: triangles.iter().flatten().copied().collect(),
        parts: vec![Part::default()],
        runs: vec![Run {
            part: 0,
            material: None,
            faces: 0..triangles.len() as u32,
            channels: Channels::default(),
        }],
        ..Mesh::default()
    }
}

/// The normal of a triangle, twice as long as its area.
pub(crate) fn normal(places: &[Vec3], t: [u32; 3]) -> Vec3 {
    let [a, b, c] = t.map(|v| places[v as usize]);
    (b - a).cross(c - a)
}
