//! Briefs: what targets ask for. A brief is read, changed, copied, taken as TOML and put in as TOML.

use askama::Template;
use axum::{
    extract::State,
    http::{HeaderMap, header},
    response::{Html, IntoResponse, Redirect, Response},
};
use ectome_formats::space::UNITS;
use ectome_recipe::{
    Brief,
    brief::{FORMATS, MAPS},
    far_end::MadeAs,
    maps::Channel,
};

use super::{
    delivery_form::DeliveryView,
    form::{brief, sentence},
};
use crate::{
    events::busy_words, extract::Path, failure::Failure, feed::LOOKED_AT, fields::Fields, judged,
    state::App, static_files::VERSION, words,
};

struct Line {
    id: u64,
    name: String,
    limits: String,
    assets: usize,
    here: bool,
}

struct TierRow {
    number: usize,
    triangles: String,
    nearest_m: String,
    screen_percent: String,
    outline_px: String,
    made: Vec<(&'static str, &'static str, bool)>,
}

/// An asset that the brief judges.
struct Judged {
    id: u64,
    name: String,
    says: String,
    class: &'static str,
}

struct Choice {
    name: &'static str,
    says: String,
    on: bool,
}

struct Open {
    id: u64,
    brief: Brief,
    tiers: Vec<TierRow>,
    maps: Vec<Choice>,
    packed: Vec<PackRow>,
    formats: Vec<Choice>,
    delivery: DeliveryView,
    units: [&'static str; 5],
    judged: Vec<Judged>,
    /// How many there are.
    uses: usize,
    pixel: String,
    toml: String,
}

/// A picture of several maps as a row of the form.
struct PackRow {
    name: String,
    channels: Vec<PackChannel>,
}

/// One of its channels, with what it can hold.
struct PackChannel {
    name: &'static str,
    maps: Vec<PackChoice>,
}

/// What a channel can hold.
struct PackChoice {
    name: String,
    says: String,
    on: bool,
}

/// The pictures of several maps that a brief has, and an empty row that adds one.
fn packed(brief: &Brief) -> Vec<PackRow> {
    let offered = Channel::offered();
    let choices = |held: Option<Channel>| {
        // What a brief in TOML asks for beyond these stays what it is.
        let own = held.filter(|h| !offered.contains(h));
        let all = offered.iter().copied().chain(own);
        let choice = |c: Channel| PackChoice {
            name: c.to_string(),
            says: c.says(),
            on: held == Some(c),
        };
        all.map(choice).collect()
    };
    let row = |name: &str, held: [Option<Channel>; 4]| PackRow {
        name: name.to_owned(),
        channels: ["red", "green", "blue", "alpha"]
            .into_iter()
            .zip(held)
            .map(|(name, held)| PackChannel {
                name,
                maps: choices(held),
            })
            .collect(),
    };
    let own = brief.packed.iter();
    let own = own.map(|p| row(&p.name, [p.red, p.green, p.blue, p.alpha]));
    own.chain([row("", [None; 4])]).collect()
}

#[derive(Template)]
#[template(path = "briefs.html")]
struct Page {
    version: &'static str,
    busy: String,
    lines: Vec<Line>,
    open: Option<Open>,
}

/// `GET /briefs`: the first of them open.
pub async fn list(State(app): State<App>) -> Result<Html<String>, Failure> {
    page(&app, None).await
}

/// `GET /briefs/{id}`
pub async fn one(State(app): State<App>, Path(id): Path<u64>) -> Result<Html<String>, Failure> {
    page(&app, Some(id)).await
}

async fn page(app: &App, id: Option<u64>) -> Result<Html<String>, Failure> {
    let briefs = app.store.briefs().await?;
    // What could not be read has nothing to be judged.
    let counts = app.store.assets_by_brief().await?;
    let work = app.store.latest_work(LOOKED_AT).await?;
    let uses = |b: u64| {
        let own = counts.iter().find(|(brief, _)| *brief == b);
        own.map_or(0, |(_, n)| *n as usize)
    };
    let chosen = match id {
        Some(id) => Some(briefs.iter().find(|b| b.id == id).ok_or_else(gone)?),
        None => briefs.iter().max_by_key(|b| uses(b.id)),
    };
    let open = match chosen {
        None => None,
        Some(row) => {
            let mut judged = Vec::new();
            let assets = app.store.assets_of_brief(row.id, MOST_JUDGED).await?;
            let ids: Vec<u64> = assets.iter().map(|a| a.id).collect();
            let mut chains = app.store.chains_of(&ids).await?;
            for asset in &assets {
                let chain = chains.remove(&asset.id).unwrap_or_default();
                let (says, class) = judged::chain_verdict(&row.brief, asset, &chain);
                judged.push(Judged {
                    id: asset.id,
                    name: asset.name.clone(),
                    class: if says.is_empty() { "is-quiet" } else { class },
                    says: if says.is_empty() {
                        "no chain yet".to_owned()
                    } else {
                        says
                    },
                });
            }
            Some(open(row.id, row.brief.clone(), judged, uses(row.id))?)
        }
    };
    let here = chosen.map(|c| c.id);
    let page = Page {
        version: *VERSION,
        busy: busy_words(&work, app.store.disk.is_low()),
        lines: briefs
            .iter()
            .map(|b| Line {
                id: b.id,
                name: b.brief.name.clone(),
                limits: limits(&b.brief),
                assets: uses(b.id),
                here: Some(b.id) == here,
            })
            .collect(),
        open,
    };
    Ok(Html(page.render()?))
}

fn limits(brief: &Brief) -> String {
    let list: Vec<String> = brief
        .tiers
        .iter()
        .map(|t| {
            if t.made.is_cut() {
                words::grouped(t.triangles)
            } else {
                format!("{} as {}", words::grouped(t.triangles), t.made.says())
            }
        })
        .collect();
    list.join(", ")
}

/// How a tier may be made: the word, as the form says it, and which it is.
fn made(now: MadeAs) -> Vec<(&'static str, &'static str, bool)> {
    let one = |m: MadeAs| (m.word(), m.says(), m == now);
    MadeAs::ALL.map(one).to_vec()
}

/// Assets that a brief lists; what else it judges is counted.
const MOST_JUDGED: u32 = 100;

fn open(id: u64, brief: Brief, judged: Vec<Judged>, uses: usize) -> Result<Open, Failure> {
    let mut tiers: Vec<TierRow> = brief
        .tiers
        .iter()
        .enumerate()
        .map(|(number, t)| TierRow {
            number,
            triangles: t.triangles.to_string(),
            nearest_m: t.nearest_m.to_string(),
            screen_percent: t.screen_percent.map_or_else(String::new, |p| p.to_string()),
            outline_px: t.outline_px.to_string(),
            made: made(t.made),
        })
        .collect();
    tiers.push(TierRow {
        number: tiers.len(),
        triangles: String::new(),
        nearest_m: String::new(),
        screen_percent: String::new(),
        outline_px: String::new(),
        made: made(MadeAs::Cut),
    });
    let choice = |list: &[&'static str], chosen: &[String]| -> Vec<Choice> {
        list.iter()
            .map(|&name| Choice {
                name,
                says: name.replace('_', " "),
                on: chosen.iter().any(|c| c == name),
            })
            .collect()
    };
    let toml = brief
        .to_toml()
        .map_err(|e| Failure::bad(sentence(&e.to_string())))?;
    Ok(Open {
        id,
        tiers,
        maps: choice(&MAPS, &brief.maps),
        packed: packed(&brief),
        formats: choice(&FORMATS, &brief.formats),
        delivery: DeliveryView::of(&brief.delivery, &brief.suffix),
        units: UNITS.map(|u| u.0),
        judged,
        uses,
        pixel: words::length(brief.pixel_m(1.0) * 1e3),
        toml,
        brief,
    })
}

fn gone() -> Failure {
    Failure::new(
        axum::http::StatusCode::NOT_FOUND,
        "There is no such brief. The list of briefs shows what there is.",
    )
}

/// `POST /briefs`: a new brief, a copy of `copy` or from `toml`.
pub async fn add(
    State(app): State<App>,
    headers: HeaderMap,
    f: Fields,
) -> Result<Response, Failure> {
    let brief = match f.numbers("copy").first() {
        Some(&id) => {
            let briefs = app.store.briefs().await?;
            let row = briefs
                .iter()
                .find(|b| b.id == u64::from(id))
                .ok_or_else(gone)?;
            let taken = |name: &str| briefs.iter().any(|b| b.brief.name == name);
            let names = (2..).map(|n| format!("{} ({n})", row.brief.name));
            let name = names.into_iter().find(|n| !taken(n)).unwrap_or_default();
            Brief {
                name,
                ..row.brief.clone()
            }
        }
        None => Brief::from_toml(f.text("toml"))
            .map_err(|e| Failure::bad(sentence(e.to_string().trim())))?,
    };
    let id = app.store.put_brief(None, &brief).await?;
    Ok(go(&headers, id))
}

/// `POST /briefs/{id}`
pub async fn save(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
    f: Fields,
) -> Result<Response, Failure> {
    if !app.store.briefs().await?.iter().any(|b| b.id == id) {
        return Err(gone());
    }
    app.store.put_brief(Some(id), &brief(&f)?).await?;
    Ok(go(&headers, id))
}

/// `POST /briefs/{id}/remove`
pub async fn remove(State(app): State<App>, Path(id): Path<u64>) -> Result<Redirect, Failure> {
    if !app.store.remove_brief(id).await? {
        return Err(Failure::bad(
            "Assets or scenes are judged by this brief. Give them another one first.",
        ));
    }
    Ok(Redirect::to("/briefs"))
}

/// `GET /briefs/{id}/toml`
pub async fn toml(State(app): State<App>, Path(id): Path<u64>) -> Result<Response, Failure> {
    let briefs = app.store.briefs().await?;
    let row = briefs.iter().find(|b| b.id == id).ok_or_else(gone)?;
    let text = row
        .brief
        .to_toml()
        .map_err(|e| Failure::bad(sentence(&e.to_string())))?;
    let headers = [
        (header::CONTENT_TYPE, "application/toml".to_owned()),
        (
            header::CONTENT_DISPOSITION,
            format!(
                "attachment; filename=\"{}.toml\"",
                words::stem(&row.brief.name)
            ),
        ),
    ];
    Ok((headers, text).into_response())
}

fn go(headers: &HeaderMap, id: u64) -> Response {
    let address = format!("/briefs/{id}");
    if headers.contains_key("hx-request") {
        [("hx-redirect", address)].into_response()
    } else {
        Redirect::to(&address).into_response()
    }
}
