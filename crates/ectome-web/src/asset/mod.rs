//! One asset: what all its steps share.

mod column;
pub(crate) mod doing;
pub(crate) mod frame;
mod page;
pub(crate) mod room;
mod rooms;
pub(crate) mod rows;
pub(crate) mod sides;
mod stage_data;
mod tabs;

use axum::{
    Router,
    routing::{get, post},
};

use crate::state::App;

/// The routes of an asset as a whole. Those of its steps are theirs.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/assets/{id}", get(page::default_step))
        .route("/assets/{id}/{step}", get(page::page))
        .route("/assets/{id}/{step}/panel", get(page::panel))
        .route("/assets/{id}/anew", post(page::anew))
        .route("/assets/{id}/brief", post(page::brief))
        .route("/assets/{id}/remove", post(page::remove))
}
