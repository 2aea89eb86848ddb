//! How far a long command is, on a terminal; and Ctrl-C, which reaches the work itself.

use std::{
    io::{IsTerminal, stderr},
    ops::Deref,
    process,
    sync::{
        Arc, Mutex,
        atomic::{AtomicBool, Ordering},
    },
    thread::{self, JoinHandle},
    time::{Duration, Instant},
};

use ectome_mesh::Progress;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};

/// Commands that are done by then show nothing.
const PATIENCE: Duration = Duration::from_millis(700);
/// How often the line is drawn anew.
const BEAT: Duration = Duration::from_millis(120);
/// Steps of the line.
const STEPS: u64 = 1000;
/// Exit status of a program that Ctrl-C ended (POSIX shells: 128 and the number of the signal).
const INTERRUPTED: i32 = 130;

/// The line that is on the terminal now.
static LINE: Mutex<Option<ProgressBar>> = Mutex::new(None);

/// Does something, such as printing, while no line of progress is in the way.
pub fn aside<T>(action: impl FnOnce() -> T) -> T {
    let line = LINE.lock().ok().and_then(|line| line.clone());
    match line {
        Some(line) => line.suspend(action),
        None => action(),
    }
}

/// Progress that somebody sees. Whatever reports to it is shown on a terminal with the time left and leaves no trace; in a pipe
/// or a file there is nothing of it.
pub struct Watch {
    progress: Progress,
    over: Arc<AtomicBool>,
    line: Option<JoinHandle<()>>,
}

impl Deref for Watch {
    type Target = Progress;

    fn deref(&self) -> &Progress {
        &self.progress
    }
}

impl Watch {
    /// Begins. The first Ctrl-C asks the work to stop, a second one ends the program.
    pub fn begin() -> Self {
        let progress = Progress::new();
        let asked = progress.clone();
        // Where there can be no handler, Ctrl-C ends the program as usual.
        let _ = ctrlc::set_handler(move || {
            if asked.is_cancelled() {
                process::exit(INTERRUPTED);
            }
            asked.cancel();
        });
        let over = Arc::new(AtomicBool::new(false));
        let line = stderr().is_terminal().then(|| {
            let (progress, over) = (progress.clone(), over.clone());
            thread::spawn(move || draw(&progress, &over))
        });
        Self {
            progress,
            over,
            line,
        }
    }
}

impl Drop for Watch {
    fn drop(&mut self) {
        self.over.store(true, Ordering::Relaxed);
        if let Some(line) = self.line.take() {
            line.thread().unpark();
            let _ = line.join();
        }
    }
}

fn draw(progress: &Progress, over: &AtomicBool) {
    let begun = Instant::now();
    let is_over = || over.load(Ordering::Relaxed);
    while begun.elapsed() < PATIENCE {
        if is_over() {
            return;
        }
        thread::park_timeout(PATIENCE.saturating_sub(begun.elapsed()));
    }
    let bar = ProgressBar::with_draw_target(Some(STEPS), ProgressDrawTarget::stderr());
    // The pattern is fixed, so it can be read; without it the line is plainer.
    if let Ok(style) =
        ProgressStyle::with_template("{wide_msg} {bar:24} {percent:>3} %  {eta} left")
    {
        bar.set_style(style);
    }
    let shown = |line: Option<ProgressBar>| {
        if let Ok(mut slot) = LINE.lock() {
            *slot = line;
        }
    };
    shown(Some(bar.clone()));
    while !is_over() {
        bar.set_position((f64::from(progress.fraction()) * STEPS as f64) as u64);
        bar.set_message(progress.current_stage());
        thread::park_timeout(BEAT);
    }
    shown(None);
    bar.finish_and_clear();
}
