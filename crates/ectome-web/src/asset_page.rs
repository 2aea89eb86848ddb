//! One asset: the Rule, the stage, the steps.

use askama::Template;
use axum::{
    extract::State,
    http::{HeaderMap, HeaderName, StatusCode, header::CONTENT_TYPE},
    response::{Html, IntoResponse, Redirect, Response},
};
use ectome_recipe::{Attention, Ball, CutSettings, Keep, LoopChoice, Region};
use ectome_store::{
    asset::{Asset, AssetState},
    work::Work,
};
use serde::Deserialize;

use crate::{
    app::App,
    asset_view::{View, view},
    events::{busy_words, fingerprint},
    extract::{Form, Path, Query},
    failure::Failure,
    feed::LOOKED_AT,
    health,
    statics::VERSION,
    words,
};

/// What the address says beyond the path.
#[derive(Deserialize)]
pub struct Shown {
    /// The number of the candidate on the stage.
    show: Option<u32>,
}

#[derive(Template)]
#[template(path = "asset.html")]
struct Page {
    version: &'static str,
    view: View,
    lines: Vec<DoingLine>,
    full: Option<String>,
    busy: String,
    seen: String,
}

#[derive(Template)]
#[template(path = "asset_panel.html")]
struct Panel {
    view: View,
}

/// `GET /assets/{id}`
pub async fn default_step(Path(id): Path<u64>) -> Redirect {
    Redirect::to(&format!("/assets/{id}/cut"))
}

/// `GET /assets/{id}/{step}`
pub async fn page(
    State(app): State<App>,
    Path((id, step)): Path<(u64, String)>,
    Query(shown): Query<Shown>,
) -> Result<Html<String>, Failure> {
    // First the work, then what it made: what is done in between is told by the events.
    let work = app.store.latest_work(LOOKED_AT).await?;
    let view = view(&app, id, &step, shown.show).await?;
    let page = Page {
        seen: fingerprint(&work, Some(id)),
        version: *VERSION,
        busy: busy_words(&work, app.store.disk.is_low()),
        lines: doing_lines(&work, id),
        full: health::waiting(&app.store),
        view,
    };
    Ok(Html(page.render()?))
}

/// `GET /assets/{id}/{step}/panel`
pub async fn panel(
    State(app): State<App>,
    Path((id, step)): Path<(u64, String)>,
    Query(shown): Query<Shown>,
) -> Result<Html<String>, Failure> {
    let view = view(&app, id, &step, shown.show).await?;
    Ok(Html(Panel { view }.render()?))
}

#[derive(Template)]
#[template(path = "doing.html")]
struct Doing {
    lines: Vec<DoingLine>,
    full: Option<String>,
}

struct DoingLine {
    id: u64,
    title: String,
    stage: String,
    percent: u32,
}

/// The work of one asset that is under way, as a partial; `full` says that it waits for room on the disk.
pub fn doing(work: &[Work], asset: u64, full: Option<String>) -> Result<String, Failure> {
    let lines = doing_lines(work, asset);
    Ok(Doing { lines, full }.render()?)
}

fn doing_lines(work: &[Work], asset: u64) -> Vec<DoingLine> {
    work.iter()
        .rev()
        .filter(|w| w.asset == asset && !w.state.is_over())
        .map(|w| DoingLine {
            id: w.id,
            title: w.doing(),
            stage: match w.stage.as_str() {
                "" => "Waiting its turn".to_owned(),
                stage => stage.to_owned(),
            },
            percent: (w.fraction * 100.0) as u32,
        })
        .collect()
}

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

/// What the settings form sends: boxes that are not ticked are absent.
#[derive(Deserialize)]
pub struct SettingsForm {
    seams: Option<String>,
    creases: Option<String>,
    crease_angle: Option<String>,
    borders: Option<String>,
    materials: Option<String>,
    parts: Option<String>,
    /// Six amounts, comma-separated, in the order of [`Attention::of`].
    attention: String,
    /// Balls as JSON.
    region: String,
    inverse: Option<String>,
    /// Percent.
    weight_percent: Option<String>,
    reuse_repeats: Option<String>,
    reuse_halves: Option<String>,
    let_parts_go: Option<String>,
}

/// The most balls a painted region may have.
const MOST_BALLS: usize = 4000;

impl SettingsForm {
    fn weight(&self) -> Result<f32, Failure> {
        let text = self.weight_percent.as_deref().unwrap_or("100").trim();
        let percent = text
            .parse::<f32>()
            .ok()
            .filter(|p| (0.0..=100.0).contains(p));
        percent
            .map(|p| p / 100.0)
            .ok_or_else(|| Failure::bad("The strength of a region is 0 to 100 percent."))
    }

