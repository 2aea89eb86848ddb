//! How much room is left where everything is kept, and where the rest went.

use std::{
    path::{Path, PathBuf},
    sync::{Arc, Mutex},
    time::{Duration, Instant},
};

use crate::StoreError;

/// How old the sums of [`Disk::taken`] may be.
const FRESH: Duration = Duration::from_secs(60);

/// The disk of the data folder. Clones share what was measured.
#[derive(Clone)]
pub struct Disk {
    folder: PathBuf,
    reserve: u64,
    taken: Arc<Mutex<Option<(Instant, Taken)>>>,
}

/// Where the room of the data folder went, in bytes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Taken {
    /// Meshes and pictures.
    pub blobs: u64,
    /// The database.
    pub database: u64,
    /// Uploads that are not complete.
    pub incoming: u64,
}

impl Disk {
    /// The disk of `folder`, of which at least `reserve` bytes shall stay free: the database needs room to finish what it
    /// began, and everybody else on the machine some, too.
    pub fn of(folder: &Path, reserve: u64) -> Self {
        Self {
            folder: folder.to_owned(),
            reserve,
            taken: Arc::default(),
        }
    }

    /// The folder.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// Bytes that shall stay free.
    pub fn reserve(&self) -> u64 {
        self.reserve
    }

    /// Bytes that are free; everything when the system does not tell.
    pub fn free(&self) -> u64 {
        rustix::fs::statvfs(&self.folder)
            .map_or(u64::MAX, |s| s.f_bavail.saturating_mul(s.f_frsize))
    }

    /// True when new work has to wait.
    pub fn is_low(&self) -> bool {
        self.free() < self.reserve
    }

    /// Makes sure that `bytes` can be written and the reserve stays.
    ///
    /// # Errors
    /// [`StoreError::NoSpace`].
    pub fn needs(&self, bytes: u64) -> Result<(), StoreError> {
        let free = self.free();
        if free < self.reserve.saturating_add(bytes) {
            Err(StoreError::NoSpace {
                folder: self.folder.clone(),
                needed: self.reserve.saturating_add(bytes),
                free,
            })
        } else {
            Ok(())
        }
    }

    /// Where the room went. Looked at once a minute at most.
    pub fn taken(&self) -> Taken {
        let mut last = self.taken.lock().unwrap_or_else(|e| e.into_inner());
        if let Some((when, taken)) = *last
            && when.elapsed() < FRESH
        {
            return taken;
        }
        let taken = Taken {
            blobs: size(&self.folder.join("blobs")),
            database: size(&self.folder.join("database")),
            incoming: size(&self.folder.join("incoming")),
        };
        *last = Some((Instant::now(), taken));
        taken
    }
}

/// Bytes of all files below a folder; what goes away meanwhile counts nothing.
fn size(folder: &Path) -> u64 {
    let Ok(entries) = std::fs::read_dir(folder) else {
        return 0;
    };
    entries
        .flatten()
        .map(|entry| match entry.metadata() {
            Ok(m) if m.is_dir() => size(&entry.path()),
            Ok(m) => m.len(),
            Err(_) => 0,
        })
        .sum()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_reserve_that_cannot_be_kept_is_a_sentence_with_the_folder() {
        let folder = tempfile::tempdir().unwrap();
        std::fs::create_dir_all(folder.path().join("blobs/ab")).unwrap();
        std::fs::write(folder.path().join("blobs/ab/x"), [0; 1000]).unwrap();
        let disk = Disk::of(folder.path(), 0);
        assert!(!disk.is_low() && disk.needs(1).is_ok());
        assert_eq!(disk.taken().blobs, 1000);
        let greedy = Disk::of(folder.path(), u64::MAX);
        assert!(greedy.is_low());
        let said = greedy.needs(1).unwrap_err().to_string();
        assert!(
            said.contains(&folder.path().display().to_string()),
            "{said}"
        );
    }
}
