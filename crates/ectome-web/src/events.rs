//! Progress by server-sent events.
//!
//! The rows are asked, not a broadcast inside this process: work may be done by other machines.

use std::{convert::Infallible, time::Duration};

use axum::{
    extract::{Query, State},
    response::sse::{Event, KeepAlive, Sse},
};
use ectome_store::work::Work;
use futures::stream::{self, Stream};
use serde::Deserialize;

use crate::{app::App, asset_page::doing};

/// How often rows are asked.
const BEAT: Duration = Duration::from_millis(350);

/// How many pieces of work are looked at.
pub const LOOKED_AT: u32 = 50;

/// What a page listens to.
#[derive(Deserialize)]
pub struct Listening {
    /// One asset's page; otherwise the whole shelf.
    asset: Option<u64>,
    /// The [`fingerprint`] the page was drawn from: what changed before it listened is told at once.
    seen: Option<String>,
}

/// Identifies the states of the latest work, all of it or one asset's.
pub fn fingerprint(work: &[Work], asset: Option<u64>) -> String {
    let mut hasher = blake3::Hasher::new();
    for w in work.iter().take(LOOKED_AT as usize) {
        if asset.is_none_or(|id| w.asset == id) {
            hasher.update(&w.id.to_le_bytes());
            hasher.update(w.state.word().as_bytes());
        }
    }
    hasher.finalize().to_hex()[..16].to_owned()
}

/// What was last told to a page.
struct Told {
    states: String,
    progress: String,
    first: bool,
}

/// `GET /events`: `changed` when work begins, ends or appears; `progress` while it goes on; `busy`
/// with the number of pieces of work; `doing` with one asset's work as a partial.
pub async fn stream(
    State(app): State<App>,
    Query(listening): Query<Listening>,
) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    let told = Told {
        states: listening.seen.unwrap_or_default(),
        progress: String::new(),
        first: true,
    };
    let events = stream::unfold((app, told), move |(app, mut told)| async move {
        loop {
            if !told.first {
                tokio::time::sleep(BEAT).await;
            }
            // A database that is gone for a moment is asked again at the next beat.
            let work = app.store.latest_work(LOOKED_AT).await.unwrap_or_default();
            let events = news(&work, listening.asset, &mut told);
            if !events.is_empty() {
                return Some((stream::iter(events.into_iter().map(Ok)), (app, told)));
            }
        }
    });
    Sse::new(futures::StreamExt::flatten(events)).keep_alive(KeepAlive::default())
}

fn news(work: &[Work], asset: Option<u64>, told: &mut Told) -> Vec<Event> {
    let states = fingerprint(work, asset);
    let progress: String = work
        .iter()
        .filter(|w| !w.state.is_over())
        .map(|w| format!("{}{:.2}{} ", w.id, w.fraction, w.stage))
        .collect();
    let mut events = Vec::new();
    if states != told.states {
        events.push(Event::default().event("changed").data("work"));
        told.states = states;
    }
    if progress != told.progress || told.first {
        let busy = work.iter().filter(|w| !w.state.is_over()).count();
        events.push(Event::default().event("busy").data(match busy {
            0 => "No work".to_owned(),
            n => format!("{n} at work"),
        }));
        match asset {
            Some(id) => {
                // An event without data would not reach the page.
                let html = doing(work, id).unwrap_or_default().replace('\n', " ");
                let html = if html.trim().is_empty() {
                    "<!-- nothing -->".to_owned()
                } else {
                    html
                };
                events.push(Event::default().event("doing").data(html));
            }
            None if !told.first => events.push(Event::default().event("progress").data("work")),
            None => {}
        }
        told.progress = progress;
    }
    told.first = false;
    events
}
