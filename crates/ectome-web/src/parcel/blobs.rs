//! The meshes and pictures that pages load, by the keys of their blobs.

use axum::{
    body::Body,
    extract::State,
    http::{StatusCode, header},
    response::{IntoResponse, Response},
};

use crate::{extract::Path, failure::Failure, state::App};

/// The type of a GLB.
pub const GLB: &str = "model/gltf-binary";

/// `GET /mesh/{blob}`: a mesh for the stage.
pub async fn mesh(State(app): State<App>, Path(blob): Path<String>) -> Result<Response, Failure> {
    blob_response(&app, &blob, ".glb", GLB).await
}

/// `GET /picture/{blob}`: a picture for a page.
pub async fn picture(
    State(app): State<App>,
    Path(blob): Path<String>,
) -> Result<Response, Failure> {
    blob_response(&app, &blob, ".png", "image/png").await
}

async fn blob_response(
    app: &App,
    name: &str,
    extension: &str,
    kind: &'static str,
) -> Result<Response, Failure> {
    let hash = name.strip_suffix(extension).unwrap_or_default();
    let gone = || Failure::new(StatusCode::NOT_FOUND, format!("There is no file {name}."));
    if hash.len() != 64 || !hash.bytes().all(|b| b.is_ascii_hexdigit()) {
        return Err(gone());
    }
    let (stream, size) = app.store.blobs.stream(hash).await.map_err(|_| gone())?;
    let headers = [
        (header::CONTENT_TYPE, kind.to_owned()),
        (header::CONTENT_LENGTH, size.to_string()),
        (
            header::CACHE_CONTROL,
            "private, max-age=31536000, immutable".to_owned(),
        ),
    ];
    Ok((headers, Body::from_stream(stream)).into_response())
}
