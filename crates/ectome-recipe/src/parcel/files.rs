//! The files of a parcel as they are gathered: no two of one name, and what has the same bytes is there once.

use super::names::{Taken, safe};

/// A file of a parcel.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct File {
    /// Its name; no folders.
    pub name: String,
    /// What it holds: `LOD0`, `maps`, `sheet` …
    pub of: String,
    /// Its bytes.
    pub bytes: Vec<u8>,
}

/// Files as they are gathered.
#[derive(Default)]
pub(super) struct Shelf {
    pub(super) files: Vec<File>,
    taken: Taken,
}

impl Shelf {
    /// A name for files that belong together, each with one of the `ends`.
    pub(super) fn stem(&mut self, wanted: &str, ends: &[&str]) -> String {
        let wanted = safe(wanted);
        let mut n = 1;
        loop {
            let stem = match n {
                1 => wanted.clone(),
                n => format!("{wanted}_{n}"),
            };
            let mut trial = self.taken.clone();
            if ends
                .iter()
                .all(|end| trial.free(&stem, end) == format!("{stem}{end}"))
            {
                self.taken = trial;
                return stem;
            }
            n += 1;
        }
    }

    /// Adds a file whose name is its own already.
    pub(super) fn put(&mut self, name: String, of: &str, bytes: Vec<u8>) {
        self.files.push(File {
            name,
            of: of.to_owned(),
            bytes,
        });
    }

    /// Adds a picture under a name like the wanted one; where its bytes are there already, says under which name.
    pub(super) fn picture(&mut self, wanted: &str, end: &str, of: &str, bytes: &[u8]) -> String {
        if let Some(known) = self.files.iter().find(|f| f.bytes == bytes) {
            return known.name.clone();
        }
        let name = self.taken.free(&safe(wanted), end);
        self.put(name.clone(), of, bytes.to_vec());
        name
    }
}
