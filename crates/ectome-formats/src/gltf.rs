//! glTF as text, with its buffers and pictures beside it or inside it as data URIs.

use crate::{FileSet, FormatError, Reading, Scene, glb};

/// Reads a `.gltf`. `files` holds what it refers to; a missing buffer is an error, a missing picture a note.
///
/// # Errors
/// A [`FormatError`] that names the file and its fault.
pub fn read(
    file: &str,
    bytes: &[u8],
    files: &FileSet<'_>,
    reading: &Reading,
) -> Result<Scene, FormatError> {
    glb::read_document(file, bytes, &[], Some(files), reading)
}

/// The names of the files that a `.gltf` refers to.
pub fn references(bytes: &[u8]) -> Vec<String> {
    let Ok(json) = serde_json::from_slice::<serde_json::Value>(bytes) else {
        return Vec::new();
    };
    ["buffers", "images"]
        .iter()
        .filter_map(|list| json[list].as_array())
        .flatten()
        .filter_map(|item| item["uri"].as_str())
        .filter(|uri| !uri.starts_with("data:"))
        .map(decoded)
        .collect()
}

/// A URI with its percent signs resolved (RFC 3986).
pub(crate) fn decoded(uri: &str) -> String {
    let bytes = uri.as_bytes();
    let mut out = Vec::with_capacity(bytes.len());
    let mut at = 0;
    while at < bytes.len() {
        let hex = (bytes[at] == b'%')
            .then(|| uri.get(at + 1..at + 3))
            .flatten()
            .and_then(|h| u8::from_str_radix(h, 16).ok());
        match hex {
            Some(b) => {
                out.push(b);
                at += 3;
            }
            None => {
                out.push(bytes[at]);
                at += 1;
            }
        }
    }
    String::from_utf8_lossy(&out).into_owned()
}
