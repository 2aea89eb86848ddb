//! The far end of a chain: what stands in for an asset where it is small on the screen, or where things bump into it.
//!
//! ```text
//! source ─▶ hulls: convex, of a bounded count, in the source's mean colour
//!    └────▶ cards: upright rectangles ─▶ colour, normals and opacity baked ─▶ judged by what of them is opaque
//! ```
//!
//! | file | what it holds |
//! |---|---|
//! | `settings` | what is asked for, and what a tier of a brief asks for |
//! | `hulls` | convex hulls, measured and proven |
//! | `cards` | cards, measured and proven |
//! | `pictures` | what cards show |
//! | `cut_out` | the opaque texels of cards as a surface |
//! | `colour` | one material that looks like the source from far |
//! | `report` | what was made, in figures |

mod cards;
mod colour;
mod cut_out;
mod hulls;
mod pictures;
pub(crate) mod report;
mod settings;

pub(crate) use cards::cards_proven;
pub(crate) use hulls::hulls_proven;
pub use report::{FarReport, HullLine};
pub use settings::{CardSettings, HullSettings, MadeAs, StandIn};

use std::time::Instant;

use ectome_compare::{Details, Report};
use ectome_formats::Scene;
use ectome_mesh::Progress;
use ectome_proxy::ProxyError;

use crate::{
    CutReport, EngineError,
    built::only_built,
    jury::Jury,
    measured::made_report,
    proof::{Pair, Proven, prove},
    triangles::triangulated,
};

/// What stands in for a source with all its parts, measured and proven.
///
/// # Errors
/// See [`EngineError`].
pub fn stand_in(
    source: Scene,
    what: &StandIn,
    progress: &Progress,
) -> Result<(Scene, CutReport, Proven), EngineError> {
    match what {
        StandIn::Hull(hull) => hulls_proven(only_built(source)?, hull, progress),
        StandIn::Cards(cards) => cards_proven(source, cards, progress),
    }
}

/// Hulls of a source with all its parts, for collisions: not measured.
///
/// # Errors
/// See [`EngineError`].
pub fn collision_hulls(
    source: Scene,
    settings: &HullSettings,
    progress: &Progress,
) -> Result<Scene, EngineError> {
    let source = triangulated(only_built(source)?, progress)?;
    let made = hulls::laid(&source, settings, progress)?;
    Ok(hulls::scene(&source, &made, "collision"))
}

/// The report and the proof of what stands in for `source`; `shown` is what of it can be seen.
fn judged(
    source: &Scene,
    jury: &Jury,
    (measured, details): (&Report, &Details),
    (made, shown): (&Scene, &Scene),
    (far, started): (FarReport, Instant),
) -> Result<(CutReport, Proven), EngineError> {
    let outline = &details.outline;
    let pair = Pair {
        high: source,
        low: shown,
    };
    let seen = Pair {
        high: source,
        low: made,
    };
    let proven = prove(pair, seen, jury, &source.mesh, (measured, details))?;
    let report = CutReport {
        seconds_measuring: started.elapsed().as_secs_f64(),
        outline_agreement: outline.agreement(),
        outline_mean_pixels: outline.mean_pixels(512.0),
        outline_worst_mm: outline.worst().map_or(0.0, |v| v.worst_m * 1e3),
        far: Some(Box::new(far)),
        ..made_report(&made.mesh, &source.mesh, &jury.judge, measured)
    };
    Ok((report, proven))
}

impl From<ProxyError> for EngineError {
    fn from(error: ProxyError) -> Self {
        match error {
            ProxyError::Cancelled(c) => Self::Cancelled(c),
            other => Self::FarEnd(other.to_string()),
        }
    }
}
