//! The Cut step: the source down to a count, and the tray of what was made.

pub(crate) mod open_sources;
mod page;
mod rebuild_form;
mod rebuild_page;
mod rebuild_view;
mod settings_form;
mod tray_page;
mod tray_view;
mod view;

use askama::Template;
use axum::{
    Router,
    routing::{get, post},
};

pub use view::CutView;

use crate::{
    asset::{
        frame::Frame,
        room::{Room, Says, none_yet},
        rows::Rows,
    },
    rendered::Rendered,
    state::App,
    words,
};

/// The step.
pub static ROOM: Room = Room {
    address: "cut",
    name: "Cut",
    shows_source: false,
    says,
    column: |_, rows, frame| {
        Box::pin(async move {
            let view = CutView::of(rows);
            Ok(Rendered::of(&Column { frame, view })?)
        })
    },
};

#[derive(Template)]
#[template(path = "asset_cut.html")]
struct Column<'a> {
    frame: &'a Frame,
    view: CutView,
}

fn says(rows: &Rows) -> Says {
    rows.shown().map_or_else(none_yet, |c| {
        (words::grouped(c.triangles.unwrap_or(0)), "is-kelp")
    })
}

/// The routes of the step.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/assets/{id}/cuts", post(page::cut))
        .route("/assets/{id}/flats", post(page::flats))
        .route("/assets/{id}/loops", post(page::loops))
        .route("/assets/{id}/rebuilds", post(rebuild_page::rebuild))
        .route("/assets/{id}/rebuild/preview", post(rebuild_page::preview))
        .route("/assets/{id}/settings", post(page::settings))
        .route("/assets/{id}/preview/{triangles}", get(page::preview))
        .route("/assets/{id}/candidates/{number}", post(tray_page::act))
}
