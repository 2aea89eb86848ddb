//! Pages asked for in process: no server, no browser. What a page shows is behaviour and stands in `e2e/`; here, that each answers, as what,
//! and that names of strangers are text.

#[path = "../../../ectome-store/tests/suite/common/mod.rs"]
mod common;
mod every_route;
mod forms;
mod house;
mod routes;
mod steps;

use std::sync::Arc;

use axum::{
    Router,
    body::{Body, to_bytes},
    http::{Method, Request, StatusCode, header},
    response::Response,
};
use common::Fixture;
use ectome_web::{App, Feed, OpenSources, UvSheets};
use tower::ServiceExt;

const PORT: u16 = 4180;

fn rooms(f: &Fixture) -> Router {
    let incoming = f.folder.path().join("incoming");
    std::fs::create_dir_all(&incoming).unwrap();
    ectome_web::router(App {
        store: f.store.clone(),
        incoming: Arc::new(incoming),
        upload_limit: 1 << 20,
        open: OpenSources::default(),
        sheets: UvSheets::default(),
        feed: Feed::start(f.store.clone()),
        watched: Some(Arc::new(f.folder.path().join("watched"))),
        port: PORT,
    })
}

/// Asks as somebody who types the address.
async fn ask(rooms: &Router, method: Method, path: &str) -> (StatusCode, String) {
    ask_from("", rooms, method, path).await
}

/// Asks as a browser does that stands at a page.
async fn ask_from(from: &str, rooms: &Router, method: Method, path: &str) -> (StatusCode, String) {
    let request = Request::builder()
        .method(method)
        .uri(path)
        .header(header::REFERER, from)
        .body(Body::empty());
    read(answered(rooms, request.unwrap()).await).await
}

/// Sends a form of ours.
async fn send(
    rooms: &Router,
    path: &str,
    kind: &str,
    body: impl Into<Body>,
) -> (StatusCode, String) {
    let request = Request::post(path)
        .header("sec-fetch-site", "same-origin")
        .header(header::CONTENT_TYPE, kind)
        .body(body.into());
    read(answered(rooms, request.unwrap()).await).await
}

async fn answered(rooms: &Router, mut request: Request<Body>) -> Response {
    let host = format!("127.0.0.1:{PORT}").parse().unwrap();
    request.headers_mut().insert(header::HOST, host);
    rooms.clone().oneshot(request).await.unwrap()
}

/// What stands on every answer.
const HEADERS: [(&str, &str); 8] = [
    (
        "content-security-policy",
        "default-src 'none'; script-src 'self'",
    ),
    ("content-security-policy", "frame-ancestors 'none'"),
    ("x-content-type-options", "nosniff"),
    ("x-frame-options", "DENY"),
    ("referrer-policy", "same-origin"),
    ("cross-origin-opener-policy", "same-origin"),
    ("cross-origin-resource-policy", "same-origin"),
    ("permissions-policy", "camera=()"),
];

async fn read(answer: Response) -> (StatusCode, String) {
    let status = answer.status();
    for (name, says) in HEADERS {
        let own = answer.headers().get(name).map(|v| v.to_str().unwrap());
        let own = own.unwrap_or_default();
        assert!(
            own.contains(says) && !own.contains("unsafe-"),
            "{name}: {own}"
        );
    }
    let bytes = to_bytes(answer.into_body(), 1 << 24).await.unwrap();
    (status, String::from_utf8_lossy(&bytes).into_owned())
}

/// A whole page: one heading, one main part, a way past the bar, and nothing of a stranger that a browser would run.
fn is_whole(page: &str, path: &str) {
    let count = |what: &str| page.matches(what).count();
    assert_eq!((count("<h1"), count("<main")), (1, 1), "{path}");
    assert!(page.contains("class=\"skip\""), "{path}");
    assert!(!page.contains("<script>"), "{path}");
}
