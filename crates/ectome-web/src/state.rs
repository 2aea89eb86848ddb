//! What every handler needs.

use std::{path::PathBuf, sync::Arc};

use ectome_store::Store;

use crate::{cut::open_sources::OpenSources, feed::Feed, uvs::sheets::UvSheets};

/// The application's state.
#[derive(Clone)]
pub struct App {
    /// Rows and blobs.
    pub store: Store,
    /// Where uploads lie until they are complete.
    pub incoming: Arc<PathBuf>,
    /// The largest upload, in bytes.
    pub upload_limit: u64,
    /// Sources that are being looked at.
    pub open: OpenSources,
    /// Sheets of UVs that are being looked at.
    pub sheets: UvSheets,
    /// The latest work, for pages that listen.
    pub feed: Feed,
    /// The folder whose subfolders batches may watch, where whoever started the server named one.
    pub watched: Option<Arc<PathBuf>>,
    /// The port the server answers on; `Host` must name it.
    pub port: u16,
}

impl App {
    /// The subfolders that a batch may watch, by name.
    pub fn watched_folders(&self) -> Vec<String> {
        let list = self
            .watched
            .iter()
            .flat_map(|root| std::fs::read_dir(&**root));
        let mut names: Vec<String> = list
            .flatten()
            .filter_map(Result::ok)
            .filter(|e| e.file_type().is_ok_and(|t| t.is_dir()))
            .map(|e| e.file_name().to_string_lossy().into_owned())
            .filter(|name| !name.starts_with('.') && name.len() <= 255)
            .collect();
        names.sort();
        names
    }
}
