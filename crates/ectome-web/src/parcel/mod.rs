//! The Parcel step, parcels that were made, and the blobs that pages load.

mod blobs;
mod files;
mod kept;
mod single;
mod view;
mod zipped;

use askama::Template;
use axum::{
    Router,
    routing::{get, post},
};

pub use single::headers;
pub use view::{First, ParcelView};
pub use zipped::body as zipped;

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
    address: "parcel",
    name: "Parcel",
    shows_source: false,
    says,
    column: |app, rows, frame| {
        Box::pin(async move {
            let view = ParcelView::of(app, rows).await?;
            Ok(Rendered::of(&Column { frame, view })?)
        })
    },
};

#[derive(Template)]
#[template(path = "asset_parcel.html")]
struct Column<'a> {
    frame: &'a Frame,
    view: ParcelView,
}

fn says(rows: &Rows) -> Says {
    if judged::failed(&rows.chain) > 0 {
        return ("a tier is missing".to_owned(), "is-over");
    }
    if !judged::is_complete(&rows.asset, &rows.chain) {
        return ("waits for a chain".to_owned(), "is-quiet");
    }
    match judged::chain_verdict(&rows.brief, &rows.asset, &rows.chain).1 {
        "is-pass" => ("ready".to_owned(), "is-pass"),
        _ => ("ready, does not pass".to_owned(), "is-over"),
    }
}

/// The routes of parcels, of downloads and of blobs.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/assets/{id}/download/{file}", get(single::download))
        .route("/assets/{id}/parcel/files", get(files::files))
        .route("/assets/{id}/parcels", post(kept::make))
        .route("/parcels", get(kept::list))
        .route("/parcels/{id}", get(kept::one))
        .route("/parcels/{id}/files/{name}", get(kept::file))
        .route("/parcels/{id}/remove", post(kept::remove))
        .route("/mesh/{blob}", get(blobs::mesh))
        .route("/picture/{blob}", get(blobs::picture))
}
