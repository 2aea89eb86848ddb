//! What the Maps step does: bakes, and hands maps over.

use axum::{
    body::Body,
    extract::State,
    http::{HeaderMap, StatusCode, header},
    response::{IntoResponse, Response},
};
use ectome_recipe::Artefact;

use super::form::settings;
use crate::{
    extract::Path,
    failure::Failure,
    fields::Fields,
    reply::{back, brief_of, made, ready_asset},
    state::App,
    words,
};

/// `POST /assets/{id}/bakes/{number}`: bakes maps of a candidate; `do` is `bake`, `trial` or `again`.
pub async fn bake(
    State(app): State<App>,
    Path((id, number)): Path<(u64, u32)>,
    headers: HeaderMap,
    f: Fields,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    let candidate = made(&app, id, number).await?;
    let brief = brief_of(&app, &asset).await?;
    let recipe = app.store.recipe(&candidate.hash).await?;
    let wanted = settings(&f, &brief.packed, recipe.own_bake())?;
    let hash = app.store.ask_for_maps(&asset, &candidate, wanted).await?;
    let tray = app.store.tray(id).await?;
    let made = tray.iter().find(|c| c.hash == hash).map(|c| c.number);
    Ok(back(&headers, id, "maps", made))
}

/// `GET /assets/{id}/bakes/{number}/{file}`: `<stem>_<map>.png`, `<stem>_<map>_legend.svg`, or `bake.json`.
pub async fn file(
    State(app): State<App>,
    Path((id, number, file)): Path<(u64, u32, String)>,
) -> Result<Response, Failure> {
    let asset = app.store.asset(id).await?;
    let candidate = made(&app, id, number).await?;
    let artefacts = app.store.artefacts(&candidate.hash).await?;
    let stem = words::stem(&asset.name);
    let own = file.strip_prefix(&format!("{stem}_"));
    let map = own.and_then(|rest| rest.strip_suffix(".png"));
    let legend = own.and_then(|rest| rest.strip_suffix("_legend.svg"));
    let (blob, kind) = match (map, legend) {
        (Some(map), _) => (artefacts.one_of(Artefact::MAP, map), "image/png"),
        (_, Some(map)) => (artefacts.one_of(Artefact::LEGEND, map), "image/svg+xml"),
        _ if file == "bake.json" => (artefacts.of(Artefact::BAKE), "application/json"),
        _ => (None, ""),
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
