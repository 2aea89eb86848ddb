//! Edge loops of quad meshes: which there are, what each would cost, and taking them out.
//!
//! ```text
//! mesh ─▶ quads (given, or recovered from triangles) ─▶ loops, ranked ─▶ some dissolved ─▶ mesh
//! ```
//!
//! An **edge loop** runs straight on through points where four quads meet, until it closes or ends at
//! open borders. Taking it out joins the quads on both sides of it, so every other point stays where it is with
//! all its attributes. Loops that end inside the surface, seams, loops that meet themselves (spirals) and loops
//! at a curve's extreme are found and left alone, each with its reason.

mod dissolve;
mod quads;
mod rank;
mod trace;

pub use dissolve::{Loops, Which, take_out};
pub use quads::Quads;
pub use rank::{EdgeLoop, Held, find};
