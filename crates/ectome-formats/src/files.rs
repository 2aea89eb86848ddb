//! Which of the files dropped together is the mesh.

use crate::{FormatError, Scene, glb, obj, ply};

/// Files that came together, by name. Directories in names are ignored.
pub struct FileSet<'a> {
    files: Vec<(&'a str, &'a [u8])>,
}

impl<'a> FileSet<'a> {
    /// A set of named files.
    pub fn new(files: impl IntoIterator<Item = (&'a str, &'a [u8])>) -> Self {
        Self {
            files: files.into_iter().collect(),
        }
    }

    /// The bytes of the file that `reference` names, directories and case aside.
    pub fn find(&self, reference: &str) -> Option<&'a [u8]> {
        let wanted = base_name(reference);
        self.files
            .iter()
            .find(|(name, _)| base_name(name).eq_ignore_ascii_case(wanted))
            .map(|&(_, bytes)| bytes)
    }

    /// The first file with the extension.
    pub fn with_extension(&self, extension: &str) -> Option<(&'a str, &'a [u8])> {
        self.files
            .iter()
            .copied()
            .find(|(name, _)| extension_of(name).eq_ignore_ascii_case(extension))
    }
}

/// The name without directories, whichever way the slashes lean.
pub fn base_name(path: &str) -> &str {
    path.rsplit(['/', '\\']).next().unwrap_or(path).trim()
}

/// The extension of a name, or an empty one.
pub fn extension_of(name: &str) -> &str {
    base_name(name).rsplit_once('.').map_or("", |(_, e)| e)
}

/// Reads the mesh of a set of files.
///
/// # Errors
/// A [`FormatError`] that names the file and its fault.
pub fn read(files: &FileSet<'_>) -> Result<Scene, FormatError> {
    if let Some((name, bytes)) = files.with_extension("glb") {
        return glb::read(base_name(name), bytes);
    }
    if let Some((name, bytes)) = files.with_extension("obj") {
        return obj::read(base_name(name), bytes, files);
    }
    if let Some((name, bytes)) = files.with_extension("ply") {
        return ply::read(base_name(name), bytes, files);
    }
    let names: Vec<&str> = files.files.iter().map(|(n, _)| base_name(n)).collect();
    Err(FormatError::NoMesh {
        files: names.join(", "),
    })
}
