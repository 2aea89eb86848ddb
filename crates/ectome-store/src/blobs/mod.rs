//! Meshes and pictures by content hash.

mod place;

use std::{
    collections::HashSet,
    path::{Path, PathBuf},
    sync::Arc,
    time::{Duration, SystemTime},
};

use bytes::Bytes;
use futures::{TryStreamExt, stream::BoxStream};
use object_store::{
    ObjectStore, ObjectStoreExt, PutPayload, WriteMultipart, local::LocalFileSystem,
    path::Path as Key,
};
use tokio::{
    io::{AsyncReadExt, AsyncWriteExt},
    sync::Notify,
};

use crate::{StoreError, collect::Freed, folder};
use place::Place;

/// Blobs up to this size are written at once.
const AT_ONCE: usize = 8 << 20;
/// What somebody began to write so long ago in a folder that several use is not written any more.
const ABANDONED: Duration = Duration::from_secs(24 * 60 * 60);

/// The object store. A blob's key is the BLAKE3 hash of its content, so equal content is kept once
/// and nothing is ever overwritten. What is stored has reached the disk before its key is handed out.
#[derive(Clone)]
pub struct Blobs {
    store: Arc<dyn ObjectStore>,
    /// Where they lie, when that is a folder of this machine.
    folder: Option<PathBuf>,
    asked: Arc<Notify>,
}

/// How often a store is asked to give back what it was given.
const TRIES: u32 = 20;

impl Blobs {
    /// A store in a folder that nobody else uses. What a killed process left half written there is taken away.
    ///
    /// # Errors
    /// When the folder cannot be made.
    pub fn in_folder(folder: &Path) -> Result<Self, StoreError> {
        let blobs = Self::in_shared_folder(folder)?;
        blobs.remove_unfinished(Duration::ZERO)?;
        Ok(blobs)
    }

    /// A store by URL that others may use at the same time; [`place`] says which URLs there are.
    ///
    /// # Errors
    /// [`StoreError::Address`] for a URL that is not understood, [`StoreError::File`] for a folder that cannot be made.
    pub fn at(address: &str) -> Result<Self, StoreError> {
        match Place::of(address)? {
            Place::Folder(folder) => Self::in_shared_folder(&folder),
            Place::Remote(store) => Ok(Self {
                store,
                folder: None,
                asked: Arc::default(),
            }),
        }
    }

    fn in_shared_folder(folder: &Path) -> Result<Self, StoreError> {
        folder::private(folder)?;
        let folder = folder
            .canonicalize()
            .map_err(|e| StoreError::File(folder.to_owned(), e.to_string()))?;
        Ok(Self {
            store: Arc::new(LocalFileSystem::new_with_prefix(&folder)?.with_fsync(true)),
            folder: Some(folder),
            asked: Arc::default(),
        })
    }

    /// Takes away what somebody began to write at least `age` ago and did not finish.
    fn remove_unfinished(&self, age: Duration) -> Result<(), StoreError> {
        let Some(folder) = &self.folder else {
            return Ok(());
        };
        let before = SystemTime::now() - age;
        remove_unfinished(folder, before)
            .map_err(|e| StoreError::File(folder.clone(), e.to_string()))
    }

    /// Makes sure that the store answers and that it can be written to.
    ///
    /// # Errors
    /// When it does not.
    pub async fn check(&self) -> Result<(), StoreError> {
        // Nobody names what is put here, so whoever collects at this moment takes it away again.
        let mut tries = TRIES;
        loop {
            let probe = self.put(&b"Ectome keeps its blobs here."[..]).await?;
            tries -= 1;
            match self.get(&probe).await {
                Err(StoreError::Blob(object_store::Error::NotFound { .. })) if tries > 0 => {}
                answer => return answer.map(drop),
            }
        }
    }

    fn key(hash: &str) -> Key {
        Key::from(format!("{}/{hash}", hash.get(..2).unwrap_or("__")))
    }

    /// Asks for a collection soon.
    pub(crate) fn ask_for_collection(&self) {
        self.asked.notify_one();
    }

