//! Things that take seconds to open and are kept open for a while, each opened once however many ask.
//!
//! Opening is a task of its own: whoever asks waits as long as suits him and is then told to ask again. What was begun goes on
//! meanwhile, and nobody waits for the source of another.

use std::{
    sync::{Arc, Mutex},
    time::Duration,
};

use axum::http::StatusCode;
use tokio::{sync::watch, task::spawn_blocking};

use crate::failure::Failure;

type Opened<T> = Option<Result<Arc<T>, String>>;
type Slot<T> = (String, watch::Receiver<Opened<T>>);

/// What is open or being opened. Only a cache: nothing here is missed after a restart.
pub struct Opening<T> {
    /// Latest last, by key.
    slots: Arc<Mutex<Vec<Slot<T>>>>,
    /// The most that stay open.
    most: usize,
}

impl<T> Clone for Opening<T> {
    fn clone(&self) -> Self {
        Self {
            slots: self.slots.clone(),
            most: self.most,
        }
    }
}

impl<T: Send + Sync + 'static> Opening<T> {
    /// Nothing open yet; at most so many stay so.
    pub fn new(most: usize) -> Self {
        Self {
            slots: Arc::default(),
            most,
        }
    }

    /// True when it is open or being opened.
    pub fn has(&self, key: &str) -> bool {
        let slots = self.slots.lock().unwrap_or_else(|e| e.into_inner());
        slots.iter().any(|(k, _)| k == key)
    }

    /// What is open under `key`, opened by `open` on a thread of its own where it is not, and waited for with `patience`. What cannot be opened is a sentence
    /// from `open`, and tried again when it is asked for again.
    ///
    /// # Errors
    /// That sentence, or *ask again* ([`StatusCode::SERVICE_UNAVAILABLE`]) when it takes longer.
    pub async fn get(
        &self,
        key: &str,
        patience: Duration,
        open: impl FnOnce() -> Result<T, String> + Send + 'static,
    ) -> Result<Arc<T>, Failure> {
        let mut slot = self.slot(key, open);
        let settled = tokio::time::timeout(patience, slot.wait_for(Option::is_some)).await;
        match settled {
            Ok(Ok(opened)) => match opened.as_ref() {
                Some(Ok(opened)) => Ok(opened.clone()),
                Some(Err(why)) => Err(Failure::bad(why.clone())),
                None => Err(again()),
            },
            // Its task panicked.
            Ok(Err(_)) => {
                self.forget(key);
                Err(Failure::new(
                    StatusCode::INTERNAL_SERVER_ERROR,
                    "Ectome itself failed on this source; the source is unharmed. Please report it.",
                ))
            }
            Err(_) => Err(again()),
        }
    }

    fn slot(
        &self,
        key: &str,
        open: impl FnOnce() -> Result<T, String> + Send + 'static,
    ) -> watch::Receiver<Opened<T>> {
        let mut slots = self.slots.lock().unwrap_or_else(|e| e.into_inner());
        if let Some(at) = slots.iter().position(|(k, _)| k == key) {
            let found = slots.remove(at);
            let slot = found.1.clone();
            slots.push(found);
            return slot;
        }
        let (say, listen) = watch::channel(None);
        slots.push((key.to_owned(), listen.clone()));
        if slots.len() > self.most {
            slots.remove(0);
        }
        drop(slots);
        let (this, key) = (self.clone(), key.to_owned());
        spawn_blocking(move || {
            let opened = open().map(Arc::new);
            if opened.is_err() {
                this.forget(&key);
            }
            say.send_replace(Some(opened));
        });
        listen
    }

    fn forget(&self, key: &str) {
        let mut slots = self.slots.lock().unwrap_or_else(|e| e.into_inner());
        slots.retain(|(k, _)| k != key);
    }
}

fn again() -> Failure {
    Failure::new(
        StatusCode::SERVICE_UNAVAILABLE,
        "The source is being opened, which takes a few seconds for a large one. Try again in a moment.",
    )
}

#[cfg(test)]
mod tests {
    use std::sync::{
        atomic::{AtomicUsize, Ordering},
        mpsc,
    };

    use super::*;

    const MOMENT: Duration = Duration::from_millis(300);

    #[tokio::test(flavor = "multi_thread")]
    async fn a_slow_one_is_opened_once_and_holds_up_nobody_else() {
        let opening = Opening::new(2);
        let times = Arc::new(AtomicUsize::new(0));
        let (go, wait) = mpsc::channel::<()>();
        let slow = {
            let times = times.clone();
            move || {
                times.fetch_add(1, Ordering::Relaxed);
                let _ = wait.recv();
                Ok(1)
            }
        };
        let waits = {
            let opening = opening.clone();
            tokio::spawn(async move { opening.get("slow", MOMENT, slow).await })
        };
        while !opening.has("slow") {
            tokio::task::yield_now().await;
        }
        assert_eq!(*opening.get("quick", MOMENT, || Ok(2)).await.unwrap(), 2);
        assert!(waits.await.unwrap().is_err(), "it is told to ask again");
        go.send(()).unwrap();
        let again = opening.get("slow", MOMENT, || Err("opened twice".to_owned()));
        assert_eq!(*again.await.unwrap(), 1);
        assert_eq!(times.load(Ordering::Relaxed), 1);
    }

    #[tokio::test(flavor = "multi_thread")]
    async fn what_failed_is_tried_again_and_what_is_oldest_goes() {
        let opening = Opening::new(1);
        let failed = opening.get("a", MOMENT, || Err("no luck".to_owned())).await;
        assert!(failed.is_err());
        assert_eq!(*opening.get("a", MOMENT, || Ok(1)).await.unwrap(), 1);
        assert_eq!(*opening.get("b", MOMENT, || Ok(2)).await.unwrap(), 2);
        assert!(!opening.has("a"));
    }
}
