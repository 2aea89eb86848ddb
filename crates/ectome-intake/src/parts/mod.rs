//! What becomes of the parts of a mesh: taken apart, put together, found again, looked at from outside.

pub mod arrange;
pub mod fold;
pub mod hidden;
pub mod mirror;
pub mod repeats;
mod shape;
