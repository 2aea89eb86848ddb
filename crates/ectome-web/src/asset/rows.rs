//! What the store says about an asset, and what of it an address asks for.

use ectome_recipe::{Brief, Inspection};
use ectome_store::{
    analysis::Outlook,
    asset::Asset,
    brief::BriefRow,
    candidate::{Candidate, CandidateState},
    chain::ChainTier,
};

use super::room::Room;
use crate::{failure::Failure, reply::no_brief, state::App};

/// An asset with what stands beside it.
pub struct Rows {
    pub asset: Asset,
    /// The step that is asked for.
    pub room: &'static Room,
    /// The number behind `?show=`; 0 is the source.
    pub show: Option<u32>,
    pub briefs: Vec<BriefRow>,
    /// The brief it is judged by.
    pub brief: Brief,
    pub tray: Vec<Candidate>,
    pub chain: Vec<ChainTier>,
    /// What the analysis with the present settings told, once it is made.
    pub outlook: Option<Outlook>,
    nothing: Inspection,
}

impl Rows {
    /// Asks the store.
    ///
    /// # Errors
    /// A sentence for what is not there.
    pub async fn of(
        app: &App,
        id: u64,
        room: &'static Room,
        show: Option<u32>,
    ) -> Result<Self, Failure> {
        let asset = app.store.asset(id).await?;
        let briefs = app.store.briefs().await?;
        let brief = briefs.iter().find(|b| b.id == asset.brief);
        Ok(Self {
            brief: brief.map(|b| b.brief.clone()).ok_or_else(no_brief)?,
            tray: app.store.tray(id).await?,
            chain: app.store.chain(id).await?,
            outlook: app.store.outlook(&asset.recipe(4)).await?,
            nothing: Inspection::default(),
            asset,
            room,
            show,
            briefs,
        })
    }

    /// What the source consists of; nothing before it is read.
    pub fn inspection(&self) -> &Inspection {
        self.asset.inspection.as_ref().unwrap_or(&self.nothing)
    }

    /// Triangles of the source.
    pub fn source_triangles(&self) -> u64 {
        self.inspection().triangles as u64
    }

    /// Candidates that are made, oldest first.
    pub fn made(&self) -> impl DoubleEndedIterator<Item = &Candidate> {
        self.tray
            .iter()
            .filter(|c| c.state == CandidateState::Ready)
    }

    /// The candidate that the address asks for, made or not.
    pub fn asked(&self) -> Option<&Candidate> {
        self.tray.iter().find(|c| Some(c.number) == self.show)
    }

    /// True where the source itself is asked for on a step that can show it.
    pub fn on_source(&self) -> bool {
        self.room.shows_source && self.show == Some(0)
    }

    /// The candidate on the stage: the one asked for once it is made, meanwhile what it goes on from, else the newest.
    pub fn shown(&self) -> Option<&Candidate> {
        let asked = self.asked();
        let waits = asked.filter(|c| c.state == CandidateState::Waiting);
        let base = waits.and_then(|c| c.based_on.as_ref());
        asked
            .filter(|c| c.state == CandidateState::Ready)
            .or_else(|| self.made().find(|c| Some(&c.hash) == base))
            .or_else(|| self.made().next_back())
            .filter(|_| !self.on_source())
    }

    /// The candidate whose maps the one on the stage wears: itself, or what it was cut from, whose UVs it keeps.
    pub fn maps_of_shown(&self) -> Option<&Candidate> {
        let shown = self.shown()?;
        let base = shown.based_on.as_ref().filter(|_| !shown.changes_uvs);
        let baked = |c: &&Candidate| c.hash == shown.hash || Some(&c.hash) == base;
        self.made().find(|c| baked(c) && c.has_maps)
    }

    /// The triangles that the pin stands at: what was asked for last, made or not, else the first limit.
    pub fn suggested(&self) -> u32 {
        let first = self.first_limit();
        self.asked()
            .or(self.shown())
            // What is brought says nothing of its count until it is read.
            .map_or(first, |c| {
                if c.target == 0 {
                    first
                } else {
                    c.target as u32
                }
            })
            .min(self.source_triangles().saturating_sub(1).max(4) as u32)
    }

    /// The limit of the first tier of the brief.
    pub fn first_limit(&self) -> u32 {
        self.brief.tiers.first().map_or(1000, |t| t.triangles)
    }
}
