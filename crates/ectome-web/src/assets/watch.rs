//! Folders whose files join a batch by themselves, and again when they change.
//!
//! Everything is below one folder that whoever starts the server names: pages choose among its subfolders and nothing else on the
//! machine. An entry of such a subfolder is a mesh with its files in a folder, a zip, or a mesh that needs no others. It is taken once it
//! has looked the same for two rounds, so that what is still being copied is left alone.

use std::{
    collections::HashMap,
    path::{Path, PathBuf},
    time::{Duration, UNIX_EPOCH},
};

use ectome_store::{
    asset::{AssetState, NewAsset},
    batch::{Batch, Watched},
};
use tokio::sync::watch;

use super::upload::{Arrived, group, sources, stem, taken, titled, unpacked};
use crate::{failure::Failure, state::App};

/// How often folders are looked at.
const ROUND: Duration = Duration::from_secs(2);
/// The most files of an entry.
const MOST_FILES: usize = 2000;

/// Looks after all watched folders until `stop` turns true.
pub async fn keep_watching(app: App, mut stop: watch::Receiver<bool>) {
    let mut before: HashMap<(u64, String), String> = HashMap::new();
    while !*stop.borrow() {
        match round(&app, &before).await {
            Ok(seen) => before = seen,
            Err(error) => tracing::warn!(?error, "folders could not be looked at"),
        }
        tokio::select! {
            () = tokio::time::sleep(ROUND) => {}
            _ = stop.changed() => {}
        }
    }
}

/// One look at every folder. Returns how each entry looks.
async fn round(
    app: &App,
    before: &HashMap<(u64, String), String>,
) -> Result<HashMap<(u64, String), String>, Failure> {
    let mut seen = HashMap::new();
    let Some(root) = &app.watched else {
        return Ok(seen);
    };
    for batch in app.store.batches().await? {
        let Some(folder) = &batch.folder else {
            continue;
        };
        let known = app.store.watched(batch.id).await?;
        for (entry, looks, files) in entries(&root.join(folder)) {
            let key = (batch.id, entry.clone());
            let was = known.iter().find(|w| w.entry == entry);
            let is_settled = before.get(&key) == Some(&looks);
            seen.insert(key, looks.clone());
            if !is_settled || was.is_some_and(|w| w.looks == looks) {
                continue;
            }
            let asset = was.and_then(|w| w.asset);
            let done = take(app, &batch, &entry, files, asset).await;
            let note = Watched {
                entry,
                looks,
                asset: done.as_ref().ok().copied().or(asset),
                fault: done.err().map(|e| e.sentence()),
            };
            app.store.note_watched(batch.id, &note).await?;
        }
    }
    Ok(seen)
}

/// The entries of a folder: their names, how they look, and their files. Links are not followed, hidden entries left out.
fn entries(folder: &Path) -> Vec<(String, String, Vec<PathBuf>)> {
    let Ok(list) = std::fs::read_dir(folder) else {
        return Vec::new();
    };
    let mut out = Vec::new();
    for entry in list.filter_map(Result::ok) {
        let name = entry.file_name().to_string_lossy().into_owned();
        let Ok(kind) = entry.file_type() else {
            continue;
        };
        if name.starts_with('.') || name.len() > 255 || kind.is_symlink() {
            continue;
        }
        let files = if kind.is_dir() {
            below(&entry.path())
        } else {
            vec![entry.path()]
        };
        if files.is_empty() || files.len() > MOST_FILES {
            continue;
        }
        out.push((name, looks(&files), files));
    }
    out.sort();
    out
}

/// The files of a folder and of those in it, by name.
fn below(folder: &Path) -> Vec<PathBuf> {
    let mut files = Vec::new();
    let mut folders = vec![folder.to_owned()];
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(folder)
            .into_iter()
            .flatten()
            .filter_map(Result::ok)
        {
            match entry.file_type() {
                Ok(kind) if kind.is_dir() => folders.push(entry.path()),
                Ok(kind) if kind.is_file() => files.push(entry.path()),
                _ => {}
            }
            if files.len() > MOST_FILES {
                return files;
            }
        }
    }
    files.sort();
    files
}

/// A fingerprint of files: their names, sizes and times.
fn looks(files: &[PathBuf]) -> String {
    let mut hasher = blake3::Hasher::new();
    for file in files {
        hasher.update(file.to_string_lossy().as_bytes());
        if let Ok(about) = std::fs::metadata(file) {
            hasher.update(&about.len().to_le_bytes());
            let time = about
                .modified()
                .ok()
                .and_then(|t| t.duration_since(UNIX_EPOCH).ok());
            hasher.update(&time.map_or(0, |t| t.as_nanos()).to_le_bytes());
        }
    }
    hasher.finalize().to_hex().to_string()
}

/// Makes an asset of an entry, or gives the one it became its new files.
async fn take(
    app: &App,
    batch: &Batch,
    entry: &str,
    files: Vec<PathBuf>,
    asset: Option<u64>,
) -> Result<u64, Failure> {
    let incoming = PathBuf::clone(&app.incoming);
    let limit = app.upload_limit;
    let arrived: Vec<Arrived> = tokio::task::spawn_blocking(move || {
        files
            .iter()
            .map(|f| taken(f, &incoming, limit))
            .collect::<Vec<_>>()
    })
    .await
    .map_err(|_| Failure::bad("The files could not be read."))?
    .into_iter()
    .collect::<Result<_, Failure>>()?;
    let arrived = unpacked(app, arrived).await?;
    let groups = group(&arrived)?;
    let [members] = &groups[..] else {
        return Err(Failure::bad(format!(
            "{entry} holds {} meshes. Give each a folder of its own.",
            groups.len()
        )));
    };
    let naming = app.store.naming().await?;
    for &i in members {
        let file = &arrived[i];
        app.store.blobs.put_file(&file.path, &file.hash).await?;
    }
    let sources = sources(&arrived, members);
    let known = match asset {
        Some(id) => app.store.asset(id).await.ok(),
        None => None,
    };
    let id = match known {
        Some(known) if known.state() == AssetState::Ready => {
            app.store.replace_files(&known, &sources).await?;
            known.id
        }
        _ => {
            let new = NewAsset {
                name: titled(stem(entry)),
                brief: batch.brief,
                files: sources,
                low: Vec::new(),
            };
            app.store.add_assets(&[new]).await?.pop().unwrap_or(0)
        }
    };
    drop(naming);
    app.store.join_batch(batch.id, id).await?;
    Ok(id)
}
