//! The queue of work.

use askama::Template;
use axum::{
    extract::{Path, State},
    response::{Html, Redirect},
};

use crate::{app::App, events::fingerprint, failure::Failure, statics::VERSION, words};

struct Line {
    id: u64,
    title: String,
    asset: u64,
    state: &'static str,
    percent: u32,
    stage: String,
    took: String,
    fault: String,
    over: bool,
}

#[derive(Template)]
#[template(path = "work.html")]
struct Page {
    version: &'static str,
    list: String,
    busy: usize,
    seen: String,
}

#[derive(Template)]
#[template(path = "work_list.html")]
struct List {
    lines: Vec<Line>,
}

/// `GET /work`
pub async fn page(State(app): State<App>) -> Result<Html<String>, Failure> {
    let (list, busy, seen) = render(&app).await?;
    let page = Page {
        version: *VERSION,
        list,
        busy,
        seen,
    };
    Ok(Html(page.render()?))
}

/// `GET /work/list`
pub async fn list(State(app): State<App>) -> Result<Html<String>, Failure> {
    Ok(Html(render(&app).await?.0))
}

/// `POST /work/{id}/stop`
pub async fn stop(State(app): State<App>, Path(id): Path<u64>) -> Result<Redirect, Failure> {
    app.store.stop_work(id).await?;
    Ok(Redirect::to("/work"))
}

async fn render(app: &App) -> Result<(String, usize, String), Failure> {
    let work = app.store.latest_work(100).await?;
    let seen = fingerprint(&work, None);
    let busy = work.iter().filter(|w| !w.state.is_over()).count();
    let lines = work
        .into_iter()
        .map(|w| Line {
            id: w.id,
            title: w.title(),
            asset: w.asset,
            state: w.state.word(),
            percent: (w.fraction * 100.0) as u32,
            over: w.state.is_over(),
            took: w.seconds.map_or_else(String::new, words::seconds),
            stage: w.stage,
            fault: w.fault.unwrap_or_default(),
        })
        .collect();
    Ok((List { lines }.render()?, busy, seen))
}
