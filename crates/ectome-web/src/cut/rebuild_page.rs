//! What the Rebuild manner of the Cut step does: shows a coarse skin, makes a fine one, or all of it in one go.

use axum::{
    extract::State,
    http::{HeaderMap, HeaderName, header::CONTENT_TYPE},
    response::{IntoResponse, Response},
};
use ectome_recipe::dressing;
use ectome_store::skin::Onward;
use serde_json::json;

use super::rebuild_form::settings;
use crate::{
    extract::Path,
    failure::Failure,
    fields::Fields,
    reply::{back, no_brief, ready_asset, target},
    state::App,
};

/// `POST /assets/{id}/rebuild/preview`: a coarse skin as a GLB; what was closed stands in a header, as JSON.
pub async fn preview(
    State(app): State<App>,
    Path(id): Path<u64>,
    f: Fields,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    let settings = settings(&f, target(f.text("triangles"), &asset)?)?;
    let (glb, report) = (app.open.preview_skin(&app.store, &asset, settings))
        .await
        .map_err(Failure::or_later)?;
    let openings: Vec<_> = report
        .openings
        .iter()
        .take(MARKED)
        .map(|o| o.at_m)
        .collect();
    let says = json!({
        "detail_mm": report.cell_mm, "openings": openings, "closed": report.closed_openings,
        "components": report.components,
    });
    let headers = [
        (CONTENT_TYPE, "model/gltf-binary".to_owned()),
        (HeaderName::from_static("x-skin"), says.to_string()),
    ];
    Ok((headers, glb).into_response())
}

/// Openings that are marked on the stage.
pub const MARKED: usize = 20;

/// `POST /assets/{id}/rebuilds`: a skin; with `do=all` also cut, unwrapped and baked as the brief asks.
pub async fn rebuild(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
    f: Fields,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    let triangles = target(f.text("triangles"), &asset)?;
    let settings = settings(&f, triangles)?;
    let onward = match f.text("do") {
        "all" => {
            let briefs = app.store.briefs().await?;
            let brief = briefs.into_iter().find(|b| b.id == asset.brief);
            let (uv, maps) = dressing::of_skin(&brief.ok_or_else(no_brief)?.brief);
            Some(Onward {
                triangles,
                uv,
                maps,
            })
        }
        _ => None,
    };
    let hash = app.store.ask_for_skin(&asset, settings, onward).await?;
    let tray = app.store.tray(id).await?;
    let number = tray.iter().find(|c| c.hash == hash).map(|c| c.number);
    Ok(back(&headers, id, "cut", number))
}
