//! What stands in the tray: candidates, and what the one on the stage cost.

use ectome_recipe::Brief;
use ectome_store::{
    candidate::{Candidate, CandidateState},
    chain::ChainTier,
};

use crate::words;

/// A candidate in the tray.
pub struct TrayLine {
    pub number: u32,
    pub target: String,
    pub triangles: String,
    pub deviation: String,
    pub state: &'static str,
    pub fault: String,
    pub shown: bool,
    pub tier: Option<u32>,
    pub picture: Option<String>,
    /// The number of the candidate it was cut from; `None` for the source.
    pub from: Option<u32>,
    pub pinned: bool,
    /// A tier uses it, so it cannot be discarded.
    pub in_use: bool,
}

/// The tray, latest first.
pub fn tray_lines(
    tray: &[Candidate],
    shown: Option<&Candidate>,
    chain: &[ChainTier],
) -> Vec<TrayLine> {
    let number = |hash: &str| tray.iter().find(|c| c.hash == hash).map(|c| c.number);
    let line = |c: &Candidate| {
        let tier = chain.iter().find(|t| t.candidate.hash == c.hash);
        TrayLine {
            number: c.number,
            target: words::grouped(c.target),
            triangles: c.triangles.map_or_else(|| "…".to_owned(), words::grouped),
            deviation: c
                .report
                .as_ref()
                .map_or_else(String::new, |r| words::length(r.deviation_max_mm)),
            state: match c.state {
                CandidateState::Ready => "ready",
                CandidateState::Waiting => "waiting",
                CandidateState::Failed => "failed",
            },
            fault: c.fault.clone().unwrap_or_default(),
            shown: shown.is_some_and(|s| s.hash == c.hash),
            tier: tier.map(|t| t.tier),
            picture: c.picture.clone(),
            from: c.based_on.as_deref().and_then(number),
            pinned: c.pinned,
            in_use: tier.is_some(),
        }
    };
    // What other UVs were made of stands behind them, unless somebody holds on to it.
    let superseded = |c: &Candidate| {
        let replaced = tray.iter().any(|d| {
            d.changes_uvs
                && d.based_on.as_deref() == Some(&c.hash)
                && d.state == CandidateState::Ready
        });
        let held = c.pinned
            || shown.is_some_and(|s| s.hash == c.hash)
            || chain.iter().any(|t| t.candidate.hash == c.hash);
        c.changes_uvs && replaced && !held
    };
    tray.iter()
        .rev()
        .filter(|c| !superseded(c))
        .map(line)
        .collect()
}

/// What a cut cost: how far off, where, and what that is on screen where the tier is seen.
pub fn result_sentence(c: &Candidate, source: u64, brief: &Brief) -> Option<String> {
    let r = c.report.as_ref()?;
    let nearest = brief.tiers.first().map_or(1.0, |t| t.nearest_m);
    let pixels = r.deviation_max_mm / 1e3 / brief.pixel_m(nearest);
    let place = match r.deviation_worst_part.as_str() {
        "" => String::new(),
        part => format!(" on {part}"),
    };
    let uvs = match (r.uv_drift_mean_texels, r.uv_drift_max_texels) {
        (Some(mean), Some(max)) => {
            format!(" UVs within {mean:.1} texels at 2048, {max:.0} at worst.")
        }
        _ => String::new(),
    };
    // Outlines were compared in pictures whose side is at most the diagonal.
    let diagonal_mm = r.deviation_max_mm * 100.0 / r.deviation_max_percent_of_diagonal;
    let outline_m = r.outline_mean_pixels / OUTLINE_PIXELS * diagonal_mm / 1e3;
    let outline = if outline_m.is_finite() && r.outline_agreement > 0.0 {
        format!(
            " Outline {:.1} px off on the mean.",
            outline_m / brief.pixel_m(nearest)
        )
    } else {
        String::new()
    };
    let loops = match r.loops_taken {
        0 => String::new(),
        n => {
            let stay: Vec<String> = r
                .loops_held
                .iter()
                .map(|(why, n)| format!("{} ({why})", words::grouped(*n as u64)))
                .collect();
            let stay = match stay.is_empty() {
                true => String::new(),
                false => format!("; left in: {}", stay.join(", ")),
            };
            format!(" {} loops taken out{stay}.", words::grouped(n as u64))
        }
    };
    let first = r.first_pass.as_ref().map_or_else(String::new, |f| {
        format!(
            " A first pass in {} blocks left {} triangles; its {} are part of these figures.",
            f.blocks,
            words::grouped(f.triangles as u64),
            words::length(f.deviation_max_mm)
        )
    });
    Some(format!(
        "{} of {}. Largest deviation {}{place}: at most {pixels:.1} px at {}. Mean {}.{outline}{uvs}{loops}{first} Made in {}.",
        words::grouped(c.triangles?),
        words::grouped(source),
        words::length(r.deviation_max_mm),
        words::distance(nearest),
        words::length(r.deviation_mean_mm),
        words::seconds(r.seconds_analysis + r.seconds_replay + r.seconds_fitting),
    ))
}

/// Pixels across the pictures in which outlines are compared, without their margins.
const OUTLINE_PIXELS: f64 = 504.0;
