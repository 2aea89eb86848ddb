//! What the Cut step does: cuts, merges flat areas, takes loops out, keeps settings, shows previews.

use axum::{
    extract::State,
    http::{HeaderMap, HeaderName, StatusCode, header::CONTENT_TYPE},
    response::{IntoResponse, Response},
};
use ectome_recipe::{Faces, LoopChoice};
use serde::Deserialize;

use super::settings_form::SettingsForm;
use crate::{
    extract::{Form, Path},
    failure::Failure,
    fields::Fields,
    reply::{back, ready_asset, target},
    state::App,
};

/// What the Cut form sends.
#[derive(Deserialize)]
pub struct CutForm {
    triangles: String,
}

/// `POST /assets/{id}/cuts`
pub async fn cut(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
    Form(form): Form<CutForm>,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    let target = target(&form.triangles, &asset)?;
    let hash = app.store.ask_for_cut(&asset, target).await?;
    let tray = app.store.tray(id).await?;
    let number = tray.iter().find(|c| c.hash == hash).map(|c| c.number);
    Ok(back(&headers, id, "cut", number))
}

/// `POST /assets/{id}/settings`: guards and attention; the analysis they need is queued.
pub async fn settings(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
    Form(form): Form<SettingsForm>,
) -> Result<Response, Failure> {
    ready_asset(&app, id).await?;
    app.store.set_settings(id, &form.settings()?).await?;
    // A page with scripts stays where it is and asks for its column again.
    Ok(if headers.contains_key("hx-request") {
        StatusCode::NO_CONTENT.into_response()
    } else {
        back(&headers, id, "cut", None)
    })
}

/// `GET /assets/{id}/preview/{triangles}`: what a cut would give, while the pin is dragged.
pub async fn preview(
    State(app): State<App>,
    Path((id, triangles)): Path<(u64, u32)>,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    let triangles = triangles.max(4) as usize;
    let (glb, made) = (app.open.preview(&app.store, &asset, triangles))
        .await
        .map_err(Failure::or_later)?;
    let headers = [
        (CONTENT_TYPE, "model/gltf-binary".to_owned()),
        (HeaderName::from_static("x-triangles"), made.to_string()),
    ];
    Ok((headers, glb).into_response())
}

/// `POST /assets/{id}/flats`: a candidate with what is flat within `within_mm` merged.
pub async fn flats(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
    f: Fields,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    let within_mm = f.number("within_mm", "The distance in millimetres", 0.0, 1e6)?;
    let outlook = app.store.outlook(&asset.recipe(4)).await?;
    let Some(flat) = outlook.and_then(|o| o.flat) else {
        return Err(Failure::bad(format!(
            "{} is still being analysed. Merge its flat areas when that is done.",
            asset.name
        )));
    };
    let expected = if within_mm > 0.0 {
        flat.near
    } else {
        flat.triangles
    };
    let faces = match f.text("faces") {
        "" => Faces::default(),
        word => Faces::of(word).ok_or_else(|| {
            Failure::bad("Flat areas are left in triangles, n-gons or quads: choose one of these.")
        })?,
    };
    let hash = (app.store)
        .ask_for_flat(&asset, within_mm, faces, expected)
        .await?;
    let tray = app.store.tray(id).await?;
    let number = tray.iter().find(|c| c.hash == hash).map(|c| c.number);
    Ok(back(&headers, id, "cut", number))
}

/// What the loops form sends.
#[derive(Deserialize)]
pub struct LoopsForm {
    every: u32,
}

/// `POST /assets/{id}/loops`: a candidate without every so-manieth edge loop.
pub async fn loops(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
    Form(form): Form<LoopsForm>,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    if !(2..=8).contains(&form.every) {
        return Err(Failure::bad(
            "One loop in 2 to one in 8 can be taken out. Choose one of these.",
        ));
    }
    let triangles = asset.inspection.as_ref().map_or(0, |i| i.triangles as u64);
    let left = 1.0 - 1.0 / f64::from(form.every);
    let expected = (triangles as f64 * left * left) as u64;
    let which = LoopChoice::Every(form.every as usize);
    let hash = app.store.ask_for_loops(&asset, which, expected).await?;
    let tray = app.store.tray(id).await?;
    let number = tray.iter().find(|c| c.hash == hash).map(|c| c.number);
    Ok(back(&headers, id, "cut", number))
}
