//! What the Parcel step shows.

use std::hash::{DefaultHasher, Hash, Hasher};

use ectome_store::candidate::CandidateState;

use crate::{asset::rows::Rows, chain::standing_of, judged, words};

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
    /// The zip of all of them, in all formats of the brief.
    pub zip: String,
    pub formats: String,
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
    pub fn of(rows: &Rows) -> Self {
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
                Some(match tiers.any(|t| t.candidate.is_out_of_date(asset)) {
                    true => First::MakeAnew,
                    false => First::MakeChain,
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
        Self {
            tiers: tiers.collect(),
            zip: format!("{stem}_chain.zip"),
            formats: brief.formats.join(", "),
            first,
            key: key(rows),
            singles: singles.collect(),
        }
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
