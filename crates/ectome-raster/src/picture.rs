//! A finished picture.

/// A picture of a mesh.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Picture {
    /// Width in pixels.
    pub width: usize,
    /// Height in pixels.
    pub height: usize,
    /// Rows from the top, sRGB and coverage.
    pub pixels: Vec<[u8; 4]>,
    /// How bright the light is that each pixel reflects as a mirror does, coded as sRGB: what roughness and metalness decide. Empty where
    /// the light has no such part.
    pub shine: Vec<u8>,
    /// Pixels that show the back of a face whose material is single-sided; empty where nobody asked ([`Backs::Marked`](crate::Backs)).
    pub backs: Vec<bool>,
}
