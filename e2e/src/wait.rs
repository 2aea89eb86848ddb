//! Waiting for what happens outside a browser.

use std::time::{Duration, Instant};

use crate::http;

/// Waits until something is so.
///
/// # Panics
/// When it is not within 400 seconds: other tests keep the machine busy.
pub fn wait_for(what: &str, mut there: impl FnMut() -> bool) {
    let deadline = Instant::now() + Duration::from_secs(400);
    // What is over soon is not missed, and what takes long is not held up by the asking.
    let mut pause = Duration::from_millis(20);
    while !there() {
        assert!(Instant::now() < deadline, "never happened: {what}");
        std::thread::sleep(pause);
        pause = (pause * 5 / 4).min(Duration::from_millis(300));
    }
}

/// True while the list of work says that what has this in its title is running.
pub fn runs(port: u16, title: &str) -> bool {
    http::get(port, "/work").is_some_and(|answer| {
        let page = answer.text();
        let mut rows = page.split("<tr>");
        rows.any(|row| row.contains(title) && row.contains("state-running"))
    })
}
