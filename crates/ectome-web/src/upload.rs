//! Files dropped on the shelf.

use std::path::PathBuf;

use axum::{
    extract::{Multipart, State, multipart::Field},
    http::{HeaderMap, StatusCode, header},
    response::{IntoResponse, Redirect, Response},
};
use ectome_formats::files::{base_name, extension_of};
use ectome_store::asset::SourceFile;
use tokio::io::AsyncWriteExt;

use crate::{app::App, failure::Failure, words};

/// A file that has arrived, still in the folder for uploads.
struct Arrived {
    name: String,
    path: tempfile::TempPath,
    hash: String,
    bytes: u64,
}

/// `POST /assets`: a multipart form of files. Each .glb becomes an asset; an .obj or .ply becomes one together
/// with the materials and textures that came with it. Nothing is kept whole in memory, and nothing
/// stays behind when the upload breaks off.
pub async fn receive(
    State(app): State<App>,
    headers: HeaderMap,
    mut form: Multipart,
) -> Result<Response, Failure> {
    let too_large = || {
        Failure::new(
            StatusCode::PAYLOAD_TOO_LARGE,
            format!(
                "The upload is larger than {}, the most this server takes. Set ECTOME_UPLOAD_LIMIT to \
                 take more.",
                words::bytes(app.upload_limit)
            ),
        )
    };
    let announced = headers
        .get(header::CONTENT_LENGTH)
        .and_then(|v| v.to_str().ok()?.parse::<u64>().ok());
    if announced.is_some_and(|n| n > app.upload_limit.saturating_add(1 << 20)) {
        return Err(too_large());
    }
    let mut arrived = Vec::new();
    let mut left = app.upload_limit;
    while let Some(field) = form.next_field().await.map_err(broken_off)? {
        let Some(name) = field.file_name().map(|n| base_name(n).to_owned()) else {
            continue;
        };
        if name.is_empty() {
            continue;
        }
        let file = save(&app, field, name, left).await?.ok_or_else(too_large)?;
        left -= file.bytes;
        arrived.push(file);
    }
    if arrived.is_empty() {
        return Err(Failure::bad(
            "No file arrived. Drop a .glb, a .ply, or an .obj with its .mtl and textures.",
        ));
    }
    let groups = group(&arrived)?;
    let brief = app
        .store
        .briefs()
        .await?
        .first()
        .map(|b| b.id)
        .ok_or_else(|| Failure::bad("There is no brief yet, so the asset cannot be judged."))?;
    let mut last = 0;
    for members in groups {
        let mut files = Vec::new();
        for &i in &members {
            let file = &arrived[i];
            app.store.blobs.put_file(&file.path, &file.hash).await?;
            files.push(SourceFile {
                name: file.name.clone(),
                blob: file.hash.clone(),
                bytes: file.bytes,
            });
        }
        let title = title_of(&arrived[members[0]].name);
        last = app.store.add_asset(&title, brief, &files).await?;
    }
    // The page asks with a script and follows by itself; a plain form is sent on.
    if headers.contains_key("x-requested-by") {
        Ok((StatusCode::CREATED, [("x-asset", last.to_string())]).into_response())
    } else {
        Ok(Redirect::to("/").into_response())
    }
}

fn broken_off(error: axum::extract::multipart::MultipartError) -> Failure {
    Failure::bad(format!(
        "The upload broke off ({}). Nothing was kept; drop the files again.",
        error.body_text()
    ))
}

/// Streams one field to disk, hashing on the way. `None` when it is larger than `limit`.
async fn save(
    app: &App,
    mut field: Field<'_>,
    name: String,
    limit: u64,
) -> Result<Option<Arrived>, Failure> {
    let disk = |e: std::io::Error| {
        tracing::error!(error = %e, "upload could not be stored");
        Failure::new(
            StatusCode::INSUFFICIENT_STORAGE,
            format!("{name} could not be stored: {e}. Free some disk space and drop it again."),
        )
    };
    let (file, path) = tempfile::NamedTempFile::new_in(PathBuf::clone(&app.incoming))
        .map_err(disk)?
        .into_parts();
    let mut file = tokio::fs::File::from_std(file);
    let mut hasher = blake3::Hasher::new();
    let mut bytes = 0u64;
    while let Some(chunk) = field.chunk().await.map_err(broken_off)? {
        bytes += chunk.len() as u64;
        if bytes > limit {
            return Ok(None);
        }
        hasher.update(&chunk);
        file.write_all(&chunk).await.map_err(disk)?;
    }
    file.flush().await.map_err(disk)?;
    Ok(Some(Arrived {
        name,
        path,
        hash: hasher.finalize().to_hex().to_string(),
        bytes,
    }))
}

/// Which files make an asset together: indices, the mesh first.
fn group(arrived: &[Arrived]) -> Result<Vec<Vec<usize>>, Failure> {
    let kind = |i: &usize| extension_of(&arrived[*i].name).to_lowercase();
    let all: Vec<usize> = (0..arrived.len()).collect();
    let companions: Vec<usize> = all
        .iter()
        .copied()
        .filter(|i| !matches!(kind(i).as_str(), "glb" | "obj" | "ply"))
        .collect();
    let groups: Vec<Vec<usize>> = all
        .iter()
        .filter_map(|i| match kind(i).as_str() {
            "glb" => Some(vec![*i]),
            "obj" | "ply" => Some([vec![*i], companions.clone()].concat()),
            _ => None,
        })
        .collect();
    if groups.is_empty() {
        let names: Vec<&str> = arrived.iter().map(|f| f.name.as_str()).collect();
        return Err(Failure::bad(format!(
            "{} holds no mesh that Ectome reads. Drop a .glb, a .ply, or an .obj with its .mtl and textures.",
            names.join(", ")
        )));
    }
    Ok(groups)
}

/// A file name as a title: no extension, spaces for underscores, a capital first.
fn title_of(name: &str) -> String {
    let stem = name.rsplit_once('.').map_or(name, |(stem, _)| stem);
    let spaced = stem.replace('_', " ");
    let mut chars = spaced.trim().chars();
    let first = chars.next().map(|c| c.to_uppercase().collect::<String>());
    let title: String = (first.unwrap_or_default() + chars.as_str())
        .chars()
        .take(120)
        .collect();
    if title.is_empty() {
        "Asset".to_owned()
    } else {
        title
    }
}