    fn settings(&self) -> Result<CutSettings, Failure> {
        let amounts: Vec<f32> = self
            .attention
            .split(',')
            .filter_map(|n| n.trim().parse().ok())
            .collect();
        let attention = <[f32; 6]>::try_from(amounts)
            .ok()
            .and_then(Attention::of)
            .ok_or_else(|| Failure::bad("Attention needs six shares, none of them below zero."))?;
        let creases = match (&self.creases, &self.crease_angle) {
            (None, _) => None,
            (Some(_), angle) => {
                let angle = angle.as_deref().unwrap_or("35").trim().replace('°', "");
                let degrees = angle.parse().ok().filter(|a| *a > 0.0 && *a < 180.0);
                Some(degrees.ok_or_else(|| {
                    Failure::bad("An edge is hard above an angle between 0 and 180 degrees.")
                })?)
            }
        };
        let balls: Vec<Ball> = match self.region.trim() {
            "" => Vec::new(),
            text => serde_json::from_str(text).map_err(|_| {
                Failure::bad("The painted region could not be read. Clear it and paint again.")
            })?,
        };
        if balls.len() > MOST_BALLS {
            return Err(Failure::bad(
                "The painted region has too many strokes. Clear it and paint with a larger brush.",
            ));
        }
        Ok(CutSettings {
            keep: Keep {
                borders: self.borders.is_some(),
                seams: self.seams.is_some(),
                creases,
                materials: self.materials.is_some(),
                parts: self.parts.is_some(),
            },
            attention,
            region: Region {
                balls,
                inverse: self.inverse.is_some(),
                weight: self.weight()?,
            },
            reuse_repeats: self.reuse_repeats.is_some(),
            reuse_halves: self.reuse_halves.is_some(),
            let_parts_go: self.let_parts_go.is_some(),
        })
    }
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
    let (glb, made) = app.open.preview(&app.store, &asset, triangles).await?;
    let headers = [
        (CONTENT_TYPE, "model/gltf-binary".to_owned()),
        (HeaderName::from_static("x-triangles"), made.to_string()),
    ];
    Ok((headers, glb).into_response())
}

/// `POST /assets/{id}/flats`: a candidate with the flat regions merged.
pub async fn flats(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    let outlook = app.store.outlook(&asset.recipe(4)).await?;
    let Some(expected) = outlook.and_then(|o| o.flat) else {
        return Err(Failure::bad(format!(
            "{} is still being analysed. Merge its flat areas when that is done.",
            asset.name
        )));
    };
    let hash = app.store.ask_for_flat(&asset, expected).await?;
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

/// What the brief form sends.
#[derive(Deserialize)]
pub struct BriefForm {
    brief: u64,
}

/// `POST /assets/{id}/brief`
pub async fn brief(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
    Form(form): Form<BriefForm>,
) -> Result<Response, Failure> {
    app.store.asset(id).await?;
    if !app.store.briefs().await?.iter().any(|b| b.id == form.brief) {
        return Err(Failure::bad(
            "That brief does not exist any more. Choose another.",
        ));
    }
    app.store.set_brief(id, form.brief).await?;
    Ok(back(&headers, id, "chain", None))
}

/// `POST /assets/{id}/remove`
pub async fn remove(State(app): State<App>, Path(id): Path<u64>) -> Result<Redirect, Failure> {
    app.store.asset(id).await?;
    app.store.remove_asset(id).await?;
    Ok(Redirect::to("/"))
}

pub(crate) async fn ready_asset(app: &App, id: u64) -> Result<Asset, Failure> {
    let asset = app.store.asset(id).await?;
    match asset.state() {
        AssetState::Ready => Ok(asset),
        AssetState::Arriving => Err(Failure::bad(format!(
            "The intake of {} is not finished. Cut it when its triangles are counted.",
            asset.name
        ))),
        AssetState::Failed => Err(Failure::bad(format!(
            "{} could not be read, so there is nothing to cut. Drop a repaired file on the Assets page.",
            asset.name
        ))),
    }
}

/// A typed target; groups may be set apart by spaces or thin spaces.
pub(crate) fn target(text: &str, asset: &Asset) -> Result<u32, Failure> {
    let digits: String = text.chars().filter(|c| !c.is_whitespace()).collect();
    let source = asset.inspection.as_ref().map_or(0, |i| i.triangles);
    let n: u32 = digits.parse().map_err(|_| {
        Failure::bad(format!(
            "“{text}” is no count of triangles. Type a whole number, such as 6000."
        ))
    })?;
    if n < 4 {
        return Err(Failure::bad(format!(
            "{n} triangles leave no surface. Ask for at least 4."
        )));
    }
    if n as usize >= source {
        return Err(Failure::bad(format!(
            "{} has {} triangles already. Ask for fewer than that.",
            asset.name,
            words::grouped(source as u64)
        )));
    }
    Ok(n)
}

/// Back to a step: as a redirect for forms, as htmx's own for htmx.
pub(crate) fn back(headers: &HeaderMap, id: u64, step: &str, show: Option<u32>) -> Response {
    let show = show.map_or_else(String::new, |n| format!("?show={n}"));
    let address = format!("/assets/{id}/{step}{show}");
    if headers.contains_key("hx-request") {
        [("hx-redirect", address)].into_response()
    } else {
        Redirect::to(&address).into_response()
    }
}
