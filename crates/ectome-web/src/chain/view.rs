//! What the Chain step shows.

use ectome_recipe::{Brief, Standing};
use ectome_store::{
    asset::Asset,
    candidate::{Candidate, CandidateState},
    chain::{ChainTier, base_of},
};

use super::far_end::FarEndView;
use crate::{
    asset::{rows::Rows, sides::Side},
    judged,
    words::{self, tearing},
};

/// One tier, made or not.
pub struct TierLine {
    pub tier: u32,
    pub locked: bool,
    pub ready: bool,
    /// Made of the source as it was before its last change.
    pub out_of_date: bool,
    pub word: &'static str,
    pub icon: &'static str,
    pub class: &'static str,
    /// What was found, one sentence for each thing a brief asks for, and what to do about it.
    pub requirements: Vec<RequirementLine>,
    pub switch: String,
    pub number: u32,
    pub fault: String,
    pub picture: Option<String>,
    pub size_hint: String,
    /// What was asked for.
    pub wish: String,
}

/// One thing a brief asks for.
pub struct RequirementLine {
    pub class: &'static str,
    pub says: String,
    pub remedy: String,
}

/// The tiers, and what is worth knowing about them as a whole.
pub struct ChainView {
    pub tiers: Vec<TierLine>,
    pub complete: bool,
    pub verdict: String,
    pub class: &'static str,
    /// Said where fewer tiers would do.
    pub one_is_enough: Option<String>,
    /// Tiers of the brief.
    pub asked: usize,
    /// The number of the candidate that it is cut from; 0 for the source.
    pub from: u32,
    /// What it can be cut from.
    pub bases: Vec<Side>,
    /// What can fill a tier.
    pub candidates: Vec<Side>,
    /// The count that the form for a ratio starts with.
    pub suggested: u32,
    pub brief: u64,
    pub briefs: Vec<BriefLine>,
    pub limits: String,
    /// Said before cutting a source that would tear.
    pub hint: Option<String>,
    pub far: FarEndView,
}

/// A brief that can be chosen.
pub struct BriefLine {
    pub id: u64,
    pub name: String,
    pub chosen: bool,
}

impl ChainView {
    /// Judges the chain of an asset.
    pub fn of(rows: &Rows) -> Self {
        let (brief, asset, chain) = (&rows.brief, &rows.asset, &rows.chain);
        let tiers = chain.iter().map(|t| tier_line(t, brief, asset)).collect();
        let (verdict, class) = judged::chain_verdict(brief, asset, chain);
        let mut bases: Vec<Side> = rows
            .made()
            .rev()
            .map(|c| Side::candidate(c, false))
            .collect();
        bases.push(Side::source(rows, false));
        let limits = brief.tiers.iter().map(|t| words::grouped(t.triangles));
        Self {
            complete: judged::is_complete(asset, chain),
            tiers,
            verdict,
            class,
            one_is_enough: one_is_enough(rows),
            asked: brief.tiers.len(),
            from: from(chain, &rows.tray),
            bases,
            candidates: Side::with_tiers(rows, None),
            suggested: chain.first().map_or(rows.first_limit(), |t| t.limit as u32),
            brief: asset.brief,
            briefs: rows
                .briefs
                .iter()
                .map(|b| BriefLine {
                    id: b.id,
                    name: b.brief.name.clone(),
                    chosen: b.id == asset.brief,
                })
                .collect(),
            limits: limits.collect::<Vec<_>>().join(", "),
            hint: tearing(rows.inspection()),
            far: FarEndView::of(rows),
        }
    }
}

/// What the chain that is there was cut from; without one the candidate that was unwrapped last.
fn from(chain: &[ChainTier], tray: &[Candidate]) -> u32 {
    let ready = || tray.iter().filter(|c| c.state == CandidateState::Ready);
    let newest = ready().filter(|c| c.changes_uvs).map(|c| c.number).max();
    match (chain.is_empty(), base_of(chain, 0)) {
        (true, _) => newest.unwrap_or(0),
        (false, base) => ready()
            .find(|c| Some(&c.hash) == base.as_ref())
            .map_or(0, |c| c.number),
    }
}

/// The standing of a candidate as a tier: word, icon, class.
pub fn standing_of(
    c: &Candidate,
    standing: Option<Standing>,
) -> (&'static str, &'static str, &'static str) {
    match (c.state, standing) {
        (CandidateState::Ready, Some(s)) => words::standing(s),
        (CandidateState::Ready, None) => ("Not asked for", "tight", "is-quiet"),
        (CandidateState::Failed, _) => ("Could not be made", "cross", "is-over"),
        (CandidateState::Waiting, _) => ("In work", "wait", "is-quiet"),
    }
}

fn tier_line(t: &ChainTier, brief: &Brief, asset: &Asset) -> TierLine {
    let c = &t.candidate;
    let judgement = judged::judge(brief, asset, t.tier as usize, c);
    let (word, icon, class) = standing_of(c, judgement.as_ref().map(|j| j.standing));
    let deviation = c.report.as_ref().map_or(0.0, |r| r.deviation_max_mm);
    let requirements = judgement.iter().flat_map(|j| &j.requirements);
    TierLine {
        tier: t.tier,
        locked: t.locked,
        ready: c.state == CandidateState::Ready,
        out_of_date: c.is_out_of_date(asset),
        requirements: requirements
            .map(|f| RequirementLine {
                class: words::standing(f.standing).2,
                says: f.says.clone(),
                remedy: f.remedy.clone(),
            })
            .collect(),
        switch: words::distance(brief.switch_distance_m(deviation / 1e3)),
        word,
        icon,
        class,
        number: c.number,
        fault: c.fault.clone().unwrap_or_default(),
        picture: c.picture.clone(),
        size_hint: words::grouped(t.limit),
        wish: c.wish.clone(),
    }
}

/// Where even the fewest triangles of the brief are expected within a pixel from where the first tier is seen, further
/// tiers gain nothing.
fn one_is_enough(rows: &Rows) -> Option<String> {
    let (brief, asset) = (&rows.brief, &rows.asset);
    let (first, last) = (brief.tiers.first()?, brief.tiers.last()?);
    if brief.tiers.len() < 2 {
        return None;
    }
    let nearest = brief.nearest_m(first, asset.height_m());
    let source = asset.built_triangles()?;
    let off_m = if source <= u64::from(last.triangles) {
        0.0
    } else {
        rows.outlook.as_ref()?.curve.error_m(last.triangles)
    };
    (off_m <= brief.pixel_m(nearest)).then(|| {
        format!(
            "One tier is enough: {} triangles hold within a pixel even at {}, where LOD0 is seen.",
            words::grouped(u64::from(last.triangles).min(source)),
            words::distance(nearest)
        )
    })
}
