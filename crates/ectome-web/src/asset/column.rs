//! The column of a step, made only for the step that is asked for.

use ectome_store::asset::AssetState;

use super::{rows::Rows, step_name::StepName};
use crate::{
    chain::ChainView, cut::CutView, failure::Failure, intake::IntakeView, maps::MapsView,
    parcel::ParcelView, parts::PartsView, proof::ProofView, state::App, uvs::UvView,
};

/// What a column shows.
pub enum Column {
    /// The source could not be read, and why.
    Failed(String),
    /// The source is being read.
    Arriving,
    Intake(Box<IntakeView>),
    Parts(Box<PartsView>),
    Cut(Box<CutView>),
    Chain(Box<ChainView>),
    Uvs(Box<UvView>),
    Maps(Box<MapsView>),
    Proof(Box<ProofView>),
    Parcel(Box<ParcelView>),
}

impl Column {
    /// Gathers it.
    ///
    /// # Errors
    /// A sentence for what is not there.
    pub async fn of(app: &App, rows: &Rows) -> Result<Self, Failure> {
        match rows.asset.state() {
            AssetState::Failed => {
                let fault = rows.asset.fault.clone();
                return Ok(Self::Failed(fault.unwrap_or_default()));
            }
            AssetState::Arriving => return Ok(Self::Arriving),
            AssetState::Ready => {}
        }
        Ok(match rows.step {
            StepName::Intake => Self::Intake(Box::new(IntakeView::of(app, rows).await?)),
            StepName::Parts => Self::Parts(Box::new(PartsView::of(rows))),
            StepName::Cut => Self::Cut(Box::new(CutView::of(rows))),
            StepName::Chain => Self::Chain(Box::new(ChainView::of(rows))),
            StepName::Uvs => Self::Uvs(Box::new(UvView::of(app, rows).await?)),
            StepName::Maps => Self::Maps(Box::new(MapsView::of(app, rows).await?)),
            StepName::Proof => Self::Proof(Box::new(ProofView::of(app, rows).await?)),
            StepName::Parcel => Self::Parcel(Box::new(ParcelView::of(app, rows).await?)),
        })
    }
}
