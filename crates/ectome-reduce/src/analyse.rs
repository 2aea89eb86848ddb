//! The analysis: cheapest collapse first, down to the last triangle, written down as it goes.
//!
//! Most of a heavy mesh goes in **passes** ([`passes`](crate::passes)): the best edge of every point is found on all cores, the cheap
//! share of them is collapsed where it lies in memory, and so on. Within a pass an edge counts only as
//! long as neither end has changed, so costs are never stale. The log puts the collapses of a pass in order of
//! cost again, each behind those it depends on. The last stretch, where order matters, takes one edge at
//! a time from a queue ([`queue`](crate::queue)).

use ectome_mesh::{Mesh, Progress};

use crate::{
    analysis::Analysis,
    error::CutError,
    free::Which,
    log::CollapseLog,
    options::Options,
    passes::Limits,
    replay::{Cut, Replay},
};

/// Cuts an all-triangle mesh to at most `target` triangles.
///
/// # Errors
/// [`CutError::Held`] when topology or guards forbid it, [`CutError::NotTriangulated`],
/// [`CutError::Cancelled`].
pub fn cut(
    mesh: &Mesh,
    target: usize,
    options: &Options,
    progress: &Progress,
) -> Result<Cut, CutError> {
    let log = analyse(mesh, options, &progress.span(0.0, 0.95))?;
    let replay = Replay::new(mesh, &log).map_err(|_| CutError::NotTriangulated)?;
    let cut = replay.at(mesh, &log, target)?;
    progress.at(1.0)?;
    Ok(cut)
}

/// Finds the order in which an all-triangle mesh is best taken apart.
///
/// # Errors
/// [`CutError::NotTriangulated`], [`CutError::Cancelled`].
pub fn analyse(
    mesh: &Mesh,
    options: &Options,
    progress: &Progress,
) -> Result<CollapseLog, CutError> {
    if !mesh.is_triangulated() {
        return Err(CutError::NotTriangulated);
    }
    progress.stage("Analysing");
    progress.at(0.0)?;
    let mut analysis = Analysis::of(mesh, options, None, &progress.span(0.0, 0.3))?;
    progress.stage("Collapsing");
    if options.flat_only {
        analysis.take_free(Which::All, &progress.span(0.3, 0.35))?;
    }
    let limits = Limits::of_whole(analysis.state.triangles);
    analysis.passes(limits, &progress.span(0.35, 0.75))?;
    analysis.compact();
    analysis.refill();
    analysis.run(&progress.span(0.75, 1.0))?;
    if !options.flat_only {
        analysis.note_what_holds();
    }
    Ok(analysis.finish())
}
