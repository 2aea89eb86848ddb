//! Candidates judged against briefs.

use ectome_recipe::{Brief, Judgement, Measured, Standing};
use ectome_store::{
    asset::Asset,
    candidate::{Candidate, CandidateState},
    chain::ChainTier,
};

/// What was measured of a candidate, once it is made.
pub fn measured(brief: &Brief, asset: &Asset, c: &Candidate) -> Option<Measured> {
    c.measured(brief, asset)
}

/// A candidate judged as tier `number`, once it is made. Beyond the brief's tiers nothing is asked.
pub fn judge(brief: &Brief, asset: &Asset, number: usize, c: &Candidate) -> Option<Judgement> {
    let tier = brief.tiers.get(number)?;
    Some(Judgement::of(
        brief,
        number,
        tier,
        &measured(brief, asset, c)?,
    ))
}

/// What a candidate's proof says in three words, and its class.
pub fn proof_says(
    shown: Option<&Candidate>,
    brief: &Brief,
    asset: &Asset,
    chain: &[ChainTier],
) -> (String, &'static str) {
    let Some(c) = shown else {
        return ("nothing yet".to_owned(), "is-quiet");
    };
    let Some(proof) = &c.proof else {
        return ("same".to_owned(), "is-quiet");
    };
    let judgement = judge(brief, asset, tier_of(chain, c), c);
    let pixel_mm = brief.pixel_m(seen_from(judgement.as_ref(), brief, asset)) * 1e3;
    let worst = proof.worst_outline().map_or(0.0, |v| v.worst_mm) / pixel_mm;
    let class = match judgement.map(|j| j.standing) {
        Some(Standing::Over) => "is-over",
        Some(Standing::Tight) => "is-tight",
        _ => "is-pass",
    };
    (format!("outline {worst:.1} px"), class)
}

/// The tier that a candidate fills; one that fills none is looked at as the first.
pub fn tier_of(chain: &[ChainTier], c: &Candidate) -> usize {
    let tier = chain.iter().find(|t| t.candidate.hash == c.hash);
    tier.map_or(0, |t| t.tier as usize)
}

/// The distance a candidate is looked at from, in metres: beyond the brief's tiers it is seen from where the last of them is,
/// or further away.
pub fn seen_from(judgement: Option<&Judgement>, brief: &Brief, asset: &Asset) -> f64 {
    let last = brief.tiers.last();
    judgement.map_or_else(
        || last.map_or(1.0, |t| brief.nearest_m(t, asset.height_m())),
        |j| j.nearest_m,
    )
}

/// True when every tier of a chain is made of the source as it is now.
pub fn is_complete(asset: &Asset, chain: &[ChainTier]) -> bool {
    let made = |t: &ChainTier| {
        t.candidate.state == CandidateState::Ready && !t.candidate.is_out_of_date(asset)
    };
    !chain.is_empty() && chain.iter().all(made)
}

/// Tiers that could not be made.
pub fn failed(chain: &[ChainTier]) -> usize {
    let failed = |t: &&ChainTier| t.candidate.state == CandidateState::Failed;
    chain.iter().filter(failed).count()
}

/// How a whole chain stands: in words and as a class. Empty without tiers.
pub fn chain_verdict(brief: &Brief, asset: &Asset, chain: &[ChainTier]) -> (String, &'static str) {
    let ready = |t: &ChainTier| t.candidate.state == CandidateState::Ready;
    if chain.is_empty() {
        return (String::new(), "");
    }
    match failed(chain) {
        0 => {}
        n => {
            return (
                format!("{n} of {} could not be made", chain.len()),
                "is-over",
            );
        }
    }
    if !chain.iter().all(ready) {
        return ("in work".to_owned(), "is-quiet");
    }
    if chain.iter().any(|t| t.candidate.is_out_of_date(asset)) {
        return ("out of date".to_owned(), "is-over");
    }
    let over = chain
        .iter()
        .filter_map(|t| judge(brief, asset, t.tier as usize, &t.candidate))
        .filter(|j| j.standing == Standing::Over)
        .count();
    match (chain.len(), over) {
        (1, 0) => ("LOD0 passes".to_owned(), "is-pass"),
        (n, 0) => (format!("LOD0\u{2013}{} pass", n - 1), "is-pass"),
        (n, over) => (format!("{over} of {n} fail"), "is-over"),
    }
}
