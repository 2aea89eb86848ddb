//! Parcels that were made: asked for, listed, searched, looked at, compared with the one before, downloaded.

use askama::Template;
use axum::{
    body::Body,
    extract::State,
    http::{HeaderMap, StatusCode},
    response::{Html, IntoResponse, Redirect, Response},
};
use ectome_recipe::{
    Standing,
    parcel::{
        difference::{self, Difference},
        sheet::{SHEET, Sheet},
    },
};
use ectome_store::parcel::{Parcel, ParcelFile, ParcelState, ParcelsWanted};
use serde::Deserialize;

use super::{single::headers, zipped};
use crate::{
    events::{busy_words, fingerprint},
    extract::{Path, Query},
    failure::Failure,
    feed::LOOKED_AT,
    judged,
    reply::{back, brief_of, ready_asset},
    state::App,
    static_files::VERSION,
    words,
};

/// Parcels on a page of the list.
const ON_A_PAGE: u32 = 50;

/// A parcel in a list.
pub struct ParcelLine {
    pub id: u64,
    pub asset: u64,
    pub asset_name: String,
    pub number: u32,
    pub asked: String,
    pub brief: String,
    pub verdict: &'static str,
    pub class: &'static str,
    pub size: String,
    /// Triangles of its first tier.
    pub triangles: String,
    pub fault: String,
    pub is_ready: bool,
    pub zip: String,
}

impl ParcelLine {
    /// The line of a parcel.
    pub fn of(p: Parcel) -> Self {
        let (verdict, class) = match (p.state, p.sheet.as_ref().map(|s| s.verdict)) {
            (ParcelState::Waiting, _) => ("in work", "is-quiet"),
            (ParcelState::Failed, _) => ("failed", "is-over"),
            (_, Some(standing)) => standing_words(standing),
            (_, None) => ("", ""),
        };
        let first = p.sheet.as_ref().and_then(|s| s.contents.first());
        Self {
            zip: zip_name(&p),
            triangles: first.map_or_else(String::new, |c| words::grouped(c.triangles)),
            size: match p.state {
                ParcelState::Ready => words::bytes(p.bytes),
                _ => String::new(),
            },
            is_ready: p.state == ParcelState::Ready,
            id: p.id,
            asset: p.asset,
            asset_name: p.asset_name,
            number: p.number,
            asked: p.asked,
            brief: p.brief.name,
            verdict,
            class,
            fault: p.fault.unwrap_or_default(),
        }
    }
}

fn standing_words(standing: Standing) -> (&'static str, &'static str) {
    match standing {
        Standing::Pass => ("passes", "is-pass"),
        Standing::Tight => ("tight", "is-tight"),
        Standing::Over => ("over", "is-over"),
    }
}

fn zip_name(p: &Parcel) -> String {
    format!("{}_parcel_{}.zip", words::stem(&p.asset_name), p.number)
}

/// `POST /assets/{id}/parcels`: the chain as it is now, for the brief as it is now.
pub async fn make(
    State(app): State<App>,
    Path(id): Path<u64>,
    request: HeaderMap,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    let brief = brief_of(&app, &asset).await?;
    let chain = app.store.chain(id).await?;
    if !judged::is_complete(&asset, &chain) {
        return Err(Failure::bad(format!(
            "The chain of {} is not complete, or out of date. Make every tier first, on the Chain step.",
            asset.name
        )));
    }
    app.store.ask_for_parcel(&asset, &brief, &chain).await?;
    Ok(back(&request, id, "parcel", None))
}

/// What stands behind the question mark of the list.
#[derive(Deserialize)]
pub struct Search {
    #[serde(default)]
    find: String,
    #[serde(default)]
    from: u32,
}

#[derive(Template)]
#[template(path = "parcels.html")]
struct ListPage {
    version: &'static str,
    busy: String,
    seen: String,
    find: String,
    parcels: Vec<ParcelLine>,
    /// The address of older ones.
    older: Option<String>,
}