    /// Resolves when somebody asked for a collection.
    pub(crate) async fn asked(&self) {
        self.asked.notified().await;
    }

    /// Stores bytes and returns their key.
    ///
    /// # Errors
    /// When the store refuses.
    pub async fn put(&self, bytes: impl Into<Bytes>) -> Result<String, StoreError> {
        let bytes = bytes.into();
        let hash = blake3::hash(&bytes).to_hex().to_string();
        let key = Self::key(&hash);
        if self.store.head(&key).await.is_ok() {
            return Ok(hash);
        }
        if bytes.len() <= AT_ONCE {
            self.store.put(&key, PutPayload::from_bytes(bytes)).await?;
            return Ok(hash);
        }
        // In pieces, so that work that is stopped meanwhile ends between two of them.
        let mut upload = WriteMultipart::new(self.store.put_multipart(&key).await?);
        for piece in 0..bytes.len().div_ceil(AT_ONCE) {
            upload.wait_for_capacity(2).await?;
            let end = bytes.len().min((piece + 1) * AT_ONCE);
            upload.put(bytes.slice(piece * AT_ONCE..end));
        }
        upload.finish().await?;
        Ok(hash)
    }

    /// Stores a file, never whole in memory, under its `hash`, which the caller computed while
    /// writing it.
    ///
    /// # Errors
    /// When the file cannot be read or the store refuses.
    pub async fn put_file(&self, path: &Path, hash: &str) -> Result<(), StoreError> {
        let key = Self::key(hash);
        if self.store.head(&key).await.is_ok() {
            return Ok(());
        }
        let file_error = |e: std::io::Error| StoreError::File(path.to_owned(), e.to_string());
        let mut file = tokio::fs::File::open(path).await.map_err(file_error)?;
        let mut upload = WriteMultipart::new(self.store.put_multipart(&key).await?);
        let mut buffer = vec![0; 1 << 20];
        loop {
            let n = file.read(&mut buffer).await.map_err(file_error)?;
            if n == 0 {
                break;
            }
            upload.wait_for_capacity(4).await?;
            upload.write(&buffer[..n]);
        }
        upload.finish().await?;
        Ok(())
    }

    /// The whole blob.
    ///
    /// # Errors
    /// When there is none or the store refuses.
    pub async fn get(&self, hash: &str) -> Result<Bytes, StoreError> {
        Ok(self.store.get(&Self::key(hash)).await?.bytes().await?)
    }

    /// The whole blob where it lies: a large one takes no memory of its own as long as nobody looks at it. One of another
    /// machine is brought here first, into a file without a name that goes with the bytes.
    ///
    /// # Errors
    /// When there is none or the store refuses.
    pub async fn open(&self, hash: &str) -> Result<Bytes, StoreError> {
        if let Some(folder) = &self.folder {
            let path = folder.join(Self::key(hash).as_ref());
            let file = std::fs::File::open(&path);
            return file
                .and_then(|file| mapped(&file))
                .map_err(|e| StoreError::File(path, e.to_string()));
        }
        let (mut stream, size) = self.stream(hash).await?;
        if size <= AT_ONCE as u64 {
            return self.get(hash).await;
        }
        let failed = |e: std::io::Error| StoreError::File(std::env::temp_dir(), e.to_string());
        let mut file = tokio::fs::File::from_std(tempfile::tempfile().map_err(failed)?);
        while let Some(piece) = stream.try_next().await? {
            file.write_all(&piece).await.map_err(failed)?;
        }
        file.flush().await.map_err(failed)?;
        mapped(&file.into_std().await).map_err(failed)
    }

    /// The blob as a stream, and its size.
    ///
    /// # Errors
    /// When there is none or the store refuses.
    pub async fn stream(
        &self,
        hash: &str,
    ) -> Result<(BoxStream<'static, object_store::Result<Bytes>>, u64), StoreError> {
        let result = self.store.get(&Self::key(hash)).await?;
        let size = result.meta.size;
        Ok((result.into_stream(), size))
    }

