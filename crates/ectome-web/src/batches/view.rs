//! What a batch shows of each of its assets.

use ectome_recipe::{Brief, Standing};
use ectome_store::{
    asset::{Asset, AssetState},
    batch::BatchAsset,
    candidate::CandidateState,
    chain::ChainTier,
    parcel::{Parcel, ParcelState, ParcelsWanted},
    work::{Kind, State as WorkState, Work},
};

use crate::{failure::Failure, judged, state::App, words};

/// An asset of a batch.
pub struct Row {
    pub asset: u64,
    pub name: String,
    pub source: Option<String>,
    pub result: Option<String>,
    pub state: &'static str,
    pub class: &'static str,
    /// What is being done, or what went wrong and what to do.
    pub says: String,
    pub counts: String,
    pub verdict: String,
    pub verdict_class: &'static str,
    pub bytes: String,
    pub parcel: Option<u64>,
    /// Its own plan, as TOML; empty where it follows the batch's.
    pub plan: String,
}

/// How many assets are how far.
#[derive(Default)]
pub struct Sums {
    pub done: usize,
    pub failed: usize,
    pub waiting: usize,
    pub over: usize,
    pub bytes: u64,
}

impl Sums {
    /// In a sentence.
    pub fn says(&self) -> String {
        let mut words = vec![format!("{} done", self.done)];
        if self.waiting > 0 {
            words.push(format!("{} in work", self.waiting));
        }
        if self.failed > 0 {
            words.push(format!("{} failed", self.failed));
        }
        if self.over > 0 {
            words.push(format!("{} over a limit", self.over));
        }
        if self.bytes > 0 {
            words.push(format!("{} in all", words::bytes(self.bytes)));
        }
        words.join(", ")
    }
}

/// The rows of a batch, and what they come to.
pub async fn rows(
    app: &App,
    brief: &Brief,
    members: Vec<BatchAsset>,
    work: &[Work],
) -> Result<(Vec<Row>, Sums), Failure> {
    let ids: Vec<u64> = members.iter().map(|m| m.asset).collect();
    let assets = app.store.assets_of(&ids).await?;
    let mut chains = app.store.chains_of(&ids).await?;
    let mut list = Vec::new();
    let mut sums = Sums::default();
    for (asset, member) in assets.iter().zip(&members) {
        let chain = chains.remove(&asset.id).unwrap_or_default();
        let row = row(app, brief, asset, member, (&chain, work)).await?;
        match row.state {
            "done" => sums.done += 1,
            "failed" => sums.failed += 1,
            _ => sums.waiting += 1,
        }
        list.push(row);
    }
    for id in ids {
        if let Some(parcel) = latest(app, id).await? {
            sums.bytes += parcel.bytes;
            let over = parcel.sheet.is_some_and(|s| s.verdict == Standing::Over);
            sums.over += usize::from(over);
        }
    }
    Ok((list, sums))
}

/// The newest parcel of an asset.
pub async fn latest(app: &App, asset: u64) -> Result<Option<Parcel>, Failure> {
    let wanted = ParcelsWanted {
        asset: Some(asset),
        most: 1,
        ..ParcelsWanted::default()
    };
    Ok(app.store.parcels(&wanted).await?.into_iter().next())
}

async fn row(
    app: &App,
    brief: &Brief,
    asset: &Asset,
    member: &BatchAsset,
    (chain, work): (&[ChainTier], &[Work]),
) -> Result<Row, Failure> {
    let parcel = latest(app, asset.id).await?;
    let (verdict, verdict_class) = judged::chain_verdict(brief, asset, chain);
    let (state, says) = state(asset, member, chain, parcel.as_ref(), work);
    let counts = chain
        .iter()
        .filter_map(|t| t.candidate.triangles)
        .map(words::grouped);
    let first = chain.first().map(|t| &t.candidate);
    let result = match first {
        Some(c) if c.state == CandidateState::Ready => {
            let artefacts = app.store.artefacts(&c.hash).await?;
            artefacts
                .of(ectome_recipe::Artefact::PICTURE)
                .map(str::to_owned)
        }
        _ => None,
    };
    let ready = parcel.as_ref().filter(|p| p.state == ParcelState::Ready);
    Ok(Row {
        asset: asset.id,
        name: asset.name.clone(),
        source: asset.picture.clone(),
        result,
        class: match state {
            "done" => "is-pass",
            "failed" => "is-over",
            _ => "is-quiet",
        },
        state,
        says,
        counts: counts.collect::<Vec<_>>().join(" · "),
        verdict,
        verdict_class,
        bytes: ready.map_or_else(String::new, |p| words::bytes(p.bytes)),
        parcel: ready.map(|p| p.id),
        plan: match &member.plan {
            Some(plan) => plan.to_toml().unwrap_or_default(),
            None => String::new(),
        },
    })
}

/// How far an asset is, and what is to be said of it.
fn state(
    asset: &Asset,
    member: &BatchAsset,
    chain: &[ChainTier],
    parcel: Option<&Parcel>,
    work: &[Work],
) -> (&'static str, String) {
    // An analysis is made ahead for the Rule; nothing of the plan waits for it.
    let is_own = |w: &&Work| w.asset == asset.id && !w.state.is_over() && w.kind != Kind::Analyse;
    let running = work
        .iter()
        .filter(is_own)
        .find(|w| w.state == WorkState::Running);
    let busy = running.or(work.iter().find(is_own));
    match asset.state() {
        AssetState::Failed => {
            let fault = asset.fault.clone().unwrap_or_default();
            return (
                "failed",
                format!("{fault} Put a repaired file in its place."),
            );
        }
        AssetState::Arriving => return ("arriving", busy.map_or_else(String::new, Work::doing)),
        AssetState::Ready => {}
    }
    if let Some(fault) = &member.fault {
        return ("failed", fault.clone());
    }
    if let Some(fault) = &asset.preparation_fault {
        return (
            "failed",
            format!("{fault} Its Intake step offers to do the rest."),
        );
    }
    let failed = chain
        .iter()
        .find(|t| t.candidate.state == CandidateState::Failed);
    if let (Some(t), None) = (failed, busy) {
        let fault = t.candidate.fault.clone().unwrap_or_default();
        return ("failed", format!("LOD{}: {fault}", t.tier));
    }
    if let (Some(p), None) = (parcel.filter(|p| p.state == ParcelState::Failed), busy) {
        return ("failed", p.fault.clone().unwrap_or_default());
    }
    match busy {
        Some(w) => ("in work", w.doing()),
        None if member.source != asset.source => ("waiting", "It is asked for next.".to_owned()),
        None => ("done", String::new()),
    }
}
