//! The whole way by one button: what is proposed for a brief, line by line, to be changed and then done.

mod page;

use axum::{
    Router,
    routing::{get, post},
};

pub use page::chosen;

use crate::state::App;

/// The routes of the plan.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/assets/{id}/plan", get(page::proposed).post(page::done))
        .route("/assets/{id}/plan/rest", post(page::rest))
}
