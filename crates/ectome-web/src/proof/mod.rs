//! The Proof step, and the proof sheet of a chain.

mod proof_sheet;
mod view;

use askama::Template;
use axum::{Router, routing::get};

pub use view::ProofView;

use crate::{
    asset::{
        frame::Frame,
        room::{Room, Says},
        rows::Rows,
    },
    judged,
    rendered::Rendered,
    state::App,
};

/// The step.
pub static ROOM: Room = Room {
    address: "proof",
    name: "Proof",
    shows_source: false,
    says,
    column: |app, rows, frame| {
        Box::pin(async move {
            let view = ProofView::of(app, rows).await?;
            Ok(Rendered::of(&Column { frame, view })?)
        })
    },
};

#[derive(Template)]
#[template(path = "asset_proof.html")]
struct Column<'a> {
    frame: &'a Frame,
    view: ProofView,
}

fn says(rows: &Rows) -> Says {
    judged::proof_says(rows.shown(), &rows.brief, &rows.asset, &rows.chain)
}

/// The routes of the proof sheet.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/assets/{id}/sheet", get(proof_sheet::page))
        .route("/assets/{id}/sheet/picture", get(proof_sheet::picture))
}
