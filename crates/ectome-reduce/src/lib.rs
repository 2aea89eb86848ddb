//! Cuts a mesh down to a triangle count by collapsing edges.
//!
//! ```text
//! mesh ─▶ features: wedges, lines, corners ─▶ quadrics ─▶ queue of collapses ─▶ state ─▶ result
//!                                                │  guard: link, flips, UV folds
//!                                                └─ pieces: whole small pieces, by what they cost
//! ```
//!
//! - The error is the area-weighted sum of squared distances to the planes of the source
//!   (M. Garland, P. Heckbert, *Surface Simplification Using Quadric Error Metrics*, SIGGRAPH 1997),
//!   with UVs as further dimensions eliminated per wedge (H. Hoppe, *New Quadric Metric for
//!   Simplifying Meshes with Appearance Attributes*, Visualization 1999).
//! - Seams, borders, material and part edges and hard edges are **lines**. A line collapses only along
//!   itself, both sides together, so a UV island keeps its outline. Where lines meet or end is a
//!   **corner**, which stays until nothing else is left.
//! - Every collapse obeys the link condition (T. Dey et al., *Topology preserving edge contraction*,
//!   1999), turns no face over and folds no UV. So a cut opens no edge and makes none non-manifold.
//! - The result never has more triangles than the target.
//!
//! ```
//! use ectome_mesh::{Progress, shapes, topology::Topology};
//!
//! let ball = shapes::icosphere(1.0, 5);
//! let cut = ectome_reduce::cut(&ball, 1000, &Default::default(), &Progress::new())?;
//! assert!((998..=1000).contains(&cut.mesh.triangle_count()));
//! assert_eq!(Topology::of(&cut.mesh).open_edges, 0);
//! # Ok::<(), ectome_reduce::CutError>(())
//! ```

mod analyse;
mod analysis;
mod anchor;
mod block;
mod compact;
mod duplicate;
mod error;
mod feature;
mod fill;
mod first_pass;
mod flat;
mod flat_faces;
mod floor;
mod forms;
mod frame;
mod free;
mod guard;
mod hold;
mod instead;
mod log;
pub mod loops;
mod options;
mod outline_presence;
mod passes;
mod piece;
mod plan;
mod quadric;
mod queue;
mod record;
mod refine;
mod replay;
mod smooth;
mod state;
#[cfg(test)]
mod test_meshes;
mod tolerance;
mod uv_fit;

pub use analyse::{analyse, cut};
pub use error::CutError;
pub use first_pass::{FirstPass, LARGE, Size, first_pass};
pub use flat::merge_flat;
pub use flat_faces::{Faces, join_flat};
pub use log::{CollapseLog, Holding, LogError};
pub use options::{Attention, Keep, Options};
pub use quadric::Quadric;
pub use refine::refine;
pub use replay::{Cut, Replay};
