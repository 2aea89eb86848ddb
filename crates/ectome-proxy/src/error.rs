//! Why nothing can stand in.

use ectome_mesh::Cancelled;
use thiserror::Error;

/// Why nothing can stand in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Error)]
pub enum ProxyError {
    /// The mesh is a point, a line, or lies flat where a card would stand, or has places that are not numbers.
    #[error("the shape has no extent that anything could stand for")]
    Empty,
    /// The library that takes shapes apart gave up.
    #[error(
        "this shape cannot be taken apart into convex parts; one hull over all of it can be had"
    )]
    Apart,
    /// The pictures of the cards find no room.
    #[error("pictures of {0} texels are too small for so many cards")]
    Sheet(u32),
    /// The work was stopped.
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
}
