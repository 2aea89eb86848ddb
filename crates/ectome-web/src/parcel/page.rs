//! What is handed over: a GLB per tier, the chain as a zip. And the meshes and pictures pages load.

use std::io::Write;

use axum::{
    body::Body,
    extract::State,
    http::{StatusCode, header},
    response::{IntoResponse, Response},
};
use ectome_formats::Scene;
use ectome_mesh::Progress;
use ectome_recipe::{Brief, TierResult, contents::Contents, engine, parcel, sheets};
use ectome_store::{
    asset::{Asset, PassOn, Provenance},
    candidate::{Candidate, CandidateState},
    chain::ChainTier,
    stock::StoreStock,
};
use serde_json::json;
use zip::{ZipWriter, write::SimpleFileOptions};

use crate::{extract::Path, failure::Failure, judged, reply::brief_of, state::App, words};

const GLB: &str = "model/gltf-binary";

/// `GET /mesh/{blob}`: a mesh for the stage.
pub async fn mesh(State(app): State<App>, Path(blob): Path<String>) -> Result<Response, Failure> {
    blob_response(&app, &blob, ".glb", GLB).await
}

/// `GET /picture/{blob}`: a picture for a page.
pub async fn picture(
    State(app): State<App>,
    Path(blob): Path<String>,
) -> Result<Response, Failure> {
    blob_response(&app, &blob, ".png", "image/png").await
}

async fn blob_response(
    app: &App,
    name: &str,
    extension: &str,
    kind: &'static str,
) -> Result<Response, Failure> {
    let hash = name.strip_suffix(extension).unwrap_or_default();
    let gone = || Failure::new(StatusCode::NOT_FOUND, format!("There is no file {name}."));
    if hash.len() != 64 || !hash.bytes().all(|b| b.is_ascii_hexdigit()) {
        return Err(gone());
    }
    let (stream, size) = app.store.blobs.stream(hash).await.map_err(|_| gone())?;
    let headers = [
        (header::CONTENT_TYPE, kind.to_owned()),
        (header::CONTENT_LENGTH, size.to_string()),
        (
            header::CACHE_CONTROL,
            "private, max-age=31536000, immutable".to_owned(),
        ),
    ];
    Ok((headers, Body::from_stream(stream)).into_response())
}

/// `GET /assets/{id}/download/{file}`: `<stem><the brief's suffix><n>.glb`, `<stem>_<number>.glb` or
/// `<stem>_chain.zip`.
pub async fn download(
    State(app): State<App>,
    Path((id, file)): Path<(u64, String)>,
) -> Result<Response, Failure> {
    let asset = app.store.asset(id).await?;
    let stem = words::stem(&asset.name);
    let missing = || {
        Failure::new(
            StatusCode::NOT_FOUND,
            format!(
                "{} has no {file} to download. Its Parcel step lists what there is.",
                asset.name
            ),
        )
    };
    let rest = file.strip_prefix(&stem).ok_or_else(missing)?;
    let chain = app.store.chain(id).await?;
    let brief = brief_of(&app, &asset).await?;
    if rest == "_chain.zip" {
        let complete = chain.iter().all(|t| {
            t.candidate.state == CandidateState::Ready && !t.candidate.is_out_of_date(&asset)
        });
        if chain.is_empty() || !complete {
            return Err(Failure::bad(format!(
                "The chain of {} is not complete, or out of date. Download it when every tier is made.",
                asset.name
            )));
        }
        return Ok(attachment(
            &file,
            "application/zip",
            zipped(&app, &stem, &brief, &chain, &asset).await?,
        ));
    }
    let wanted = rest.strip_suffix(".glb").ok_or_else(missing)?;
    let tier = wanted
        .strip_prefix(&brief.suffix)
        .and_then(|tier| tier.parse::<u32>().ok())
        .and_then(|tier| chain.iter().find(|t| t.tier == tier));
    let (candidate, suffix) = if let Some(found) = tier {
        let suffix = format!("{}{}", brief.suffix, found.tier);
        (found.candidate.clone(), suffix)
    } else {
        let number = wanted.strip_prefix('_').and_then(|n| n.parse::<u32>().ok());
        let number = number.ok_or_else(missing)?;
        let tray = app.store.tray(id).await?;
        let found = tray
            .into_iter()
            .find(|c| c.number == number)
            .ok_or_else(missing)?;
        (found, String::new())
    };
    if candidate.state != CandidateState::Ready {
        return Err(missing());
    }
    let scene = scene_of(&app, &asset, &candidate, &brief, suffix).await?;
    let bytes =
        run_blocking(move || parcel::glb(&scene, brief.hierarchy).map_err(unwritable(&stem)))
            .await?;
    Ok(attachment(&file, GLB, bytes))
}

fn attachment(name: &str, kind: &'static str, bytes: Vec<u8>) -> Response {
    let headers = [
        (header::CONTENT_TYPE, kind.to_owned()),
        (
            header::CONTENT_DISPOSITION,
            format!("attachment; filename=\"{name}\""),
        ),
    ];
    (headers, bytes).into_response()
}

