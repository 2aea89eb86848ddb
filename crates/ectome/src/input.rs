//! Files given on the command line.

use std::path::Path;

use ectome_formats::{
    FileSet, Reading, Scene,
    files::{base_name, references},
};
use ectome_mesh::Progress;

use crate::{command::failure::Failure, output::remark};

/// A mesh file and its companions, read into memory.
pub struct Input {
    files: Vec<(String, Vec<u8>)>,
}

impl Input {
    /// Reads a mesh file; and whatever it names beside it, from its folder. Only files are read on its word: a pipe that
    /// nobody writes into would never end.
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
            // A path of the machine it was made on means nothing here; its last name may lie beside the mesh.
            let relative = Path::new(&reference).is_relative();
            let found = relative
                .then(|| folder.join(&reference))
                .into_iter()
                .chain([folder.join(base_name(&reference))])
                .filter(|p| p.is_file())
                .find_map(|p| std::fs::read(p).ok());
            if let Some(bytes) = found {
                wanted.extend(references(&reference, &bytes));
                files.push((base_name(&reference).to_owned(), bytes));
            }
        }
        Ok(Self { files })
    }

    /// Bytes of all files.
    pub fn bytes(&self) -> usize {
        self.files.iter().map(|f| f.1.len()).sum()
    }

    /// The files as a set.
    pub fn set(&self) -> FileSet<'_> {
        FileSet::new(self.files.iter().map(|(n, b)| (n.as_str(), b.as_slice())))
    }

    /// The scene, notes printed to stderr.
    pub fn scene(&self, progress: &Progress) -> Result<Scene, Failure> {
        progress.stage("Reading");
        let reading = Reading::new(progress, available());
        let scene = ectome_formats::read_within(&self.set(), &reading)?;
        for note in &scene.notes {
            remark!("ectome: note: {note}");
        }
        Ok(scene)
    }
}

/// Bytes of memory that can be had; everything where the system does not tell.
fn available() -> u64 {
    let text = std::fs::read_to_string("/proc/meminfo").unwrap_or_default();
    let line = text.lines().find_map(|l| l.strip_prefix("MemAvailable:"));
    line.and_then(|l| l.trim().trim_end_matches("kB").trim().parse::<u64>().ok())
        .map_or(u64::MAX, |kib| kib * 1024)
}

fn file_name(path: &Path) -> String {
    path.file_name()
        .map_or_else(String::new, |n| n.to_string_lossy().into_owned())
}
