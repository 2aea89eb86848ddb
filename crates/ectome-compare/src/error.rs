//! Why meshes could not be compared.

use ectome_mesh::Cancelled;
use thiserror::Error;

/// Why two meshes could not be compared.
#[derive(Debug, Error)]
pub enum CompareError {
    /// A surface without area.
    #[error("one of the meshes has no surface to compare")]
    Empty,
    /// A mesh with larger faces.
    #[error("a mesh has faces with more than three corners: triangulate it first")]
    NotTriangulated,
    /// The work was stopped.
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
}
