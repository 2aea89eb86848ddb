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
    /// The port the server answers on; `Host` must name it.
    pub port: u16,
}
