//! The judge: how far a cut is from its source, and whether its surface is sound.
//!
//! Page, verdicts, command line and tests all ask here, so that they cannot disagree.
//!
//! ```
//! use ectome_mesh::{Progress, shapes};
//!
//! let fine = shapes::icosphere(1.0, 5);
//! let coarse = shapes::icosphere(1.0, 3);
//! let report = ectome_compare::compare(&fine, &coarse, &Progress::new())?;
//! assert!(report.deviation_mean_percent_of_diagonal < 0.2);
//! assert_eq!(report.low.open_edges, 0);
//! # Ok::<(), ectome_compare::CompareError>(())
//! ```
//!
//! | module | what it answers |
//! |---|---|
//! | [`deviation`] | how far apart the surfaces are, both ways |
//! | [`vanished`] | which loose pieces a cut has nothing of |
//! | [`flipped`] | which faces look against the source |
//! | [`uv_drift`] | how far the texture has slipped |
//! | [`seam_drift`] | how far the ends of UV islands have moved |
//! | [`density`] | how many texels the surface gets |
//! | [`normals`] | how far the shading normals have turned |
//! | [`look`] | how alike pictures of one thing look: colour, coverage, mirrored light |
//! | [`ssim`] | how alike two pictures look |
//! | [`outline`] | how well the outlines agree, seen from all around |
//! | [`report`] | all of it, with the names that outsiders rely on |

pub mod density;
pub mod deviation;
mod error;
pub mod flipped;
pub mod look;
pub mod normals;
pub mod outline;
pub mod report;
pub mod seam_drift;
pub mod ssim;
pub mod uv_drift;
pub mod vanished;

pub use error::CompareError;
pub use report::{Counts, Details, Judge, Report, compare};
