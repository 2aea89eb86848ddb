//! Why there is no skin.

use ectome_mesh::Cancelled;
use thiserror::Error;

/// Why there is no skin.
#[derive(Debug, Error)]
pub enum RebuildError {
    /// There is nothing that a skin could lie over.
    #[error("the source has no surface to rebuild")]
    Empty,
    /// A mesh with larger faces.
    #[error("the source has faces with more than three corners: triangulate it first")]
    NotTriangulated,
    /// A size that is none.
    #[error("a detail size of {0} m cannot be: choose one above 0")]
    NoSize(f32),
    /// A thickness, an opening or a gap that is none.
    #[error("{0} of {1} m cannot be: choose 0 or more")]
    NoLength(&'static str, f32),
    /// A cell that is hardly smaller than the source.
    #[error(
        "a detail size of {cell_m} m is too coarse for a source of {diagonal_m:.3} m across. Choose at most a quarter of that"
    )]
    TooCoarse {
        /// The size.
        cell_m: f32,
        /// The source's diagonal.
        diagonal_m: f32,
    },
    /// More cells than a machine can hold.
    #[error("the detail size asks for more than {cells} cells. Choose a larger one")]
    TooFine {
        /// Cells when it was given up.
        cells: usize,
    },
    /// Nothing is inside: there is no skin.
    #[error(
        "the source encloses nothing at this detail size. Choose a smaller one, or thicker sheets"
    )]
    NothingInside,
    /// The work was stopped.
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
}
