//! How far a piece of kernel work is, and whether it should stop.

use std::{
    sync::{
        Arc, Mutex,
        atomic::{AtomicBool, AtomicU32, Ordering},
        mpsc,
    },
    thread,
    time::Duration,
};

use thiserror::Error;

/// How often work that cannot be asked to stop is asked for, and whether anybody still waits for it.
const GLANCE: Duration = Duration::from_millis(20);

/// The work was asked to stop and did.
#[derive(Clone, Copy, Debug, Error, PartialEq, Eq)]
#[error("the work was stopped")]
pub struct Cancelled;

/// Pictures of what work has made so far, of one size, one below the other.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Glimpse {
    /// What each of the pictures shows, from the top: a word without blanks.
    pub of: Vec<String>,
    /// Texels in a row.
    pub width: u32,
    /// Rows of all pictures together.
    pub height: u32,
    /// Rows from the top, red, green, blue and alpha, as a screen shows them.
    pub rgba: Vec<u8>,
}

#[derive(Default)]
struct Shared {
    /// Parts in a million.
    fraction: AtomicU32,
    cancelled: AtomicBool,
    stage: Mutex<String>,
    glimpse: Mutex<Option<Glimpse>>,
    /// Somebody looks at glimpses: without that none is made.
    watched: AtomicBool,
}

/// A handle that kernel functions report to and others read. Clones share one state; a
/// [`span`](Progress::span) maps its own 0–1 onto a stretch of the whole.
#[derive(Clone)]
pub struct Progress {
    shared: Arc<Shared>,
    start: f32,
    length: f32,
}

impl Default for Progress {
    fn default() -> Self {
        Self {
            shared: Arc::default(),
            start: 0.0,
            length: 1.0,
        }
    }
}

impl Progress {
    /// Progress that starts at zero.
    pub fn new() -> Self {
        Self::default()
    }

    /// A handle whose 0–1 covers `from..to` of this one.
    pub fn span(&self, from: f32, to: f32) -> Self {
        Self {
            shared: self.shared.clone(),
            start: self.start + from * self.length,
            length: (to - from) * self.length,
        }
    }

    /// Names the stage that begins now, in words for a reader.
    pub fn stage(&self, name: &str) {
        if let Ok(mut stage) = self.shared.stage.lock() {
            name.clone_into(&mut stage);
        }
    }

    /// Reports the fraction done (0–1) and learns whether to go on.
    ///
    /// # Errors
    /// [`Cancelled`] when somebody asked to stop.
    pub fn at(&self, fraction: f32) -> Result<(), Cancelled> {
        let whole = self.start + self.length * fraction.clamp(0.0, 1.0);
        self.shared
            .fraction
            .store((whole * 1e6) as u32, Ordering::Relaxed);
        self.go_on()
    }

    /// Learns whether to go on, where there is nothing to report.
    ///
    /// # Errors
    /// [`Cancelled`] when somebody asked to stop.
    pub fn go_on(&self) -> Result<(), Cancelled> {
        if self.is_cancelled() {
            Err(Cancelled)
        } else {
            Ok(())
        }
    }

    /// Does work that cannot be asked to stop: on a thread of its own, which is left to its end when somebody asks. Its result is thrown
    /// away then.
    ///
    /// # Errors
    /// [`Cancelled`] when somebody asked to stop.
    pub fn beside<T: Send + 'static>(
        &self,
        work: impl FnOnce() -> T + Send + 'static,
    ) -> Result<T, Cancelled> {
        let (tell, told) = mpsc::channel();
        let worker = thread::spawn(move || {
            // Nobody may be waiting any more.
            let _ = tell.send(work());
        });
        loop {
            match told.recv_timeout(GLANCE) {
                Ok(made) => return Ok(made),
                Err(mpsc::RecvTimeoutError::Timeout) => self.go_on()?,
                Err(mpsc::RecvTimeoutError::Disconnected) => match worker.join() {
                    Err(fell_over) => std::panic::resume_unwind(fell_over),
                    Ok(()) => return Err(Cancelled),
                },
            }
        }
    }

    /// Asks the work to stop at its next report.
    pub fn cancel(&self) {
        self.shared.cancelled.store(true, Ordering::Relaxed);
    }

    /// True when somebody asked to stop.
    pub fn is_cancelled(&self) -> bool {
        self.shared.cancelled.load(Ordering::Relaxed)
    }

    /// Lets the work show what it has made so far. The picture is made only where somebody looks and took the one before.
    pub fn show(&self, make: impl FnOnce() -> Glimpse) {
        if !self.shared.watched.load(Ordering::Relaxed) {
            return;
        }
        if let Ok(mut glimpse) = self.shared.glimpse.lock()
            && glimpse.is_none()
        {
            *glimpse = Some(make());
        }
    }

    /// What the work has made so far, if it shows something new; from now on it is asked to.
    pub fn take_glimpse(&self) -> Option<Glimpse> {
        self.shared.watched.store(true, Ordering::Relaxed);
        self.shared.glimpse.lock().ok()?.take()
    }

    /// The fraction of the whole last reported (0–1).
    pub fn fraction(&self) -> f32 {
        self.shared.fraction.load(Ordering::Relaxed) as f32 / 1e6
    }

    /// The stage last named.
    pub fn current_stage(&self) -> String {
        self.shared
            .stage
            .lock()
            .map(|s| s.clone())
            .unwrap_or_default()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_span_covers_its_stretch_of_the_whole() {
        let whole = Progress::new();
        let second_half = whole.span(0.5, 1.0);
        second_half.at(0.5).unwrap();
        assert!((whole.fraction() - 0.75).abs() < 1e-6);
    }

    #[test]
    fn a_glimpse_is_made_where_somebody_looks() {
        let work = Progress::new();
        let glimpse = || Glimpse {
            of: vec!["normal".to_owned()],
            width: 1,
            height: 1,
            rgba: vec![1, 2, 3, 4],
        };
        work.show(|| panic!("nobody looks"));
        assert_eq!(work.take_glimpse(), None);
        work.span(0.2, 0.4).show(glimpse);
        work.show(|| panic!("the one before was not taken"));
        assert_eq!(work.take_glimpse(), Some(glimpse()));
        assert_eq!(work.take_glimpse(), None);
    }

    #[test]
    fn cancelling_reaches_every_span() {
        let whole = Progress::new();
        let part = whole.span(0.0, 0.1);
        whole.cancel();
        assert_eq!(part.at(0.0), Err(Cancelled));
    }
}
