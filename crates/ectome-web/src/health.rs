//! What is wrong with the database or the disk, said at once and on every page.

use axum::{
    extract::{Request, State},
    http::{HeaderValue, StatusCode, header},
    middleware::Next,
    response::{IntoResponse, Response},
};

use crate::{failure::Failure, outages, state::App};

/// Answers for a database that is not there, instead of letting every request wait for it. Files of ours are served all the
/// same.
pub async fn check(State(app): State<App>, request: Request, next: Next) -> Response {
    let path = request.uri().path();
    let needs_no_rows = ["/static/", "/favicon.ico", "/events"];
    if needs_no_rows.iter().any(|p| path.starts_with(p)) {
        return next.run(request).await;
    }
    match outages::outage(&app.store.health()) {
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
