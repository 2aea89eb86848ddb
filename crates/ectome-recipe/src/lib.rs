//! The rules of the job, without files, web or database.
//!
//! ```text
//! source bytes ─▶ Import ─▶ Triangulate ─▶ Cut ─▶ candidate        (recipe, engine)
//!                                                   │
//! brief: tiers, limits ─────────────────────────▶ verdict          (brief, chain)
//! ```
//!
//! A [`Recipe`] is the only way a mesh changes. A candidate is what a recipe makes of a source; it is
//! addressed by [`Recipe::key`], so equal work is never done twice and nothing is ever altered.
//!
//! ```
//! use ectome_recipe::{Recipe, Target};
//!
//! let recipe = Recipe::cut("3f2a", Target::Triangles(6000));
//! assert_eq!(recipe.key(), Recipe::cut("3f2a", Target::Triangles(6000)).key());
//! assert_ne!(recipe.key(), Recipe::cut("3f2a", Target::Triangles(5999)).key());
//! ```

pub mod brief;
pub mod chain;
pub mod engine;
pub mod inspect;
pub mod picture;
mod recipe;

pub use brief::{Brief, BriefError, Tier};
pub use chain::{Standing, TierResult, Verdict};
pub use engine::{CutReport, EngineError, Outcome};
pub use inspect::Inspection;
pub use recipe::{KERNEL_VERSION, Recipe, Step, Target};
