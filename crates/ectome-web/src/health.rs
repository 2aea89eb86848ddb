//! What is wrong with the database or the disk, said at once and on every page.

use axum::{
    extract::{Request, State},
    http::{HeaderValue, StatusCode, header},
    middleware::Next,
    response::{IntoResponse, Response},
};
use ectome_store::{Store, database::Health};

use crate::{failure::Failure, state::App, words};

/// Answers for a database that is not there, instead of letting every request wait for it. Files of ours are served all the
/// same.
pub async fn check(State(app): State<App>, request: Request, next: Next) -> Response {
    let path = request.uri().path();
    let needs_no_rows = ["/static/", "/favicon.ico", "/events"];
    if needs_no_rows.iter().any(|p| path.starts_with(p)) {
        return next.run(request).await;
    }
    match outage(&app.store.health()) {
        None => next.run(request).await,
        Some(sentence) => {
            let failure = Failure::new(StatusCode::SERVICE_UNAVAILABLE, sentence);
            let mut response = failure.into_response();
            // A page that is shown asks again by itself.
            let headers = response.headers_mut();
            headers.insert(header::RETRY_AFTER, HeaderValue::from_static("2"));
            headers.insert(header::REFRESH, HeaderValue::from_static("2"));
            response
        }
    }
}

/// Why nothing can be shown, if that is so.
pub fn outage(health: &Health) -> Option<String> {
    match health {
        Health::Up => None,
        Health::Starting => Some(
            "The database ended and is being started again, which takes a few seconds. Nothing is lost, and work goes on when \
             it is back. This page asks again by itself."
                .to_owned(),
        ),
        Health::Away => Some(
            "The database, which Ectome did not start itself, does not answer. Nothing is lost, and work goes on when it is back. \
             This page asks again by itself."
                .to_owned(),
        ),
        Health::GivenUp(why) => Some(format!(
            "The database ended three times within a minute and is not started again: {why}. Put that right, then stop Ectome \
             and start it again; nothing is lost."
        )),
    }
}

/// Why new work waits, if it does: how much room is needed, how much there is, and where the rest went.
pub fn waiting(store: &Store) -> Option<String> {
    let disk = &store.disk;
    if !disk.is_low() {
        return None;
    }
    let taken = disk.taken();
    Some(format!(
        "New work waits: {} are free on the disk that holds {}, and {} are needed. Meshes and pictures take {} there, the \
         database {}, unfinished uploads {}. Remove assets that are not needed any more, or free space on that disk.",
        words::bytes(disk.free()),
        disk.folder().display(),
        words::bytes(disk.reserve()),
        words::bytes(taken.blobs),
        words::bytes(taken.database),
        words::bytes(taken.incoming),
    ))
}
