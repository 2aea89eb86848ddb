//! Meshes and pictures by content hash.

use std::{path::Path, sync::Arc};

use bytes::Bytes;
use futures::stream::BoxStream;
use object_store::{
    ObjectStore, ObjectStoreExt, PutPayload, WriteMultipart, local::LocalFileSystem,
    path::Path as Key,
};
use tokio::io::AsyncReadExt;

use crate::StoreError;

/// The object store. A blob's key is the BLAKE3 hash of its content, so equal content is kept once
/// and nothing is ever overwritten.
#[derive(Clone)]
pub struct Blobs {
    store: Arc<dyn ObjectStore>,
}

impl Blobs {
    /// A store in a folder.
    ///
    /// # Errors
    /// When the folder cannot be made.
    pub fn in_folder(folder: &Path) -> Result<Self, StoreError> {
        std::fs::create_dir_all(folder)
            .map_err(|e| StoreError::File(folder.to_owned(), e.to_string()))?;
        Ok(Self {
            store: Arc::new(LocalFileSystem::new_with_prefix(folder)?),
        })
    }

    fn key(hash: &str) -> Key {
        Key::from(format!("{}/{hash}", hash.get(..2).unwrap_or("__")))
    }

    /// Stores bytes and returns their key.
    ///
    /// # Errors
    /// When the store refuses.
    pub async fn put(&self, bytes: impl Into<Bytes>) -> Result<String, StoreError> {
        let bytes = bytes.into();
        let hash = blake3::hash(&bytes).to_hex().to_string();
        let key = Self::key(&hash);
        if self.store.head(&key).await.is_err() {
            self.store.put(&key, PutPayload::from_bytes(bytes)).await?;
        }
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
        assert!(blobs.get(&"0".repeat(64)).await.is_err());
    }
}