/// `GET /parcels`
pub async fn list(
    State(app): State<App>,
    Query(search): Query<Search>,
) -> Result<Html<String>, Failure> {
    let work = app.store.latest_work(LOOKED_AT).await?;
    let wanted = ParcelsWanted {
        search: search.find.clone(),
        most: ON_A_PAGE + 1,
        from: search.from,
        ..ParcelsWanted::default()
    };
    let mut found = app.store.parcels(&wanted).await?;
    let more = found.len() > ON_A_PAGE as usize;
    found.truncate(ON_A_PAGE as usize);
    let find = percent(&search.find);
    let page = ListPage {
        version: *VERSION,
        seen: fingerprint(&work, None),
        busy: busy_words(&work, app.store.disk.is_low()),
        older: more.then(|| format!("/parcels?find={find}&from={}", search.from + ON_A_PAGE)),
        find: search.find,
        parcels: found.into_iter().map(ParcelLine::of).collect(),
    };
    Ok(Html(page.render()?))
}

/// A text in the query of an address.
fn percent(text: &str) -> String {
    text.bytes().map(|b| format!("%{b:02X}")).collect()
}

struct FileRow {
    name: String,
    of: String,
    bytes: String,
    blake3: String,
}

impl FileRow {
    /// A file with what the sheet says of it. Of its own two files the sheet says nothing.
    fn of(file: &ParcelFile, sheet: Option<&Sheet>) -> Self {
        let line = sheet.and_then(|s| s.files.iter().find(|f| f.name == file.name));
        Self {
            name: file.name.clone(),
            of: line.map_or_else(|| SHEET.to_owned(), |f| f.of.clone()),
            bytes: words::bytes(file.bytes),
            blake3: line.map_or_else(String::new, |f| f.blake3.chars().take(12).collect()),
        }
    }
}

struct TierRow {
    name: String,
    verdict: &'static str,
    class: &'static str,
    says: String,
    figures: String,
    textures: Vec<String>,
}

#[derive(Template)]
#[template(path = "parcel.html")]
struct OnePage {
    version: &'static str,
    busy: String,
    seen: String,
    line: ParcelLine,
    beside: String,
    tiers: Vec<TierRow>,
    checks: Vec<(String, String, bool)>,
    files: Vec<FileRow>,
    /// The number of the parcel before, and what is another since.
    since: Option<(u32, Vec<Difference>)>,
    forbidden: Option<String>,
}

/// `GET /parcels/{id}`
pub async fn one(State(app): State<App>, Path(id): Path<u64>) -> Result<Html<String>, Failure> {
    let work = app.store.latest_work(LOOKED_AT).await?;
    let parcel = app.store.parcel(id).await?;
    let wanted = ParcelsWanted {
        asset: Some(parcel.asset),
        most: 1000,
        ..ParcelsWanted::default()
    };
    let others = app.store.parcels(&wanted).await?;
    let before = others
        .into_iter()
        .filter(|p| p.number < parcel.number)
        .find_map(|p| Some((p.number, p.sheet?)));
    let sheet = parcel.sheet.clone();
    let files = app.store.parcel_files(id).await?;
    let page = OnePage {
        version: *VERSION,
        seen: fingerprint(&work, Some(parcel.asset)),
        busy: busy_words(&work, app.store.disk.is_low()),
        beside: sheet.as_ref().map_or_else(String::new, beside),
        tiers: sheet.as_ref().map_or_else(Vec::new, tier_rows),
        checks: sheet
            .iter()
            .flat_map(|s| &s.checks)
            .map(|c| (c.what.clone(), c.says.clone(), c.passes))
            .collect(),
        files: files
            .iter()
            .map(|f| FileRow::of(f, sheet.as_ref()))
            .collect(),
        since: before
            .zip(sheet.as_ref())
            .map(|((number, before), now)| (number, difference::between(&before, now))),
        forbidden: sheet
            .as_ref()
            .filter(|s| s.provenance.may_be_passed_on == "no")
            .map(|s| s.provenance.licence.clone()),
        line: ParcelLine::of(parcel),
    };
    Ok(Html(page.render()?))
}

