//! The UVs step: what it does, and the sheet as scripts ask for it.

use askama::Template;
use axum::{
    extract::State,
    http::{HeaderMap, header},
    response::{Html, IntoResponse, Response},
};
use ectome_recipe::{Recipe, SeamMark};
use ectome_store::{asset::Asset, candidate::Candidate};
use serde::Deserialize;
use serde_json::json;
use tokio::task::spawn_blocking;

use super::{
    form,
    numbers::{UvNumbersView, uv_numbers},
    sheets::{Looked, Wanted},
};
use crate::{
    extract::{Path, Query},
    failure::Failure,
    fields::Fields,
    maps::maps_on_sheet,
    reply::{back, brief_of, made, ready_asset},
    state::App,
};

/// A mesh whose UVs are looked at: a candidate, or the source under number 0.
struct Chosen {
    asset: Asset,
    candidate: Option<Candidate>,
    /// The key of the recipe that makes it.
    key: String,
    size: u32,
    sheets: u32,
    wanted_density: f64,
}

async fn chosen(app: &App, id: u64, number: u32) -> Result<Chosen, Failure> {
    let asset = ready_asset(app, id).await?;
    let brief = brief_of(app, &asset).await?;
    let (candidate, key) = match number {
        0 => (None, Recipe::whole(&asset.source, &asset.preparation).key()),
        n => {
            let ready = made(app, id, n).await?;
            let key = ready.hash.clone();
            (Some(ready), key)
        }
    };
    let sheets = match &candidate {
        Some(c) => {
            let steps = app.store.uv_steps(&c.hash).await?;
            steps.last().map_or(1, |s| s.packing.sheet.sheets)
        }
        None => 1,
    };
    Ok(Chosen {
        sheets,
        asset,
        candidate,
        key,
        size: brief.texture_px,
        wanted_density: brief.texels_per_metre,
    })
}

async fn looked(app: &App, c: &Chosen) -> Result<std::sync::Arc<Looked>, Failure> {
    let recipe = match &c.candidate {
        Some(candidate) => app.store.recipe(&candidate.hash).await?,
        None => Recipe::whole(&c.asset.source, &c.asset.preparation),
    };
    let wanted = Wanted {
        asset: c.asset.id,
        key: &c.key,
        recipe,
        size: c.size,
        sheets: c.sheets,
    };
    app.sheets.of(&app.store, wanted).await
}

/// `POST /assets/{id}/layouts/{number}`: a candidate with other UVs, from candidate `number` or, for 0, from the source.
pub async fn change(
    State(app): State<App>,
    Path((id, number)): Path<(u64, u32)>,
    headers: HeaderMap,
    f: Fields,
) -> Result<Response, Failure> {
    let c = chosen(&app, id, number).await?;
    let (store, from) = (&app.store, c.candidate.as_ref());
    let hash = match f.text("do") {
        "merge" => {
            let merge = form::merge(&f, c.size)?;
            store
                .ask_for_merged_materials(&c.asset, from, merge)
                .await?
        }
        _ => {
            let step = form::step(&f, c.size)?;
            store.ask_for_uvs(&c.asset, from, step).await?
        }
    };
    let tray = app.store.tray(id).await?;
    let made = tray.iter().find(|c| c.hash == hash).map(|c| c.number);
    Ok(back(&headers, id, "uvs", made))
}

/// `GET /assets/{id}/layouts/{number}/sheet`: islands and numbers as JSON.
pub async fn sheet(
    State(app): State<App>,
    Path((id, number)): Path<(u64, u32)>,
) -> Result<Response, Failure> {
    let c = chosen(&app, id, number).await?;
    let looked = looked(&app, &c).await?;
    let s = &looked.sheet;
    let maps = match &c.candidate {
        Some(candidate) => maps_on_sheet(&app, candidate, c.sheets).await?,
        None => Vec::new(),
    };
    let body = json!({
        "size": c.size, "sheets": c.sheets, "wanted": c.wanted_density, "numbers": s.report, "islands": s.islands, "parts": s.parts,
        "textures": s.textures, "maps": maps,
        "mesh": (!s.mesh.is_empty()).then(|| format!("/assets/{id}/layouts/{number}/mesh?of={}", &c.key[..16])),
    });
    Ok((
        [(header::CONTENT_TYPE, "application/json")],
        body.to_string(),
    )
        .into_response())
}

/// `GET /assets/{id}/layouts/{number}/mesh`: the surface as GLB with what colours it.
pub async fn mesh(
    State(app): State<App>,
    Path((id, number)): Path<(u64, u32)>,
) -> Result<Response, Failure> {
    let c = chosen(&app, id, number).await?;
    let looked = looked(&app, &c).await?;
    Ok((
        [(header::CONTENT_TYPE, "model/gltf-binary")],
        looked.sheet.mesh.clone(),
    )
        .into_response())
}

#[derive(Template)]
#[template(path = "uv_numbers.html")]
struct Numbers {
    id: u64,
    number: u32,
    n: UvNumbersView,
}

/// `GET /assets/{id}/layouts/{number}/numbers`: the numbers and what is wrong, as a partial.
pub async fn numbers(
    State(app): State<App>,
    Path((id, number)): Path<(u64, u32)>,
) -> Result<Html<String>, Failure> {
    let c = chosen(&app, id, number).await?;
    let looked = looked(&app, &c).await?;
    let n = uv_numbers(&looked.sheet, c.size, c.wanted_density);
    Ok(Html(Numbers { id, number, n }.render()?))
}

/// Two places on the surface.
#[derive(Deserialize)]
pub struct Ends {
    from: String,
    to: String,
}

/// `GET /assets/{id}/layouts/{number}/path?from=x,y,z&to=x,y,z`: the way a seam would take, as JSON: places in metres.
pub async fn path(
    State(app): State<App>,
    Path((id, number)): Path<(u64, u32)>,
    Query(ends): Query<Ends>,
) -> Result<Response, Failure> {
    let place = |text: &str| -> Option<[f32; 3]> {
        let list: Vec<f32> = text
            .split(',')
            .filter_map(|n| n.trim().parse().ok())
            .collect();
        list.try_into()
            .ok()
            .filter(|p: &[f32; 3]| p.iter().all(|v| v.is_finite()))
    };
    let (Some(from), Some(to)) = (place(&ends.from), place(&ends.to)) else {
        return Err(Failure::bad(
            "A seam needs two places, each as x,y,z in metres.",
        ));
    };
    let c = chosen(&app, id, number).await?;
    let looked = looked(&app, &c).await?;
    if looked.triangles() > ectome_recipe::uv::MANY * 5 {
        return Err(Failure::bad(
            "Seams are marked on meshes of up to 500 000 triangles. Cut this one first.",
        ));
    }
    let places = spawn_blocking(move || {
        let ground = looked.ground();
        let edges = ground.path(&SeamMark {
            from,
            to,
            seam: true,
        });
        edges
            .iter()
            .map(|&e| {
                ground.surface.edges[e as usize]
                    .points
                    .map(|p| ground.surface.points[p as usize].as_vec3().to_array())
            })
            .collect::<Vec<_>>()
    })
    .await
    .map_err(|_| Failure::bad("The way between these places could not be found. Pick others."))?;
    if places.is_empty() {
        return Err(Failure::bad(
            "No edges lead from one place to the other. Pick two on one piece of the surface.",
        ));
    }
    Ok((
        [(header::CONTENT_TYPE, "application/json")],
        json!(places).to_string(),
    )
        .into_response())
}
