//! The Proof step, and the proof sheet of a chain.

mod proof_sheet;
mod view;

use axum::{Router, routing::get};

pub use view::ProofView;

use crate::state::App;

/// The routes of the proof sheet.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/assets/{id}/sheet", get(proof_sheet::page))
        .route("/assets/{id}/sheet/picture", get(proof_sheet::picture))
}