/// Source beside result, in sentences.
fn beside(s: &Sheet) -> String {
    let first = s.contents.first();
    format!(
        "The source: {}, {} triangles, {}. The parcel: {} ({:.1} %), {} triangles, {} and {} in its first tier.",
        words::bytes(s.source_bytes),
        words::grouped(s.source_triangles as u64),
        words::counted(s.source_materials as u64, "material"),
        words::bytes(s.bytes),
        s.bytes as f64 * 100.0 / s.source_bytes.max(1) as f64,
        words::grouped(first.map_or(0, |c| c.triangles)),
        words::counted(first.map_or(0, |c| c.materials) as u64, "material"),
        words::counted(first.map_or(0, |c| c.draw_calls) as u64, "draw call"),
    )
}

fn tier_rows(s: &Sheet) -> Vec<TierRow> {
    let contents = s.contents.iter().enumerate();
    contents
        .map(|(n, held)| {
            let result = s.tiers.get(n);
            let (verdict, class) = result.map_or(("", ""), |t| standing_words(t.verdict));
            TierRow {
                name: format!("LOD{n}"),
                verdict,
                class,
                says: result.map_or_else(String::new, |t| t.says.clone()),
                figures: figures(held),
                textures: held.textures.iter().map(texture_words).collect(),
            }
        })
        .collect()
}

/// What a tier holds, in a line.
pub fn figures(held: &ectome_recipe::parcel::contents::Contents) -> String {
    format!(
        "{} triangles, {} vertices, {}, {}, {}, {} of textures on the device",
        words::grouped(held.triangles),
        words::grouped(held.vertices),
        words::counted(held.objects as u64, "object"),
        words::counted(held.materials as u64, "material"),
        words::counted(held.draw_calls as u64, "draw call"),
        words::bytes(held.device_bytes()),
    )
}

/// What a texture is, in a line.
pub fn texture_words(t: &ectome_recipe::parcel::contents::Texture) -> String {
    let space = if t.is_colour { "sRGB" } else { "linear" };
    let halved = t.halved_db.map_or_else(String::new, |db| {
        format!(", {db:.0} dB kept at half the size")
    });
    format!(
        "{}: {} × {}, {}, {space}, {}, {} on the device{halved}",
        t.name,
        t.width,
        t.height,
        t.format,
        words::bytes(t.bytes),
        words::bytes(t.device_bytes)
    )
}

fn not_made(p: &Parcel) -> Failure {
    Failure::new(
        StatusCode::NOT_FOUND,
        format!(
            "Parcel {} of {} is not made. Its Parcel step says how far it is.",
            p.number, p.asset_name
        ),
    )
}

/// `GET /parcels/{id}/files/{name}`: one file, or all of them as the zip that the list names.
pub async fn file(
    State(app): State<App>,
    Path((id, name)): Path<(u64, String)>,
) -> Result<Response, Failure> {
    let parcel = app.store.parcel(id).await?;
    if parcel.state != ParcelState::Ready {
        return Err(not_made(&parcel));
    }
    let files = app.store.parcel_files(id).await?;
    if name == zip_name(&parcel) {
        let body = zipped::body(app.store.clone(), files);
        return Ok((headers(&name, "application/zip"), body).into_response());
    }
    let found = files.into_iter().find(|f| f.name == name).ok_or_else(|| {
        Failure::new(
            StatusCode::NOT_FOUND,
            format!("Parcel {} has no file {name}.", parcel.number),
        )
    })?;
    let gone = |_| {
        Failure::new(
            StatusCode::INTERNAL_SERVER_ERROR,
            "The file is not where it was kept. Make the parcel again.",
        )
    };
    let (stream, _) = app.store.blobs.stream(&found.blob).await.map_err(gone)?;
    let kind = match name.rsplit('.').next() {
        Some("glb") => "model/gltf-binary",
        Some("gltf") => "model/gltf+json",
        Some("png") => "image/png",
        Some("jpg") => "image/jpeg",
        Some("webp") => "image/webp",
        Some("json") => "application/json",
        _ => "application/octet-stream",
    };
    Ok((headers(&name, kind), Body::from_stream(stream)).into_response())
}

/// `POST /parcels/{id}/remove`
pub async fn remove(State(app): State<App>, Path(id): Path<u64>) -> Result<Redirect, Failure> {
    app.store.remove_parcel(id).await?;
    Ok(Redirect::to("/parcels"))
}
