//! What is baked from.

use ectome_mesh::Mesh;
use ectome_texture::{Material, Slot, Texture};
use glam::{Vec2, Vec3, Vec4};

/// A source of triangles with its looks.
#[derive(Clone, Copy, Debug)]
pub struct Source<'a> {
    /// The surface.
    pub mesh: &'a Mesh,
    /// By the numbers of its runs.
    pub materials: &'a [Material],
    /// What slots name.
    pub textures: &'a [Texture],
}

impl<'a> Source<'a> {
    /// A surface without looks.
    pub fn of(mesh: &'a Mesh) -> Self {
        Self {
            mesh,
            materials: &[],
            textures: &[],
        }
    }

    /// What a slot holds at the corners' mean of a face: `weights` are those of its corners, `footprint` is the edge of what
    /// a sample stands for, in metres.
    pub fn sample(&self, slot: &Slot, face: usize, weights: Vec3, footprint: f32) -> Vec4 {
        let (Some(texture), Some(uvs)) = (
            self.textures.get(slot.texture),
            self.mesh.uv_sets.get(slot.uv_set),
        ) else {
            return Vec4::ONE;
        };
        let corners = self.mesh.face(face);
        let uv: [Vec2; 3] =
            std::array::from_fn(|k| slot.transform.transform_point2(uvs[corners[k] as usize]));
        let [w, h] = texture.size();
        let size = Vec2::new(w as f32, h as f32);
        let [a, b] = [(uv[1] - uv[0]) * size, (uv[2] - uv[0]) * size];
        let in_texels = a.perp_dot(b).abs();
        let [p, q, r] = self.mesh.triangle(face);
        let in_metres = (q - p).cross(r - p).length();
        let texels = if in_metres > 0.0 {
            (in_texels / in_metres).sqrt() * footprint
        } else {
            1.0
        };
        let at = uv[0] * weights.x + uv[1] * weights.y + uv[2] * weights.z;
        texture.over(at, texels)
    }
}
