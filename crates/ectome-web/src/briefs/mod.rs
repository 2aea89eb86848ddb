//! Briefs: the list, and one to read and change.

mod delivery_form;
mod form;
mod page;

use axum::{
    Router,
    routing::{get, post},
};

use crate::state::App;

/// The routes of briefs.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/briefs", get(page::list).post(page::add))
        .route("/briefs/names", get(delivery_form::names))
        .route("/briefs/{id}", get(page::one).post(page::save))
        .route("/briefs/{id}/remove", post(page::remove))
        .route("/briefs/{id}/toml", get(page::toml))
}
