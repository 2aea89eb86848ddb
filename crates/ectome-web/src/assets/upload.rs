//! Files dropped on the Assets page.

use std::{io::Read, path::PathBuf, sync::Arc};

use axum::{
    extract::{State, multipart::Field},
    http::{HeaderMap, StatusCode, header},
    response::{IntoResponse, Redirect, Response},
};
use ectome_formats::{
    archive::{self, Limits},
    files::{MESHES, base_name, extension_of, references},
};
use ectome_recipe::step::BroughtFile;
use ectome_store::asset::{NewAsset, SourceFile};
use tokio::io::AsyncWriteExt;

use super::pairs::{Pair, paired};
use crate::{
    extract::{Multipart, Path},
    failure::Failure,
    reply::{back, ready_asset},
    state::App,
    words,
};

/// A file that has arrived, still in the folder for uploads.
pub(super) struct Arrived {
    pub(super) name: String,
    pub(super) path: tempfile::TempPath,
    pub(super) hash: String,
    bytes: u64,
}

/// `POST /assets`: a multipart form of files, archives among them. Each mesh becomes an asset together with the
/// files it refers to. Nothing is kept whole in memory, and nothing
/// stays behind when the upload breaks off.
pub async fn receive(
    State(app): State<App>,
    headers: HeaderMap,
    Multipart(form): Multipart,
) -> Result<Response, Failure> {
    let (arrived, groups) = arrive(&app, &headers, form).await?;
    // What came last was likely meant for the same target.
    let briefs = app.store.briefs().await?;
    let before = app.store.assets().await?.first().map(|a| a.brief);
    let brief = before
        .or(briefs.first().map(|b| b.id))
        .ok_or_else(|| Failure::bad("There is no brief yet, so the asset cannot be judged."))?;
    let stems: Vec<&str> = groups.iter().map(|g| stem(&arrived[g[0]].name)).collect();
    let new: Vec<NewAsset> = paired(&stems)
        .into_iter()
        .map(|Pair { high, low, name }| NewAsset {
            name: titled(name),
            brief,
            files: sources(&arrived, &groups[high]),
            low: low.map_or_else(Vec::new, |low| brought(&arrived, &groups[low])),
        })
        .collect();
    new.iter().try_for_each(NewAsset::check)?;
    // All of them or none: what is answered with an error leaves nothing behind.
    let naming = app.store.naming().await?;
    for &i in groups.iter().flatten() {
        let file = &arrived[i];
        app.store.blobs.put_file(&file.path, &file.hash).await?;
    }
    let last = app.store.add_assets(&new).await?.pop().unwrap_or(0);
    drop(naming);
    // The page asks with a script and follows by itself; a plain form is sent on.
    if headers.contains_key("x-requested-by") {
        Ok((StatusCode::CREATED, [("x-asset", last.to_string())]).into_response())
    } else {
        Ok(Redirect::to("/").into_response())
    }
}

/// `POST /assets/{id}/files`: newer files in place of those of an asset. What was done to the source is done to them too, and
/// whatever was made of the old ones is out of date.
pub async fn replace(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
    Multipart(form): Multipart,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    let refused = "assets arrived. Give the files of one, to take the place of this one's.";
    let (arrived, members) = arrive_as_one(&app, &headers, form, refused).await?;
    let naming = app.store.naming().await?;
    keep(&app, &arrived, &members).await?;
    app.store
        .replace_files(&asset, &sources(&arrived, &members))
        .await?;
    drop(naming);
    Ok(back(&headers, id, "intake", None))
}

/// `POST /assets/{id}/low`: a low mesh that was made elsewhere, which becomes a candidate of an asset.
pub async fn bring(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
    Multipart(form): Multipart,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    let refused = "meshes arrived. Give one low mesh at a time, with the files that belong to it.";
    let (arrived, members) = arrive_as_one(&app, &headers, form, refused).await?;
    let naming = app.store.naming().await?;
    keep(&app, &arrived, &members).await?;
    let hash = app
        .store
        .ask_for_brought(&asset, brought(&arrived, &members))
        .await?;
    drop(naming);
    let tray = app.store.tray(id).await?;
    let made = tray.iter().find(|c| c.hash == hash).map(|c| c.number);
    Ok(back(&headers, id, "maps", made))
}

/// Keeps files as blobs.
async fn keep(app: &App, arrived: &[Arrived], members: &[usize]) -> Result<(), Failure> {
    for &i in members {
        let file = &arrived[i];
        app.store.blobs.put_file(&file.path, &file.hash).await?;
    }
    Ok(())
}

/// Files as those of a source.
pub(super) fn sources(arrived: &[Arrived], members: &[usize]) -> Vec<SourceFile> {
    let of = |&i: &usize| SourceFile {
        name: arrived[i].name.clone(),
        blob: arrived[i].hash.clone(),
        bytes: arrived[i].bytes,
    };
    members.iter().map(of).collect()
}

