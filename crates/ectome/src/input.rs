//! Files given on the command line.

use std::path::Path;

use ectome_formats::{
    FileSet, Scene,
    files::{base_name, references},
};

use crate::command::Failure;

/// A mesh file and its companions, read into memory.
pub struct Input {
    files: Vec<(String, Vec<u8>)>,
}

impl Input {
    /// Reads a mesh file; and whatever it names beside it, from its folder.
    pub fn open(path: &Path) -> Result<Self, Failure> {
        let bytes = std::fs::read(path).map_err(|e| Failure::Read(path.to_owned(), e))?;
        let name = file_name(path);
        let mut files = vec![(name.clone(), bytes)];
        let mut wanted = references(&name, &files[0].1);
        let folder = path.parent().unwrap_or(Path::new("."));
        while let Some(reference) = wanted.pop() {
            let known = |n: &str| n.eq_ignore_ascii_case(base_name(&reference));
            if files.iter().any(|(n, _)| known(n)) {
                continue;
            }
            let reference = reference.replace('\\', "/");
            let found = [folder.join(&reference), folder.join(base_name(&reference))]
                .into_iter()
                .find_map(|p| std::fs::read(p).ok());
            if let Some(bytes) = found {
                wanted.extend(references(&reference, &bytes));
                files.push((base_name(&reference).to_owned(), bytes));
            }
        }
        Ok(Self { files })
    }

    /// The files as a set.
    pub fn set(&self) -> FileSet<'_> {
        FileSet::new(self.files.iter().map(|(n, b)| (n.as_str(), b.as_slice())))
    }

    /// The scene, notes printed to stderr.
    pub fn scene(&self) -> Result<Scene, Failure> {
        let scene = ectome_formats::read(&self.set())?;
        for note in &scene.notes {
            eprintln!("ectome: note: {note}");
        }
        Ok(scene)
    }
}

fn file_name(path: &Path) -> String {
    path.file_name()
        .map_or_else(String::new, |n| n.to_string_lossy().into_owned())
}
