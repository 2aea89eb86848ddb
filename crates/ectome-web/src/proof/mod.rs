//! The Proof step, and the proof sheet of a chain.

mod sheet;
mod view;

use axum::{Router, routing::get};

pub use view::ProofView;

use crate::state::App;

/// The routes of the proof sheet.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/assets/{id}/sheet", get(sheet::page))
        .route("/assets/{id}/sheet/picture", get(sheet::picture))
}
