//! The UVs step: islands and the sheet they lie on.

mod form;
mod numbers;
mod page;
pub(crate) mod sheets;
mod view;

use askama::Template;
use axum::{
    Router,
    routing::{get, post},
};

pub use view::UvView;

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
    address: "uvs",
    name: "UVs",
    shows_source: true,
    says,
    column: |app, rows, frame| {
        Box::pin(async move {
            let view = UvView::of(app, rows).await?;
            Ok(Rendered::of(&Column { frame, view })?)
        })
    },
};

#[derive(Template)]
#[template(path = "asset_uvs.html")]
struct Column<'a> {
    frame: &'a Frame,
    view: UvView,
}

fn says(rows: &Rows) -> Says {
    let shown = rows.shown();
    match shown.and_then(|c| c.uv.as_ref()) {
        Some(uv) => (
            format!("{:.0} % covered", uv.numbers.coverage_percent),
            "is-kelp",
        ),
        None => match shown.and_then(|c| c.proof.as_ref()).map(|p| p.uv_sets) {
            _ if shown.is_some_and(|c| c.changes_uvs) => ("laid out".to_owned(), "is-kelp"),
            Some(1..) => ("kept".to_owned(), "is-quiet"),
            None if rows.inspection().uv_sets > 0 => ("as imported".to_owned(), "is-quiet"),
            _ => none_yet(),
        },
    }
}

/// The routes of the step.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/assets/{id}/layouts/{number}", post(page::change))
        .route("/assets/{id}/layouts/{number}/sheet", get(page::sheet))
        .route("/assets/{id}/layouts/{number}/mesh", get(page::mesh))
        .route("/assets/{id}/layouts/{number}/numbers", get(page::numbers))
        .route("/assets/{id}/layouts/{number}/path", get(page::path))
}
