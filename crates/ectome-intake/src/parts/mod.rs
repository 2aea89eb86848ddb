//! What becomes of the parts of a mesh: taken apart, put together, found again, looked at from outside.

pub mod arrange;
mod fall;
pub mod fold;
pub mod hidden;
pub mod mirror;
mod motion;
mod places;
pub mod repeats;
mod shape;
