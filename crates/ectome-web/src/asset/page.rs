//! The page of an asset, and what is done to it as a whole.

use askama::Template;
use axum::{
    extract::State,
    http::{HeaderMap, StatusCode},
    response::{Html, Redirect, Response},
};
use serde::Deserialize;

use super::{
    column::Column,
    doing::{DoingLine, doing_lines},
    frame::Frame,
    rooms,
    rows::Rows,
};
use crate::{
    events::{busy_words, fingerprint},
    extract::{Form, Path, Query},
    failure::Failure,
    feed::LOOKED_AT,
    outages,
    reply::{back, ready_asset},
    state::App,
    static_files::VERSION,
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
    frame: Frame,
    column: Column,
    lines: Vec<DoingLine>,
    full: Option<String>,
    busy: String,
    seen: String,
}

#[derive(Template)]
#[template(path = "asset_panel.html")]
struct Panel {
    frame: Frame,
    column: Column,
}

impl Panel {
    async fn of(app: &App, id: u64, step: &str, show: Option<u32>) -> Result<Self, Failure> {
        let room = rooms::at(step).ok_or_else(|| {
            let says = format!("An asset has no step named {step}.");
            Failure::new(StatusCode::NOT_FOUND, says)
        })?;
        let rows = Rows::of(app, id, room, show).await?;
        let frame = Frame::of(&rows);
        Ok(Self {
            column: Column::of(app, &rows, &frame).await?,
            frame,
        })
    }
}

/// `GET /assets/{id}`
pub async fn default_step(
    State(app): State<App>,
    Path(id): Path<u64>,
) -> Result<Redirect, Failure> {
    // Nobody is sent to a page that is not there.
    app.store.asset(id).await?;
    Ok(Redirect::to(&format!("/assets/{id}/cut")))
}

/// `GET /assets/{id}/{step}`
pub async fn page(
    State(app): State<App>,
    Path((id, step)): Path<(u64, String)>,
    Query(shown): Query<Shown>,
) -> Result<Html<String>, Failure> {
    // First the work, then what it made: what is done in between is told by the events.
    let work = app.store.latest_work(LOOKED_AT).await?;
    let Panel { frame, column } = Panel::of(&app, id, &step, shown.show).await?;
    let page = Page {
        seen: fingerprint(&work, Some(id)),
        version: *VERSION,
        busy: busy_words(&work, app.store.disk.is_low()),
        lines: doing_lines(&work, id),
        full: outages::waiting(&app.store),
        frame,
        column,
    };
    Ok(Html(page.render()?))
}

/// `GET /assets/{id}/{step}/panel`
pub async fn panel(
    State(app): State<App>,
    Path((id, step)): Path<(u64, String)>,
    Query(shown): Query<Shown>,
) -> Result<Html<String>, Failure> {
    let panel = Panel::of(&app, id, &step, shown.show).await?;
    Ok(Html(panel.render()?))
}

/// `POST /assets/{id}/anew`: makes everything that is out of date on the source as it is now.
pub async fn anew(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    if app.store.ask_for_all_anew(&asset).await? == 0 {
        return Err(Failure::bad(
            "Nothing is out of date any more. Reload the page.",
        ));
    }
    Ok(back(&headers, id, "cut", None))
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
