//! How a surface looks, as glTF 2.0 defines it (section 3.9), with its textures by their numbers.

use glam::{Affine2, Vec3, Vec4};

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

/// What opacity does (`alphaMode`, glTF 2.0, section 3.9.4).
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub enum Alpha {
    /// It counts nothing.
    #[default]
    Opaque,
    /// Below this (0 to 1) nothing is there, from it on everything.
    Cut(f32),
    /// What lies behind shows through by it.
    Blended,
}

impl Alpha {
    /// Opacity counts.
    pub fn counts(self) -> bool {
        self != Self::Opaque
    }

    /// Where opacity is below this, rays go on through: what is blended is cut at a half.
    pub fn cutoff(self) -> f32 {
        match self {
            Self::Opaque => 0.0,
            Self::Cut(at) => at,
            Self::Blended => 0.5,
        }
    }
}

/// How a surface looks. Factors are linear, and multiplied with what textures hold.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Material {
    /// Base colour and opacity.
    pub base: Vec4,
    /// Their texture.
    pub base_texture: Option<Slot>,
    /// What opacity does.
    pub alpha: Alpha,
    /// It is seen from behind as well.
    pub two_sided: bool,
    /// It shows its base colour whatever light falls on it (KHR_materials_unlit).
    pub unlit: bool,
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
            alpha: Alpha::Opaque,
            two_sided: false,
            unlit: false,
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
