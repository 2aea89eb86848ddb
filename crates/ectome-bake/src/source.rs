//! What is baked from.

use ectome_mesh::Mesh;
use ectome_texture::Texture;
use glam::{Affine2, Vec2, Vec3, Vec4};

/// Where a figure of a material comes from: a texture on a UV set.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Slot {
    /// Index into the textures.
    pub texture: usize,
    /// The UV set.
    pub uv_set: usize,
    /// What UVs are put through (KHR_texture_transform).
    pub transform: Affine2,
}

impl Slot {
    /// A texture on the first UV set.
    pub fn of(texture: usize) -> Self {
        Self {
            texture,
            uv_set: 0,
            transform: Affine2::IDENTITY,
        }
    }
}

/// How a surface looks, as glTF 2.0 defines it: factors are linear, and multiplied with what textures hold.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Material {
    /// Base colour and opacity.
    pub base: Vec4,
    /// Their texture.
    pub base_texture: Option<Slot>,
    /// Opacity counts; else everything is opaque.
    pub transparent: bool,
    /// Where opacity counts and is below this, rays go on through: 0 to 1. `alphaCutoff` of what is cut out (glTF 2.0, section 3.9.4).
    pub cutoff: f32,
    /// Roughness.
    pub roughness: f32,
    /// Metalness.
    pub metalness: f32,
    /// Roughness in green, metalness in blue.
    pub rough_metal_texture: Option<Slot>,
    /// Light of its own.
    pub emissive: Vec3,
    /// Its texture.
    pub emissive_texture: Option<Slot>,
    /// A normal map of the source, and its strength.
    pub normal_texture: Option<(Slot, f32)>,
    /// How much light reaches a place, in red, and how much of that counts. Maps of occlusion are made of the surface and do not ask.
    pub occlusion_texture: Option<(Slot, f32)>,
}

impl Default for Material {
    fn default() -> Self {
        Self {
            base: Vec4::ONE,
            base_texture: None,
            transparent: false,
            cutoff: 0.5,
            roughness: 1.0,
            metalness: 1.0,
            rough_metal_texture: None,
            emissive: Vec3::ZERO,
            emissive_texture: None,
            normal_texture: None,
            occlusion_texture: None,
        }
    }
}

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
