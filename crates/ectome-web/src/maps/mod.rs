//! The Maps step: maps baked from the source onto a candidate's UVs.

mod form;
mod on_sheet;
mod page;
mod view;

use askama::Template;
use axum::{
    Router,
    routing::{get, post},
};

pub use on_sheet::maps_on_sheet;
pub use view::{CoarseLine, MapsView};

use crate::{
    asset::{
        frame::Frame,
        room::{Room, Says, none_yet},
        rows::Rows,
    },
    rendered::Rendered,
    state::App,
};

/// The step.
pub static ROOM: Room = Room {
    address: "maps",
    name: "Maps",
    shows_source: false,
    says,
    column: |app, rows, frame| {
        Box::pin(async move {
            let view = MapsView::of(app, rows).await?;
            Ok(Rendered::of(&Column { frame, view })?)
        })
    },
};

#[derive(Template)]
#[template(path = "asset_maps.html")]
struct Column<'a> {
    frame: &'a Frame,
    view: MapsView,
}

fn says(rows: &Rows) -> Says {
    match rows.maps_of_shown() {
        Some(_) => ("baked".to_owned(), "is-kelp"),
        None => none_yet(),
    }
}

/// The routes of the step.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/assets/{id}/bakes/{number}", post(page::bake))
        .route("/assets/{id}/bakes/{number}/{file}", get(page::file))
}
