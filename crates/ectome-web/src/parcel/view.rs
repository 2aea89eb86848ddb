//! What the Parcel step shows.

use std::hash::{DefaultHasher, Hash, Hasher};

use ectome_store::{
    candidate::CandidateState,
    parcel::{Parcel, ParcelState, ParcelsWanted, key_of},
};

use super::kept::ParcelLine;
use crate::{asset::rows::Rows, chain::standing_of, failure::Failure, judged, state::App, words};

/// Parcels that the step lists.
const SHOWN: u32 = 10;

/// A file that can be downloaded.
pub struct FileLine {
    pub name: String,
    pub file: String,
    pub triangles: String,
    /// How it stands, in words, and the class of that.
    pub word: &'static str,
    pub class: &'static str,
}

/// Everything the step's column shows.
pub struct ParcelView {
    /// A GLB for each tier, once all are made.
    pub tiers: Vec<FileLine>,
    /// What the brief says about files.
    pub formats: String,
    /// Parcels that were made, latest first.
    pub kept: Vec<ParcelLine>,
    /// The latest of them is what would be made now.
    pub is_kept: bool,
    /// What has to be done first, if anything.
    pub first: Option<First>,
    /// Another one when the files would be others: a list of them is kept on the page for as long as it holds.
    pub key: String,
    /// Candidates, latest first.
    pub singles: Vec<FileLine>,
}

/// What has to be done before there is a parcel.
pub enum First {
    MakeChain,
    MakeAnew,
    /// Some tiers could not be made, in words.
    PutRight(String),
}

impl ParcelView {
    /// Gathers it.
    ///
    /// # Errors
    /// A sentence when the store does not answer.
    pub async fn of(app: &App, rows: &Rows) -> Result<Self, Failure> {
        let (asset, brief) = (&rows.asset, &rows.brief);
        let stem = words::stem(&asset.name);
        let first = match (
            judged::is_complete(asset, &rows.chain),
            judged::failed(&rows.chain),
        ) {
            (true, _) => None,
            (false, 1..) => {
                let (verdict, _) = judged::chain_verdict(brief, asset, &rows.chain);
                Some(First::PutRight(verdict))
            }
            (false, 0) => {
                let mut tiers = rows.chain.iter();
                Some(if tiers.any(|t| t.candidate.is_out_of_date(asset)) {
                    First::MakeAnew
                } else {
                    First::MakeChain
                })
            }
        };
        let tiers = rows.chain.iter().map(|t| {
            let c = &t.candidate;
            let judgement = judged::judge(brief, asset, t.tier as usize, c);
            let (word, _, class) = standing_of(c, judgement.map(|j| j.standing));
            FileLine {
                name: format!("LOD{}", t.tier),
                file: format!("{stem}{}{}.glb", brief.suffix, t.tier),
                triangles: words::grouped(c.triangles.unwrap_or(0)),
                word,
                class,
            }
        });
        let made = rows.tray.iter().rev();
        let made = made.filter(|c| c.state == CandidateState::Ready);
        let singles = made.map(|c| FileLine {
            name: format!("Candidate {}", c.number),
            file: format!("{stem}_{}.glb", c.number),
            triangles: words::grouped(c.triangles.unwrap_or(0)),
            word: if c.is_out_of_date(asset) {
                "out of date"
            } else {
                ""
            },
            class: "is-over",
        });
        let wanted = ParcelsWanted {
            asset: Some(asset.id),
            most: SHOWN,
            ..ParcelsWanted::default()
        };
        let kept = app.store.parcels(&wanted).await?;
        let now = key_of(asset, brief, &rows.chain)?;
        let is_kept = |p: &Parcel| p.key == now && p.state != ParcelState::Failed;
        Ok(Self {
            tiers: tiers.collect(),
            formats: brief.formats.join(", ").to_uppercase(),
            is_kept: kept.first().is_some_and(is_kept),
            kept: kept.into_iter().map(ParcelLine::of).collect(),
            first,
            key: key(rows),
            singles: singles.collect(),
        })
    }
}

fn key(rows: &Rows) -> String {
    let mut hasher = DefaultHasher::new();
    rows.chain
        .iter()
        .for_each(|t| t.candidate.hash.hash(&mut hasher));
    format!("{:?}", rows.brief).hash(&mut hasher);
    format!("{:?}", rows.asset.provenance).hash(&mut hasher);
    format!("{:016x}", hasher.finish())
}