/// What a file says of its origin, if anything is known. It stands in the file's own copyright field.
fn notice(p: &Provenance) -> Option<String> {
    let mut words: Vec<String> = Vec::new();
    let mut say = |before: &str, what: &str| {
        if !what.is_empty() {
            words.push(format!("{before}{what}."));
        }
    };
    say("By ", &p.author);
    say("From ", &p.origin);
    say("Licence: ", &p.licence);
    if p.may_pass_on == PassOn::No {
        words.push("Not to be passed on.".to_owned());
    }
    (!words.is_empty()).then(|| words.join(" "))
}

/// What a candidate is, with `suffix` behind the names of its parts and a notice of its origin.
async fn scene_of(
    app: &App,
    asset: &Asset,
    c: &Candidate,
    brief: &Brief,
    suffix: String,
) -> Result<Scene, Failure> {
    let recipe = app.store.recipe(&c.hash).await?;
    let marks = parcel::Marks {
        suffix,
        notice: notice(&asset.provenance),
        sheets: sheets::count(&recipe),
        sheets_as: brief.sheets,
        texture_px: brief.texture_px,
    };
    let progress = Progress::new();
    let stock = StoreStock::of(&app.store, asset.id, u64::MAX, &progress);
    run_blocking(move || {
        let scene = engine::scene(&recipe, &stock, &progress).map_err(|e| {
            tracing::error!(error = %e, "a candidate cannot be read back");
            Failure::new(
                StatusCode::INTERNAL_SERVER_ERROR,
                "A stored mesh is damaged. Cut it again.",
            )
        })?;
        Ok(parcel::as_tier(scene, &marks))
    })
    .await
}

/// A fault of a format, as a sentence.
fn unwritable(stem: &str) -> impl Fn(ectome_recipe::EngineError) -> Failure {
    move |e| Failure::bad(format!("{stem} cannot be written: {e}."))
}

/// The files of a tier, and what they hold.
pub(super) struct Written {
    pub files: Vec<(String, Vec<u8>)>,
    pub contents: Contents,
}

/// The files of every tier, in the formats of the brief.
pub(super) async fn written(
    app: &App,
    stem: &str,
    brief: &Brief,
    chain: &[ChainTier],
    asset: &Asset,
) -> Result<Vec<Written>, Failure> {
    let mut list = Vec::new();
    for t in chain {
        let suffix = format!("{}{}", brief.suffix, t.tier);
        let (own, formats) = (format!("{stem}{suffix}"), brief.formats.clone());
        let scene = scene_of(app, asset, &t.candidate, brief, suffix).await?;
        let tree = brief.hierarchy;
        let write = move || {
            let files = parcel::files(&own, &scene, &formats, tree).map_err(unwritable(&own))?;
            let contents = Contents::of(&scene);
            Ok(Written { files, contents })
        };
        list.push(run_blocking(write).await?);
    }
    Ok(list)
}

async fn zipped(
    app: &App,
    stem: &str,
    brief: &Brief,
    chain: &[ChainTier],
    asset: &Asset,
) -> Result<Vec<u8>, Failure> {
    let provenance = &asset.provenance;
    let written = written(app, stem, brief, chain, asset).await?;
    let mut files: Vec<(String, Vec<u8>)> = written.into_iter().flat_map(|w| w.files).collect();
    let mut tiers = Vec::new();
    for t in chain {
        let measured = judged::measured(brief, asset, &t.candidate).unwrap_or_default();
        tiers.push(match brief.tiers.get(t.tier as usize) {
            Some(tier) => json!(TierResult::of(brief, t.tier as usize, tier, &measured)),
            // The brief asks nothing of it, so there is no limit and no verdict.
            None => json!({
                "triangles": measured.triangles, "deviation_max_m": measured.deviation_max_m,
                "switch_distance_m": brief.switch_distance_m(measured.deviation_max_m),
                "verdict": "not_asked_for",
            }),
        });
    }
    let report = json!({
        "source": stem, "brief": brief.name, "tiers": tiers, "uv_sheets_are": brief.sheets.word(),
        "origin": provenance.origin, "author": provenance.author, "licence": provenance.licence,
        "may_be_passed_on": provenance.may_pass_on.word(),
    });
    let report = serde_json::to_vec_pretty(&report).unwrap_or_default();
    files.push(("chain.json".to_owned(), report));
    run_blocking(move || {
        let mut zip = ZipWriter::new(std::io::Cursor::new(Vec::new()));
        let broken = |e: &dyn std::fmt::Display| {
            tracing::error!(error = %e, "the zip could not be made");
            Failure::new(
                StatusCode::INTERNAL_SERVER_ERROR,
                "The zip could not be made. Try again.",
            )
        };
        for (name, bytes) in &files {
            zip.start_file(name.as_str(), SimpleFileOptions::default())
                .map_err(|e| broken(&e))?;
            zip.write_all(bytes).map_err(|e| broken(&e))?;
        }
        Ok(zip.finish().map_err(|e| broken(&e))?.into_inner())
    })
    .await
}

async fn run_blocking<T: Send + 'static>(
    work: impl FnOnce() -> Result<T, Failure> + Send + 'static,
) -> Result<T, Failure> {
    tokio::task::spawn_blocking(work).await.map_err(|e| {
        tracing::error!(error = %e, "work for a request failed");
        Failure::new(
            StatusCode::INTERNAL_SERVER_ERROR,
            "Ectome failed on this request. Try again.",
        )
    })?
}
