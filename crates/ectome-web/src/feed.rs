//! The latest work, asked for once for all pages that listen.
//!
//! The rows are asked, not a broadcast inside this process: work may be done by other machines.

use std::{sync::Arc, time::Duration};

use ectome_store::{Store, database::Health, work::Work};
use tokio::sync::watch;

use crate::outages;

/// How often rows are asked while somebody listens, and how often it is looked whether anybody does.
const BEAT: Duration = Duration::from_millis(350);

/// How many of the latest pieces of work are looked at, beside all that are not over.
pub const LOOKED_AT: u32 = 50;

/// What pages are told.
#[derive(Clone, Default)]
pub struct News {
    /// The latest work, newest first.
    pub work: Arc<Vec<Work>>,
    /// Why the rows cannot be asked.
    pub outage: Option<&'static str>,
    /// Why new work waits, if it does.
    pub full: Option<String>,
}

/// Where pages listen.
#[derive(Clone)]
pub struct Feed(watch::Sender<News>);

impl Feed {
    /// Begins to ask. Ends when nobody holds a copy any more.
    pub fn start(store: Store) -> Self {
        let (tell, _) = watch::channel(News::default());
        let feed = Self(tell.clone());
        tokio::spawn(async move {
            loop {
                tokio::time::sleep(BEAT).await;
                if tell.receiver_count() > 0 {
                    let news = ask(&store, &tell).await;
                    tell.send_replace(news);
                }
            }
        });
        feed
    }

    /// Listens; the first news come with the next beat.
    pub fn listen(&self) -> watch::Receiver<News> {
        self.0.subscribe()
    }
}

async fn ask(store: &Store, tell: &watch::Sender<News>) -> News {
    let outage = match store.health() {
        Health::Up => None,
        Health::Starting => Some("The database is being started again"),
        Health::Away => Some("The database does not answer"),
        Health::GivenUp(_) => Some("The database has stopped"),
    };
    let asked = match outage {
        Some(_) => None,
        None => store.latest_work(LOOKED_AT).await.ok(),
    };
    let outage = outage.or(asked.is_none().then_some("The database does not answer"));
    News {
        // What was known stays: work does not end because nobody can be asked about it.
        work: asked.map_or_else(|| tell.borrow().work.clone(), Arc::new),
        outage,
        full: outages::waiting(store),
    }
}
