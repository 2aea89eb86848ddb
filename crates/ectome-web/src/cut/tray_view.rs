//! What stands in the tray: candidates, and what the one on the stage cost.

use ectome_recipe::Brief;
use ectome_store::{
    asset::Asset,
    candidate::{Candidate, CandidateState},
    chain::ChainTier,
};

use crate::words;

/// A candidate in the tray.
pub struct TrayLine {
    pub number: u32,
    pub wish: String,
    pub triangles: String,
    pub deviation: String,
    pub state: &'static str,
    pub fault: String,
    pub shown: bool,
    pub tier: Option<u32>,
    pub picture: Option<String>,
    /// What it was made from.
    pub from: String,
    pub pinned: bool,
    /// Made of the source as it was before its last change.
    pub out_of_date: bool,
    /// A tier uses it, so it cannot be discarded.
    pub in_use: bool,
}

/// The tray, latest first.
pub fn tray_lines(
    asset: &Asset,
    tray: &[Candidate],
    shown: Option<&Candidate>,
    chain: &[ChainTier],
) -> Vec<TrayLine> {
    let number = |hash: &str| tray.iter().find(|c| c.hash == hash).map(|c| c.number);
    let line = |c: &Candidate| {
        let tier = chain.iter().find(|t| t.candidate.hash == c.hash);
        TrayLine {
            number: c.number,
            wish: c.wish.clone(),
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
            from: match c.based_on.as_deref().map(number) {
                None => "the source".to_owned(),
                Some(Some(n)) => format!("candidate {n}"),
                Some(None) => "a candidate that was discarded".to_owned(),
            },
            pinned: c.pinned,
            out_of_date: c.is_out_of_date(asset),
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
pub fn result_sentence(c: &Candidate, asset: &Asset, brief: &Brief) -> Option<String> {
    let r = c.report.as_ref()?;
    let source = asset.built_triangles().unwrap_or(0);
    let first = brief.tiers.first();
    let nearest = first.map_or(1.0, |t| brief.nearest_m(t, asset.height_m()));
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
    let outline = c.proof.as_ref().map_or_else(String::new, |p| {
        format!(
            " Outline {:.2} px off on the mean.",
            p.outline_mean_mm() / 1e3 / brief.pixel_m(nearest)
        )
    });
    let loops = match r.loops_taken {
        0 => String::new(),
        n => {
            let stay: Vec<String> = r
                .loops_held
                .iter()
                .map(|(why, n)| format!("{} ({why})", words::grouped(*n as u64)))
                .collect();
            let stay = if stay.is_empty() {
                String::new()
            } else {
                format!("; left in: {}", stay.join(", "))
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
