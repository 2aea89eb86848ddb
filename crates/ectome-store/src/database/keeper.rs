//! The thread that keeps the database alive.
//!
//! It is a thread and not a task, because the server ends with the thread that started it: threads of a runtime come and
//! go, this one stays until it is told to stop.

use std::{
    collections::VecDeque,
    process::Child,
    sync::{
        Arc,
        atomic::{AtomicU32, Ordering},
        mpsc::{Receiver, RecvTimeoutError, Sender, channel},
    },
    thread::JoinHandle,
    time::{Duration, Instant},
};

use tokio::sync::watch;

use super::{
    Health,
    daemon::{self, Daemon},
};
use crate::StoreError;

/// How often the server is looked at.
const LOOK: Duration = Duration::from_millis(50);
/// So many ends within so long, and it is not started again.
const MOST_ENDS: usize = 3;
const WITHIN: Duration = Duration::from_secs(60);
/// Between an end and the next start.
const PAUSE: Duration = Duration::from_millis(300);

/// The thread, and how to stop it.
pub(super) struct Keeper {
    stop: Sender<()>,
    thread: JoinHandle<()>,
    process: Arc<AtomicU32>,
}

impl Keeper {
    /// Starts the thread, which starts the server and says how it is.
    pub fn start(daemon: Arc<Daemon>, say: watch::Sender<Health>) -> Result<Self, StoreError> {
        let (stop, stopped) = channel();
        let process = Arc::new(AtomicU32::new(0));
        let seen = process.clone();
        let thread = std::thread::Builder::new()
            .name("database".to_owned())
            .spawn(move || keep(&daemon, &say, &stopped, &seen))
            .map_err(|e| StoreError::NotStarted(e.to_string()))?;
        Ok(Self {
            stop,
            thread,
            process,
        })
    }

    /// The server's process; `None` while none runs.
    pub fn process(&self) -> Option<u32> {
        Some(self.process.load(Ordering::Relaxed)).filter(|&p| p != 0)
    }

    /// Ends the server in order.
    pub fn stop(self) {
        let _ = self.stop.send(());
        let _ = self.thread.join();
    }
}

fn keep(daemon: &Daemon, say: &watch::Sender<Health>, stop: &Receiver<()>, process: &AtomicU32) {
    let mut ends: VecDeque<Instant> = VecDeque::new();
    loop {
        let logged = daemon.logged();
        let why = match daemon.start() {
            Ok(mut child) => {
                process.store(child.id(), Ordering::Relaxed);
                say.send_replace(Health::Up);
                let ended = watch_over(&mut child, stop);
                process.store(0, Ordering::Relaxed);
                match ended {
                    Ended::Asked => return,
                    Ended::Itself(how) => daemon.last_error(logged).unwrap_or(how),
                }
            }
            Err(StoreError::NotStarted(why)) => why,
            // A folder that cannot be used does not get better by waiting.
            Err(other) => {
                say.send_replace(Health::GivenUp(other.to_string()));
                return;
            }
        };
        tracing::error!(%why, "the database ended");
        let now = Instant::now();
        ends.push_back(now);
        ends.retain(|&end| now.duration_since(end) < WITHIN);
        if ends.len() >= MOST_ENDS {
            say.send_replace(Health::GivenUp(why));
            return;
        }
        say.send_replace(Health::Starting);
        if !matches!(stop.recv_timeout(PAUSE), Err(RecvTimeoutError::Timeout)) {
            return;
        }
    }
}

/// How a run of the server ended.
enum Ended {
    Asked,
    /// And what the system says of it.
    Itself(String),
}

fn watch_over(child: &mut Child, stop: &Receiver<()>) -> Ended {
    loop {
        match child.try_wait() {
            Ok(None) => {}
            Ok(Some(status)) => return Ended::Itself(format!("it ended by {status}")),
            Err(error) => return Ended::Itself(format!("it cannot be watched: {error}")),
        }
        match stop.recv_timeout(LOOK) {
            Err(RecvTimeoutError::Timeout) => {}
            // Asked to, or nobody is left who could ask.
            _ => {
                daemon::end(child);
                return Ended::Asked;
            }
        }
    }
}