    /// The hashes of all blobs, with their sizes.
    ///
    /// # Errors
    /// When the store refuses.
    pub async fn all(&self) -> Result<Vec<(String, u64)>, StoreError> {
        let mut list = Vec::new();
        let mut blobs = self.store.list(None);
        while let Some(blob) = blobs.try_next().await? {
            if let Some(name) = blob.location.filename() {
                list.push((name.to_owned(), blob.size));
            }
        }
        Ok(list)
    }

    /// Takes away every blob that is not `named`.
    pub(crate) async fn sweep(&self, named: &HashSet<String>) -> Result<Freed, StoreError> {
        self.remove_unfinished(ABANDONED)?;
        let mut freed = Freed::default();
        for (hash, bytes) in self.all().await? {
            if !named.contains(&hash) {
                self.store.delete(&Self::key(&hash)).await?;
                freed.blobs += 1;
                freed.bytes += bytes;
            }
        }
        Ok(freed)
    }
}

/// A file as bytes that are read when they are looked at.
#[expect(
    unsafe_code,
    reason = "a mapping is sound as long as nobody cuts the file short: blobs are never altered once they are there, in \
              a folder that is ours alone, and one that is deleted meanwhile stays readable"
)]
fn mapped(file: &std::fs::File) -> std::io::Result<Bytes> {
    if file.metadata()?.len() == 0 {
        return Ok(Bytes::new());
    }
    // SAFETY: see the reason above.
    let map = unsafe { memmap2::Mmap::map(file) }?;
    Ok(Bytes::from_owner(map))
}

/// Takes away what the object store writes before it gives a blob its name, if nobody wrote to it since: such files end in
/// a sign and a number.
fn remove_unfinished(folder: &Path, since: SystemTime) -> std::io::Result<()> {
    for entry in std::fs::read_dir(folder)? {
        let entry = entry?;
        if entry.file_type()?.is_dir() {
            remove_unfinished(&entry.path(), since)?;
        } else if entry.file_name().to_string_lossy().contains('#')
            && entry.metadata()?.modified()? <= since
        {
            std::fs::remove_file(entry.path())?;
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn equal_content_has_one_key_and_comes_back_whole() {
        let folder = tempfile::tempdir().unwrap();
        let blobs = Blobs::in_folder(folder.path()).unwrap();
        let a = blobs.put(&b"rope"[..]).await.unwrap();
        let file = folder.path().join("incoming");
        std::fs::write(&file, b"rope").unwrap();
        blobs.put_file(&file, &a).await.unwrap();
        assert_eq!(blobs.put(&b"rope"[..]).await.unwrap(), a);
        assert_eq!(&blobs.get(&a).await.unwrap()[..], b"rope");
        assert_eq!(&blobs.open(&a).await.unwrap()[..], b"rope");
        assert!(blobs.get(&"0".repeat(64)).await.is_err());
        assert!(blobs.open(&"0".repeat(64)).await.is_err());
        // One that is written in pieces.
        let large: Vec<u8> = (0..3 * AT_ONCE + 7).map(|i| (i % 251) as u8).collect();
        let b = blobs.put(large.clone()).await.unwrap();
        assert!(blobs.open(&b).await.unwrap()[..] == large[..]);
        let nothing = blobs.put(Bytes::new()).await.unwrap();
        assert!(blobs.open(&nothing).await.unwrap().is_empty());
    }

    #[tokio::test]
    async fn what_is_not_named_goes_and_what_is_half_written_too() {
        let folder = tempfile::tempdir().unwrap();
        let blobs = Blobs::in_folder(folder.path()).unwrap();
        let kept = blobs.put(&b"rope"[..]).await.unwrap();
        let gone = blobs.put(&b"chain"[..]).await.unwrap();
        let half = folder.path().join(format!("{}/{kept}#1", &kept[..2]));
        std::fs::write(&half, b"ro").unwrap();
        let blobs = Blobs::in_folder(folder.path()).unwrap();
        assert!(!half.exists());
        let freed = blobs.sweep(&HashSet::from([kept.clone()])).await.unwrap();
        assert_eq!((freed.blobs, freed.bytes), (1, 5));
        assert!(blobs.get(&kept).await.is_ok() && blobs.get(&gone).await.is_err());
    }
}
