//! What makes the costs of a mesh, and of blocks of it, comparable.

use ectome_mesh::{Mesh, measure};
use glam::Vec3;

/// What makes errors comparable on meshes of any size.
#[derive(Clone, Copy, Debug)]
pub struct Frame {
    /// The middle of the mesh.
    pub middle: Vec3,
    /// Its diagonal.
    pub diagonal: f32,
    /// Diagonals per UV unit: the square root of surface area over UV area; 1 without UVs.
    pub uv_length: f64,
}

impl Frame {
    /// The frame of an all-triangle mesh.
    pub fn of(mesh: &Mesh) -> Self {
        let bounds = measure::bounds(mesh);
        let diagonal = bounds.diagonal().max(f32::MIN_POSITIVE);
        Self {
            middle: bounds.centre(),
            diagonal,
            uv_length: uv_length(mesh, diagonal),
        }
    }
}

fn uv_length(mesh: &Mesh, diagonal: f32) -> f64 {
    let Some(set) = mesh.uv_sets.first() else {
        return 1.0;
    };
    let mut uv_area = 0.0;
    let mut area = 0.0;
    for f in 0..mesh.face_count() {
        let uv = [0, 1, 2].map(|k| set[mesh.corners[3 * f + k] as usize].as_dvec2());
        let flat = 0.5 * (uv[1] - uv[0]).perp_dot(uv[2] - uv[0]).abs();
        if flat > 0.0 {
            uv_area += flat;
            area += measure::area_vector(mesh.triangle(f)).length();
        }
    }
    if uv_area > 0.0 {
        (area / uv_area).sqrt() / f64::from(diagonal)
    } else {
        1.0
    }
}

/// What a block knows of the mesh it is part of.
pub struct Surroundings {
    /// The frame of the whole mesh: costs compare across blocks.
    pub frame: Frame,
    /// Points of the block that other blocks use as well.
    pub shut: Vec<bool>,
    /// Normals tell hard edges apart.
    pub hard_edges: bool,
}