/// Files as those of a low mesh that was made elsewhere.
fn brought(arrived: &[Arrived], members: &[usize]) -> Vec<BroughtFile> {
    let of = |&i: &usize| BroughtFile {
        name: arrived[i].name.clone(),
        blob: arrived[i].hash.clone(),
        bytes: arrived[i].bytes,
    };
    members.iter().map(of).collect()
}

/// Files on the disk, and which of them belong together.
type Sorted = (Arc<Vec<Arrived>>, Vec<Vec<usize>>);

/// The files of a form that make up one mesh. Where several arrive, how many and `refused` are the sentence.
async fn arrive_as_one(
    app: &App,
    headers: &HeaderMap,
    form: axum::extract::Multipart,
    refused: &str,
) -> Result<(Arc<Vec<Arrived>>, Vec<usize>), Failure> {
    let (arrived, mut groups) = arrive(app, headers, form).await?;
    match groups.len() {
        1 => Ok((arrived, groups.remove(0))),
        many => Err(Failure::bad(format!("{many} {refused}"))),
    }
}

/// Streams the files of a form to the disk, unpacks what is packed and sorts them by asset.
async fn arrive(
    app: &App,
    headers: &HeaderMap,
    mut form: axum::extract::Multipart,
) -> Result<Sorted, Failure> {
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
    // What arrives is written twice: here, and as blobs.
    app.store
        .disk
        .needs(announced.unwrap_or(0).saturating_mul(2))?;
    let mut arrived = Vec::new();
    let mut left = app.upload_limit;
    while let Some(field) = form.next_field().await.map_err(broken_off)? {
        let Some(name) = field.file_name().map(|n| base_name(n).to_owned()) else {
            continue;
        };
        if name.is_empty() {
            continue;
        }
        let file = save(app, field, name, left).await?.ok_or_else(too_large)?;
        left -= file.bytes;
        arrived.push(file);
    }
    if arrived.is_empty() {
        return Err(Failure::bad(
            "No file arrived. Drop a .glb, .ply or .stl, a .gltf or an .obj with its files, or a .zip of these.",
        ));
    }
    let arrived = unpacked(app, arrived).await?;
    let arrived = Arc::new(arrived);
    let groups = {
        let arrived = arrived.clone();
        tokio::task::spawn_blocking(move || group(&arrived))
            .await
            .map_err(|_| Failure::bad("The files could not be sorted. Drop them again."))??
    };
    Ok((arrived, groups))
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
            format!(
                "{name} could not be stored on the disk that holds {}: {}. Free space there and drop it again.",
                app.store.disk.folder().display(),
                plain(&e)
            ),
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

/// A file of this machine, copied to where uploads lie, as if it had been dropped.
pub(super) fn taken(
    file: &std::path::Path,
    incoming: &std::path::Path,
    limit: u64,
) -> Result<Arrived, Failure> {
    let name = file
        .file_name()
        .unwrap_or_default()
        .to_string_lossy()
        .into_owned();
    let failed = |e: std::io::Error| {
        Failure::new(
            StatusCode::INSUFFICIENT_STORAGE,
            format!("{name} could not be taken in: {}.", plain(&e)),
        )
    };
    let mut from = std::fs::File::open(file).map_err(failed)?;
    if from.metadata().map_err(failed)?.len() > limit {
        return Err(Failure::bad(format!(
            "{name} is larger than {}, the most this server takes.",
            words::bytes(limit)
        )));
    }
    let (mut out, path) = tempfile::NamedTempFile::new_in(incoming)
        .map_err(failed)?
        .into_parts();
    let mut hasher = blake3::Hasher::new();
    let (mut bytes, mut buffer) = (0, vec![0; 1 << 16]);
    loop {
        let n = from.read(&mut buffer).map_err(failed)?;
        if n == 0 {
            break;
        }
        hasher.update(&buffer[..n]);
        std::io::Write::write_all(&mut out, &buffer[..n]).map_err(failed)?;
        bytes += n as u64;
    }
    Ok(Arrived {
        name: name.clone(),
        path,
        hash: hasher.finalize().to_hex().to_string(),
        bytes,
    })
}

/// What the system says, without its number.
fn plain(error: &std::io::Error) -> String {
    match error.kind() {
        std::io::ErrorKind::StorageFull => "it is full".to_owned(),
        std::io::ErrorKind::QuotaExceeded => "your share of it is full".to_owned(),
        _ => error.to_string(),
    }
}

/// The files that arrived, with the members of archives in the place of the archives.
pub(super) async fn unpacked(app: &App, arrived: Vec<Arrived>) -> Result<Vec<Arrived>, Failure> {
    let mut files = Vec::new();
    for file in arrived {
        if !extension_of(&file.name).eq_ignore_ascii_case("zip") {
            files.push(file);
            continue;
        }
        let (incoming, limit) = (PathBuf::clone(&app.incoming), app.upload_limit);
        let members = tokio::task::spawn_blocking(move || members(&file, &incoming, limit))
            .await
            .map_err(|_| {
                Failure::bad("The archive could not be unpacked. Drop its files instead.")
            })??;
        files.extend(members);
    }
    Ok(files)
}

/// Unpacks an archive to disk, member by member.
fn members(
    archive: &Arrived,
    incoming: &std::path::Path,
    limit: u64,
) -> Result<Vec<Arrived>, Failure> {
    let name = &archive.name;
    let disk = |e: std::io::Error| {
        Failure::new(
            StatusCode::INSUFFICIENT_STORAGE,
            format!(
                "{name} could not be unpacked on the disk that holds {}: {}. Free space there and drop it again.",
                incoming.display(),
                plain(&e)
            ),
        )
    };
    let limits = Limits {
        bytes: limit,
        ..Limits::default()
    };
    let file = std::fs::File::open(&archive.path).map_err(disk)?;
    let mut list = Vec::new();
    archive::unpack(
        name,
        std::io::BufReader::new(file),
        limits,
        |member, content| {
            let (mut out, path) = tempfile::NamedTempFile::new_in(incoming)
                .map_err(disk)?
                .into_parts();
            let mut hasher = blake3::Hasher::new();
            let (mut bytes, mut buffer) = (0, vec![0; 1 << 16]);
            loop {
                let n = content.read(&mut buffer).map_err(|e| {
                    Failure::bad(format!(
                        "{member} in {name} is damaged ({e}). Pack it again."
                    ))
                })?;
                if n == 0 {
                    break;
                }
                hasher.update(&buffer[..n]);
                std::io::Write::write_all(&mut out, &buffer[..n]).map_err(disk)?;
                bytes += n as u64;
            }
            list.push(Arrived {
                name: member.to_owned(),
                path,
                hash: hasher.finalize().to_hex().to_string(),
                bytes,
            });
            Ok::<(), Failure>(())
        },
    )?;
    Ok(list)
}

/// Which files make an asset together: indices, the mesh first, then what it refers to, directly or through
/// its materials. A mesh dropped with nothing but one other mesh's companions gets only its own.
pub(super) fn group(arrived: &[Arrived]) -> Result<Vec<Vec<usize>>, Failure> {
    let is_mesh = |i: usize| {
        let kind = extension_of(&arrived[i].name);
        MESHES.iter().any(|m| m.eq_ignore_ascii_case(kind))
    };
    let meshes: Vec<usize> = (0..arrived.len()).filter(|&i| is_mesh(i)).collect();
    if meshes.is_empty() {
        let names: Vec<&str> = arrived.iter().map(|f| f.name.as_str()).collect();
        return Err(Failure::bad(format!(
            "{} holds no mesh that Ectome reads. Drop a .glb, .ply or .stl, a .gltf or an .obj with its files, or a .zip of these.",
            names.join(", ")
        )));
    }
    Ok(meshes
        .into_iter()
        .map(|mesh| {
            let mut members = vec![mesh];
            let mut at = 0;
            while at < members.len() {
                for reference in named_by(&arrived[members[at]]) {
                    let wanted = base_name(&reference);
                    // Every file of that name comes along; the reader takes the one in the right folder.
                    let found = (0..arrived.len())
                        .filter(|&i| base_name(&arrived[i].name).eq_ignore_ascii_case(wanted));
                    let new: Vec<usize> = found.filter(|i| !members.contains(i)).collect();
                    members.extend(new);
                }
                at += 1;
            }
            members
        })
        .collect())
}

/// The most bytes of a file that are read for what it refers to: headers and the lists at the top.
const LOOKED_INTO: u64 = 64 << 20;

/// The files that a file refers to.
fn named_by(file: &Arrived) -> Vec<String> {
    let kind = extension_of(&file.name).to_lowercase();
    if !matches!(kind.as_str(), "obj" | "mtl" | "ply" | "gltf") {
        return Vec::new();
    }
    let mut bytes = Vec::new();
    let read =
        std::fs::File::open(&file.path).and_then(|f| f.take(LOOKED_INTO).read_to_end(&mut bytes));
    match read {
        Ok(_) => references(&file.name, &bytes),
        Err(_) => Vec::new(),
    }
}

/// A file name without folder and extension.
pub(super) fn stem(name: &str) -> &str {
    let name = base_name(name);
    name.rsplit_once('.').map_or(name, |(stem, _)| stem)
}

/// The stem of a file name as a title: spaces for underscores, a capital first.
pub(super) fn titled(stem: &str) -> String {
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
