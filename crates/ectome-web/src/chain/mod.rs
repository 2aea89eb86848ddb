//! The Chain step: a candidate for each tier of the brief, judged.

mod far_end;
mod page;
mod view;

use askama::Template;
use axum::{Router, routing::post};

pub use view::{ChainView, standing_of};

use crate::{
    asset::{
        frame::Frame,
        room::{Room, Says, none_yet},
        rows::Rows,
    },
    judged,
    rendered::Rendered,
    state::App,
};

/// The step.
pub static ROOM: Room = Room {
    address: "chain",
    name: "Chain",
    shows_source: false,
    says,
    column: |_, rows, frame| {
        Box::pin(async move {
            let view = ChainView::of(rows);
            Ok(Rendered::of(&Column { frame, view })?)
        })
    },
};

#[derive(Template)]
#[template(path = "asset_chain.html")]
struct Column<'a> {
    frame: &'a Frame,
    view: ChainView,
}

fn says(rows: &Rows) -> Says {
    if rows.chain.is_empty() {
        none_yet()
    } else {
        judged::chain_verdict(&rows.brief, &rows.asset, &rows.chain)
    }
}

/// The routes of the step.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/assets/{id}/chains", post(page::fill))
        .route("/assets/{id}/stand-ins", post(far_end::stand_in))
        .route("/assets/{id}/tiers/{tier}", post(page::tier))
}
