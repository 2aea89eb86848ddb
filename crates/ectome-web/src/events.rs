//! Progress by server-sent events.

use std::convert::Infallible;

use axum::{
    extract::State,
    response::sse::{Event, KeepAlive, Sse},
};
use ectome_store::work::Work;
use futures::stream::{self, Stream};
use serde_json::{Map, Value, json};

use crate::{asset::doing::doing, feed::News, state::App};

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

/// `GET /events`: `state` whenever something is another than before. One stream serves all pages of a browser: it tells of all
/// assets, and `listen.js` picks out what a page is about.
pub async fn stream(State(app): State<App>) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    let news = app.feed.listen();
    let events = stream::unfold((news, String::new()), |(mut news, told)| async move {
        loop {
            news.changed().await.ok()?;
            let latest = news.borrow_and_update().clone();
            let state = state(&latest).to_string();
            if state != told {
                let event = Event::default().event("state").data(&state);
                return Some((Ok(event), (news, state)));
            }
        }
    });
    Sse::new(events).keep_alive(KeepAlive::default())
}

/// What pages are told: how busy it is (`busy`), whether the rows can be asked (`outage`), the [`fingerprint`] of all work
/// (`all`), of each asset's (`assets`) and of none (`none`), how far work is (`progress`), and each asset's work as a partial
/// (`doing`; `idle` where there is none).
fn state(news: &News) -> Value {
    let work = &news.work[..];
    let mut ids: Vec<u64> = work.iter().map(|w| w.asset).collect();
    ids.sort_unstable();
    ids.dedup();
    let marks = |id: u64| (id.to_string(), Value::from(fingerprint(work, Some(id))));
    let partial = |id: u64| {
        let html = doing(work, id, news.full.clone()).unwrap_or_default();
        let html = html.trim();
        (!html.is_empty()).then(|| (id.to_string(), Value::from(html)))
    };
    let progress: String = work
        .iter()
        .filter(|w| !w.state.is_over())
        .map(|w| format!("{}{:.2}{} ", w.id, w.fraction, w.stage))
        .chain(news.full.clone())
        .collect();
    json!({
        "busy": match news.outage {
            Some(outage) => outage.to_owned(),
            None => busy_words(work, news.full.is_some()),
        },
        "outage": news.outage.is_some(),
        "all": fingerprint(work, None),
        "assets": ids.iter().map(|&id| marks(id)).collect::<Map<_, _>>(),
        "none": fingerprint(&[], None),
        "progress": progress,
        "doing": ids.iter().filter_map(|&id| partial(id)).collect::<Map<_, _>>(),
        // An event without data would not reach the page.
        "idle": "<!-- nothing -->",
    })
}

/// How much is at work, for the bar of every page.
pub fn busy_words(work: &[Work], full: bool) -> String {
    match work.iter().filter(|w| !w.state.is_over()).count() {
        0 => "No work".to_owned(),
        n if full => format!("{n} waiting: disk full"),
        n => format!("{n} at work"),
    }
}
