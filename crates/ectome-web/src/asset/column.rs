//! The column beside the stage: that of the step that is asked for, and of no other.

use ectome_store::asset::AssetState;

use super::{frame::Frame, rows::Rows};
use crate::{failure::Failure, rendered::Rendered, state::App};

/// What a column shows.
pub enum Column {
    /// The source could not be read, and why.
    Failed(String),
    /// The source is being read.
    Arriving,
    /// What the step draws.
    Room(Rendered),
}

impl Column {
    /// Gathers it.
    ///
    /// # Errors
    /// A sentence for what is not there.
    pub async fn of(app: &App, rows: &Rows, frame: &Frame) -> Result<Self, Failure> {
        Ok(match rows.asset.state() {
            AssetState::Failed => Self::Failed(rows.asset.fault.clone().unwrap_or_default()),
            AssetState::Arriving => Self::Arriving,
            AssetState::Ready => Self::Room((rows.room.column)(app, rows, frame).await?),
        })
    }
}
