//! A mesh with what belongs to it.

use ectome_mesh::Mesh;

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
    /// What the reader left out or replaced, in sentences for the user.
    pub notes: Vec<String>,
}

impl From<Mesh> for Scene {
    fn from(mesh: Mesh) -> Self {
        Self {
            mesh,
            ..Self::default()
        }
    }
}
