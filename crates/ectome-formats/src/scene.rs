//! A mesh with what belongs to it.

use ectome_mesh::Mesh;
use glam::Affine3A;

use crate::Library;

/// A mesh, the materials its runs name, and what reading it had to leave out.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Scene {
    /// The mesh; `Run::material` indexes `library.materials`.
    pub mesh: Mesh,
    /// Materials, textures and pictures.
    pub library: Library,
    /// The author's notice, carried from file to file.
    pub copyright: Option<String>,
    /// Parts that are copies of another: writers that can store them once. A writer makes sure of it first.
    pub copies: Vec<Copy>,
    /// What the reader left out or replaced, in sentences for the user.
    pub notes: Vec<String>,
}

/// A part that is another one, moved.
#[derive(Clone, Debug, PartialEq)]
pub struct Copy {
    /// The part that is stored.
    pub of: u32,
    /// The copy.
    pub part: u32,
    /// Takes the one onto the other; may mirror.
    pub motion: Affine3A,
}

impl From<Mesh> for Scene {
    fn from(mesh: Mesh) -> Self {
        Self {
            mesh,
            ..Self::default()
        }
    }
}
