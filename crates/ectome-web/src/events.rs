//! Progress by server-sent events.

use std::convert::Infallible;

use axum::{
    extract::State,
    response::sse::{Event, KeepAlive, Sse},
};
use ectome_store::work::Work;
use futures::stream::{self, Stream};
use serde::Deserialize;

use crate::{app::App, asset_page::doing, extract::Query, feed::News};

/// What a page listens to.
#[derive(Deserialize)]
pub struct Listening {
    /// One asset's page; otherwise the list of all.
    asset: Option<u64>,
    /// The [`fingerprint`] the page was drawn from: what changed before it listened is told at once.
    seen: Option<String>,
}

/// Identifies the states of the latest work, all of it or one asset's.
pub fn fingerprint(work: &[Work], asset: Option<u64>) -> String {
    let mut hasher = blake3::Hasher::new();
    for w in work {
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
    outage: bool,
    first: bool,
}

/// `GET /events`: `changed` when work begins, ends or appears; `progress` while it goes on; `busy`
/// with the number of pieces of work, or what is wrong; `doing` with one asset's work as a partial.
pub async fn stream(
    State(app): State<App>,
    Query(listening): Query<Listening>,
) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    let told = Told {
        states: listening.seen.unwrap_or_default(),
        progress: String::new(),
        outage: false,
        first: true,
    };
    let news = app.feed.listen();
    let events = stream::unfold((news, told), move |(mut news, mut told)| async move {
        loop {
            news.changed().await.ok()?;
            let latest = news.borrow_and_update().clone();
            let events = tell(&latest, listening.asset, &mut told);
            if !events.is_empty() {
                return Some((stream::iter(events.into_iter().map(Ok)), (news, told)));
            }
        }
    });
    Sse::new(futures::StreamExt::flatten(events)).keep_alive(KeepAlive::default())
}

fn tell(news: &News, asset: Option<u64>, told: &mut Told) -> Vec<Event> {
    let mut events = Vec::new();
    let busy = |words: String| Event::default().event("busy").data(words);
    if let Some(outage) = news.outage {
        if !told.outage {
            events.push(busy(outage.to_owned()));
        }
        told.outage = true;
        return events;
    }
    let work = &news.work[..];
    let states = fingerprint(work, asset);
    let progress: String = work
        .iter()
        .filter(|w| !w.state.is_over())
        .map(|w| format!("{}{:.2}{} ", w.id, w.fraction, w.stage))
        .chain(news.full.clone())
        .collect();
    if states != told.states || told.outage {
        events.push(Event::default().event("changed").data("work"));
        told.states = states;
    }
    if progress != told.progress || told.first || told.outage {
        events.push(busy(busy_words(work, news.full.is_some())));
        match asset {
            Some(id) => {
                // An event without data would not reach the page.
                let html = doing(work, id, news.full.clone()).unwrap_or_default();
                let html = match html.trim() {
                    "" => "<!-- nothing -->".to_owned(),
                    html => html.replace('\n', " "),
                };
                events.push(Event::default().event("doing").data(html));
            }
            None if !told.first => events.push(Event::default().event("progress").data("work")),
            None => {}
        }
        told.progress = progress;
    }
    told.first = false;
    told.outage = false;
    events
}

/// How much is at work, for the bar of every page.
pub fn busy_words(work: &[Work], full: bool) -> String {
    match work.iter().filter(|w| !w.state.is_over()).count() {
        0 => "No work".to_owned(),
        n if full => format!("{n} waiting: disk full"),
        n => format!("{n} at work"),
    }
}
