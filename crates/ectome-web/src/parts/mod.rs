//! The Parts step: the ledger. What is done there is a change of the source, see `intake`.

mod ledger;

pub use ledger::{Ledger, ledger};

use crate::asset::rows::Rows;

/// What the step's column shows.
pub struct PartsView {
    pub ledger: Ledger,
    /// Why the change that was asked for last could not be made.
    pub fault: Option<String>,
}

impl PartsView {
    /// Gathers it.
    pub fn of(rows: &Rows) -> Self {
        Self {
            ledger: ledger(rows.inspection()),
            fault: rows.asset.preparation_fault.clone(),
        }
    }
}
