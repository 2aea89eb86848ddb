//! The rules of the job, without files, web or database.
//!
//! ```text
//! source bytes ─▶ Import ─▶ Prepare … ─▶ Triangulate ─▶ Cut ─▶ candidate   (recipe, step, engine)
//!                                                   │
//! brief: tiers, limits ─────────────────────────▶ verdict          (brief, chain, verdict)
//! candidate beside its source ──────────────────▶ proof            (proof)
//! findings ──────────────────────────────────────▶ advice           (finding, advice, preparation)
//! scene: assets, distances, one budget ─────────▶ counts           (budget)
//! ```
//!
//! A [`Recipe`] is the only way a mesh changes. A candidate is what a recipe makes of a source; it is
//! addressed by [`Recipe::key`], so equal work is never done twice and nothing is ever altered.
//!
//! ```
//! use ectome_recipe::{CutSettings, Recipe, Target};
//!
//! let to = |n| Recipe::cut("3f2a", &[], Target::Triangles(n), CutSettings::default());
//! assert_eq!(to(6000).key(), to(6000).key());
//! assert_ne!(to(6000).key(), to(5999).key());
//! assert_eq!(to(6000).analysis_key(), to(5999).analysis_key());
//! ```

pub mod advice;
mod artefact;
pub mod brief;
pub mod budget;
pub mod built;
pub mod chain;
pub mod change;
mod curve;
pub mod dressing;
pub mod engine;
mod error;
pub mod far_end;
pub mod figures;
pub mod finding;
mod flips;
mod inspect;
mod jury;
mod kept;
mod leaves;
pub mod listed;
pub mod look_limits;
pub mod maps;
mod materials;
mod measured;
pub mod memory;
pub mod merge;
pub mod parcel;
pub mod picture;
pub mod plan;
pub mod preparation;
pub mod proof;
pub mod rebuild;
mod recipe;
mod report;
mod session;
mod shading;
pub mod sheets;
pub mod shortfall;
pub mod sight;
pub mod sizes;
pub mod starting_briefs;
pub mod step;
mod stopping;
pub mod thinned;
pub mod triangles;
pub mod uv;
pub mod verdict;

pub use artefact::Artefact;
pub use brief::{Brief, BriefError, Tier};
pub use chain::{Standing, TierResult, Verdict};
pub use change::{Change, Done};
pub use curve::ErrorCurve;
pub use ectome_formats::{Space, Up, space::Found};
pub use ectome_intake::{
    diagnose::{Kind as FindingKind, Mark},
    parts::arrange::By as SplitBy,
    repair::{clip::Plane, polygons::Into as DivideInto, weld::Weld},
};
pub use ectome_mesh::Fate;
pub use ectome_reduce::{Attention, CollapseLog, Faces, Keep, loops::Which as LoopChoice};
pub use ectome_uv::{
    measure::Numbers as UvNumbers,
    pack::{Settings as SheetSettings, Turns},
    unwrap::{Manner, Mark as SeamMark},
};
pub use engine::{Outcome, Stock};
pub use error::{EngineError, UvFault};
pub use finding::AdvisedFinding;
pub use inspect::Inspection;
pub use jury::Jury;
pub use kept::{FirstPassed, Kept, Measurements};
pub use leaves::CardsReport;
pub use plan::Plan;
pub use proof::{Pictures, Proof, Proven};
pub use recipe::{Ball, CutSettings, Recipe, Region, Target};
pub use report::{CutReport, FirstPass, Vanished, VanishedPiece};
pub use session::{CURVE_PLACES, FlatOutlook, Session};
pub use sheets::SheetsAs;
pub use shortfall::HeldBy;
pub use step::Step;
pub use uv::{IslandMove, Packing, Stacks, UvChange, UvReport, UvStep};
pub use verdict::{Judgement, Measured};
