//! The Chain step: a candidate for each tier of the brief, judged.

mod far_end;
mod page;
mod view;

use axum::{Router, routing::post};

pub use view::{ChainView, standing_of};

use crate::state::App;

/// The routes of the step.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/assets/{id}/chains", post(page::fill))
        .route("/assets/{id}/stand-ins", post(far_end::stand_in))
        .route("/assets/{id}/tiers/{tier}", post(page::tier))
}
