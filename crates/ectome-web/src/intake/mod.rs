//! The Intake step: what came, what is wrong with it, what was done about it.

mod form_view;
mod page;
mod view;

use askama::Template;
use axum::{
    Router,
    routing::{get, post},
};
use ectome_store::asset::AssetState;

pub use form_view::FieldView;
pub use view::IntakeView;

use crate::{
    asset::{
        frame::Frame,
        room::{Room, Says},
        rows::Rows,
    },
    rendered::Rendered,
    state::App,
    words,
};

/// The step.
pub static ROOM: Room = Room {
    address: "intake",
    name: "Intake",
    shows_source: false,
    says,
    column: |app, rows, frame| {
        Box::pin(async move {
            let view = IntakeView::of(app, rows).await?;
            Ok(Rendered::of(&Column { frame, view })?)
        })
    },
};

#[derive(Template)]
#[template(path = "asset_intake.html")]
struct Column<'a> {
    frame: &'a Frame,
    view: IntakeView,
}

fn says(rows: &Rows) -> Says {
    match (rows.asset.state(), rows.inspection().findings.len()) {
        (AssetState::Failed, _) => ("could not be read".to_owned(), "is-over"),
        (AssetState::Arriving, _) => ("in work".to_owned(), "is-quiet"),
        (AssetState::Ready, 0) => ("clean".to_owned(), "is-quiet"),
        (AssetState::Ready, n) => (words::counted(n as u64, "finding"), "is-tight"),
    }
}

/// The routes of the step.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/assets/{id}/changes", post(page::add))
        .route("/assets/{id}/changes/preview", post(page::preview))
        .route("/assets/{id}/changes/{at}/remove", post(page::remove))
        .route("/assets/{id}/marks/{finding}", get(page::marks))
        .route("/assets/{id}/provenance", post(page::provenance))
}
