//! The files of a parcel as one zip, written while it is sent: it is never whole in memory.

use std::io::{self, Write};

use axum::body::Body;
use bytes::Bytes;
use ectome_store::{Store, parcel::ParcelFile};
use futures::{StreamExt, stream};
use tokio::{runtime::Handle, sync::mpsc};
use zip::{ZipWriter, write::SimpleFileOptions};

/// Pieces of the zip that wait to be sent.
const AHEAD: usize = 16;

/// What is written goes to whoever downloads it.
struct Sending(mpsc::Sender<io::Result<Bytes>>);

impl Write for Sending {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let piece = Bytes::copy_from_slice(bytes);
        let gone = |_| io::Error::from(io::ErrorKind::BrokenPipe);
        self.0.blocking_send(Ok(piece)).map_err(gone)?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// The zip as the body of an answer.
pub fn body(store: Store, files: Vec<ParcelFile>) -> Body {
    let (sender, receiver) = mpsc::channel(AHEAD);
    let runtime = Handle::current();
    tokio::task::spawn_blocking(move || {
        let end = sender.clone();
        if let Err(error) = write(&store, &runtime, &files, sender) {
            // Whoever went away is not told; who is there sees the download break off.
            tracing::warn!(%error, "a zip was not sent to its end");
            let _ = end.blocking_send(Err(error));
        }
    });
    let pieces = stream::unfold(receiver, |mut receiver| async move {
        receiver.recv().await.map(|piece| (piece, receiver))
    });
    // Whoever packs the answer may ask once more after its end.
    Body::from_stream(pieces.fuse())
}

fn write(
    store: &Store,
    runtime: &Handle,
    files: &[ParcelFile],
    sender: mpsc::Sender<io::Result<Bytes>>,
) -> io::Result<()> {
    let mut zip = ZipWriter::new_stream(io::BufWriter::with_capacity(1 << 16, Sending(sender)));
    for file in files {
        let bytes = runtime
            .block_on(store.blobs.open(&file.blob))
            .map_err(io::Error::other)?;
        let options = SimpleFileOptions::default().large_file(file.bytes > u64::from(u32::MAX));
        zip.start_file(file.name.as_str(), options)?;
        zip.write_all(&bytes)?;
    }
    zip.finish()?.flush()
}
