//! Styles, scripts, fonts and pictures, built into the program.

use std::sync::LazyLock;

use axum::{
    Router,
    http::{StatusCode, header},
    response::{IntoResponse, Response},
    routing::get,
};
use include_dir::{Dir, include_dir};

use crate::{extract::Path, failure::Failure, state::App};

static FILES: Dir<'_> = include_dir!("$CARGO_MANIFEST_DIR/static");

/// Changes whenever a file changes, so that browsers may keep files for good.
pub static VERSION: LazyLock<&'static str> = LazyLock::new(|| {
    let mut hasher = blake3::Hasher::new();
    let mut folders = vec![&FILES];
    while let Some(folder) = folders.pop() {
        for file in folder.files() {
            hasher.update(file.path().as_os_str().as_encoded_bytes());
            hasher.update(file.contents());
        }
        folders.extend(folder.dirs());
    }
    Box::leak(hasher.finalize().to_hex()[..10].to_owned().into_boxed_str())
});

/// The routes of files.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/static/{*path}", get(file))
        .route("/favicon.ico", get(favicon))
}

/// Serves a file. Scripts import each other by relative path below a folder named for the version.
async fn file(Path(path): Path<String>) -> Response {
    let (version, inner) = path.split_once('/').unwrap_or(("", &path));
    let Some(file) = FILES.get_file(inner) else {
        return Failure::new(StatusCode::NOT_FOUND, format!("There is no file {path}."))
            .into_response();
    };
    let kind = match inner.rsplit('.').next() {
        Some("css") => "text/css; charset=utf-8",
        Some("js") => "text/javascript; charset=utf-8",
        Some("woff2") => "font/woff2",
        Some("svg") => "image/svg+xml",
        _ => "text/plain; charset=utf-8",
    };
    let keep = if version == *VERSION {
        "public, max-age=31536000, immutable"
    } else {
        "no-cache"
    };
    let headers = [(header::CONTENT_TYPE, kind), (header::CACHE_CONTROL, keep)];
    (headers, file.contents()).into_response()
}

/// The mark of the application for browser tabs.
async fn favicon() -> Response {
    file(Path("-/img/mark.svg".to_owned())).await
}
