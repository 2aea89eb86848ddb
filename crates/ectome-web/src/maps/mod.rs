//! The Maps step: maps baked from the source onto a candidate's UVs.

mod form;
mod on_sheet;
mod page;
mod view;

use axum::{
    Router,
    routing::{get, post},
};

pub use on_sheet::maps_on_sheet;
pub use view::{CoarseLine, MapsView};

use crate::state::App;

/// The routes of the step.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/assets/{id}/bakes/{number}", post(page::bake))
        .route("/assets/{id}/bakes/{number}/{file}", get(page::file))
}
