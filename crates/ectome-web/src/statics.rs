//! Serves the files that are built into the program.

use axum::{
    Router,
    http::{StatusCode, header},
    response::{IntoResponse, Response},
    routing::get,
};

use crate::{
    extract::Path,
    failure::Failure,
    state::App,
    static_files::{FILES, VERSION},
};

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
