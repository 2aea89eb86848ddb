//! What the Maps step does: bakes, and hands maps over.

use axum::{
    body::Body,
    extract::State,
    http::{HeaderMap, StatusCode, header},
    response::{IntoResponse, Response},
};
use ectome_recipe::Artefact;
use ectome_store::candidate::{Candidate, CandidateState};

use super::form::settings;
use crate::{
    extract::Path,
    failure::Failure,
    fields::Fields,
    reply::{back, ready_asset},
    state::App,
    words,
};

async fn made(app: &App, id: u64, number: u32) -> Result<Candidate, Failure> {
    let tray = app.store.tray(id).await?;
    let found = tray.into_iter().find(|c| c.number == number);
    found
        .filter(|c| c.state == CandidateState::Ready)
        .ok_or_else(|| {
            Failure::new(
                StatusCode::NOT_FOUND,
                format!("Candidate {number} is not there, or not made yet. Choose another."),
            )
        })
}

/// `POST /assets/{id}/bakes/{number}`: bakes maps of a candidate; `do` is `bake` or `trial`.
pub async fn bake(
    State(app): State<App>,
    Path((id, number)): Path<(u64, u32)>,
    headers: HeaderMap,
    f: Fields,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    let candidate = made(&app, id, number).await?;
    let hash = app
        .store
        .ask_for_maps(&asset, &candidate, settings(&f)?)
        .await?;
    let tray = app.store.tray(id).await?;
    let made = tray.iter().find(|c| c.hash == hash).map(|c| c.number);
    Ok(back(&headers, id, "maps", made))
}

/// `GET /assets/{id}/bakes/{number}/{file}`: `<stem>_<map>.png`, or `bake.json`.
pub async fn file(
    State(app): State<App>,
    Path((id, number, file)): Path<(u64, u32, String)>,
) -> Result<Response, Failure> {
    let asset = app.store.asset(id).await?;
    let candidate = made(&app, id, number).await?;
    let artefacts = app.store.artefacts(&candidate.hash).await?;
    let stem = words::stem(&asset.name);
    let map = file
        .strip_prefix(&format!("{stem}_"))
        .and_then(|rest| rest.strip_suffix(".png"));
    let (blob, kind) = match map {
        Some(map) => (artefacts.one_of(Artefact::MAP, map), "image/png"),
        None if file == "bake.json" => (artefacts.of(Artefact::BAKE), "application/json"),
        None => (None, ""),
    };
    let blob = blob.ok_or_else(|| {
        Failure::new(
            StatusCode::NOT_FOUND,
            format!("Candidate {number} has no {file}. Its Maps step lists what there is."),
        )
    })?;
    let (stream, size) = app.store.blobs.stream(blob).await?;
    let headers = [
        (header::CONTENT_TYPE, kind.to_owned()),
        (header::CONTENT_LENGTH, size.to_string()),
        (
            header::CONTENT_DISPOSITION,
            format!("attachment; filename=\"{file}\""),
        ),
    ];
    Ok((headers, Body::from_stream(stream)).into_response())
}
