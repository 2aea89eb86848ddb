//! The queue of work.

use askama::Template;
use axum::{
    extract::State,
    response::{Html, Redirect},
};

use ectome_store::{
    handling::LogLine,
    work::{Kind, State as WorkState, Work},
    worker::Identity,
};

use crate::{
    events::{busy_words, fingerprint},
    extract::Path,
    failure::Failure,
    feed::LOOKED_AT,
    outages,
    state::App,
    static_files::VERSION,
    words,
};

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
    /// It waits, so it can be put first.
    queued: bool,
    /// It failed or was stopped, and can be asked for again.
    again: bool,
    /// Where it is done, or what it waits for; empty when that goes without saying.
    place: String,
}

/// What the page lists.
struct Queue {
    lines: Vec<Line>,
    /// How much more waits behind what is listed.
    more: Option<String>,
    /// Why new work waits.
    full: Option<String>,
}

#[derive(Template)]
#[template(path = "work.html")]
struct Page {
    version: &'static str,
    lines: Vec<Line>,
    more: Option<String>,
    full: Option<String>,
    busy: String,
    seen: String,
}

#[derive(Template)]
#[template(path = "work_list.html")]
struct List {
    lines: Vec<Line>,
    more: Option<String>,
    full: Option<String>,
}

/// `GET /work`
pub async fn page(State(app): State<App>) -> Result<Html<String>, Failure> {
    let work = app.store.latest_work(LOOKED_AT).await?;
    let (seen, busy) = (
        fingerprint(&work, None),
        busy_words(&work, app.store.disk.is_low()),
    );
    let Queue { lines, more, full } = queue(&app, work);
    let page = Page {
        version: *VERSION,
        lines,
        more,
        full,
        busy,
        seen,
    };
    Ok(Html(page.render()?))
}

/// `GET /work/list`
pub async fn list(State(app): State<App>) -> Result<Html<String>, Failure> {
    let work = app.store.latest_work(LOOKED_AT).await?;
    let Queue { lines, more, full } = queue(&app, work);
    Ok(Html(List { lines, more, full }.render()?))
}

/// `POST /work/{id}/stop`
pub async fn stop(State(app): State<App>, Path(id): Path<u64>) -> Result<Redirect, Failure> {
    app.store.stop_work(id).await?;
    Ok(Redirect::to("/work"))
}

/// `POST /work/{id}/first`: before everything else that waits.
pub async fn first(State(app): State<App>, Path(id): Path<u64>) -> Result<Redirect, Failure> {
    app.store.hurry_work(id).await?;
    Ok(Redirect::to("/work"))
}

/// `POST /work/{id}/again`
pub async fn again(State(app): State<App>, Path(id): Path<u64>) -> Result<Redirect, Failure> {
    let work = app.store.work(id).await?;
    if app.store.ask_again(&work).await? {
        Ok(Redirect::to("/work"))
    } else {
        Err(Failure::bad(format!(
            "{} cannot be asked for from here. Its asset's page can ask for it again.",
            work.title()
        )))
    }
}

#[derive(Template)]
#[template(path = "work_log.html")]
struct Log {
    lines: Vec<LogLine>,
}

/// `GET /work/{id}/log`: what it went through, as a partial.
pub async fn log(State(app): State<App>, Path(id): Path<u64>) -> Result<Html<String>, Failure> {
    // Of work that is not there nothing was noted either, which must not read as if it still ran.
    app.store.work(id).await?;
    let lines = app.store.work_log(id).await?;
    Ok(Html(Log { lines }.render()?))
}

/// Pieces of work that the page lists.
const SHOWN: usize = 200;

fn queue(app: &App, work: Vec<Work>) -> Queue {
    // Of more, those that are at work, then the oldest that wait: they are next.
    let more = work.len().saturating_sub(SHOWN);
    let mut waits = work.iter().filter(|w| w.state == WorkState::Queued);
    let last_shown = waits.nth(more.saturating_sub(1)).map_or(u64::MAX, |w| w.id);
    let lines = work
        .into_iter()
        .filter(|w| more == 0 || w.state != WorkState::Queued || w.id < last_shown)
        .map(|w| Line {
            id: w.id,
            place: place(&w),
            title: w.title(),
            asset: w.asset,
            state: w.state.word(),
            percent: (w.fraction * 100.0) as u32,
            over: w.state.is_over(),
            queued: w.state == WorkState::Queued,
            again: matches!(w.state, WorkState::Failed | WorkState::Stopped)
                && w.kind != Kind::Prepare,
            took: took(&w),
            stage: w.stage,
            fault: w.fault.unwrap_or_default(),
        })
        .collect();
    Queue {
        lines,
        more: (more > 0).then(|| words::grouped(more)),
        full: outages::waiting(&app.store),
    }
}

/// How long it took, or has been at it and how long that leaves, by what is done.
fn took(work: &Work) -> String {
    let Some(seconds) = work.seconds else {
        return String::new();
    };
    let mut says = words::seconds(seconds);
    let done = f64::from(work.fraction);
    // Below a twentieth nothing can be told.
    if work.state == WorkState::Running && done > 0.05 && seconds > 2.0 {
        let left = seconds * (1.0 - done) / done;
        says = format!("{says}, about {} left", words::seconds(left));
    }
    says
}

/// Where work is done when it is not done by this process, or that nobody is there who would do it.
fn place(work: &Work) -> String {
    let own = Identity::own().name();
    match (work.state, &work.worker) {
        (WorkState::Queued, _) if !work.accepted => format!(
            "waits for a worker that takes {} of {}",
            work.kind.word(),
            words::bytes(work.needs)
        ),
        (WorkState::Queued, _) if work.hurried > 0 => "next".to_owned(),
        (WorkState::Running, Some(worker)) if !worker.starts_with(&own) => {
            let host = worker.split('/').next().unwrap_or_default();
            format!("on {host}")
        }
        _ => String::new(),
    }
}
