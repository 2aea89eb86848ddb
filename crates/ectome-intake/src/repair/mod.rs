//! What makes a mesh sound. One repair a file.

pub mod clip;
pub mod degenerate;
pub mod duplicate;
pub mod floaters;
pub mod holes;
pub mod looks;
pub mod manifold;
pub mod mirror;
mod patch;
pub mod polygons;
pub mod weld;
pub mod winding;
