//! STL, text and binary (3D Systems, *StereoLithography Interface Specification*, 1988), read with `stl_io`.

use std::io::Cursor;

use ectome_mesh::{MeshBuilder, Primitive};
use glam::{Affine3A, Vec3};

use crate::{FormatError, Library, Reading, Scene, file_set::base_name, glb::mime_of};

/// Bytes before the triangles of a binary file, and bytes of each.
const HEAD: usize = 84;
const TRIANGLE: usize = 50;

/// Reads an STL. Every `solid` of a text is an object of its own; stored facet normals are not needed.
///
/// # Errors
/// A [`FormatError`] that names the file and its fault.
pub fn read(file: &str, bytes: &[u8], reading: &Reading) -> Result<Scene, FormatError> {
    if let Some(kind) = mime_of(bytes) {
        return Err(FormatError::NotThat {
            file: file.to_owned(),
            expected: "STL",
            fault: format!("its content is an {kind} picture"),
        });
    }
    // Fifty bytes, or as many letters, become three vertices that are gathered and shared.
    reading.needs(file, bytes.len() as u64 * 6)?;
    let stem = base_name(file);
    let stem = stem.rsplit_once('.').map_or(stem, |(s, _)| s);
    let solids = if is_text(bytes) {
        text_solids(file, bytes, reading)?
    } else {
        vec![(String::new(), binary(file, bytes, reading)?)]
    };
    let mut builder = MeshBuilder::new();
    let mut any = false;
    let several = solids.len() > 1;
    for (i, (name, positions)) in solids.into_iter().enumerate() {
        if positions.is_empty() {
            continue;
        }
        any = true;
        let name = match (name.as_str(), several) {
            ("", true) => format!("{stem} {}", i + 1),
            ("", false) => stem.to_owned(),
            (name, _) => name.to_owned(),
        };
        builder.part(&name, Affine3A::IDENTITY);
        builder.primitive(Primitive {
            corners: (0..positions.len() as u32).collect(),
            positions,
            ..Primitive::default()
        });
    }
    if !any {
        return Err(FormatError::Empty {
            file: file.to_owned(),
        });
    }
    Ok(Scene {
        mesh: builder.finish(),
        library: Library::default(),
        ..Scene::default()
    })
}

/// A text begins with "solid" – but so do some binary files, whose size gives them away.
fn is_text(bytes: &[u8]) -> bool {
    bytes.trim_ascii_start().starts_with(b"solid") && !has_binary_size(bytes)
}

fn has_binary_size(bytes: &[u8]) -> bool {
    let count = bytes.get(80..84).and_then(|b| b.try_into().ok());
    count.is_some_and(|b| HEAD + TRIANGLE * u32::from_le_bytes(b) as usize == bytes.len())
}

fn binary(file: &str, bytes: &[u8], reading: &Reading) -> Result<Vec<Vec3>, FormatError> {
    let Some(count) = bytes.get(80..84).and_then(|b| b.try_into().ok()) else {
        return Err(FormatError::Truncated {
            file: file.to_owned(),
            what: "its header".to_owned(),
            needed: HEAD as u64,
            found: bytes.len() as u64,
        });
    };
    let needed = HEAD as u64 + TRIANGLE as u64 * u64::from(u32::from_le_bytes(count));
    if (bytes.len() as u64) < needed {
        return Err(FormatError::Truncated {
            file: file.to_owned(),
            what: format!("its list of {} triangles", u32::from_le_bytes(count)),
            needed,
            found: bytes.len() as u64,
        });
    }
    if bytes.starts_with(b"solid") {
        let mut named = bytes.to_vec();
        named[..5].fill(b' ');
        return triangles(file, &named, reading);
    }
    triangles(file, bytes, reading)
}

fn text_solids(
    file: &str,
    bytes: &[u8],
    reading: &Reading,
) -> Result<Vec<(String, Vec<Vec3>)>, FormatError> {
    // Where each solid begins; "endsolid" does not begin a line with "solid".
    let mut starts = Vec::new();
    let mut at = 0;
    for line in bytes.split_inclusive(|&b| b == b'\n') {
        let words = line.trim_ascii_start();
        if words.starts_with(b"solid") && words.get(5).is_none_or(u8::is_ascii_whitespace) {
            starts.push(at);
        }
        at += line.len();
    }
    if starts.is_empty() {
        return Err(FormatError::Damaged {
            file: file.to_owned(),
            fault: "no line begins a solid".to_owned(),
        });
    }
    let ends = starts.iter().skip(1).copied().chain([bytes.len()]);
    starts
        .iter()
        .copied()
        .zip(ends)
        .map(|(from, to)| {
            let solid = bytes[from..to].trim_ascii_start();
            let line = solid.split(|&b| b == b'\n').next().unwrap_or_default();
            let name = String::from_utf8_lossy(&line[5.min(line.len())..]);
            // The reader beneath wants a blank after the word; writers also put a tab there, or nothing.
            let positions = if solid.starts_with(b"solid ") {
                triangles(file, solid, reading)?
            } else {
                triangles(file, &[b"solid ", &solid[5..]].concat(), reading)?
            };
            Ok((name.trim().to_owned(), positions))
        })
        .collect()
}

fn triangles(file: &str, bytes: &[u8], reading: &Reading) -> Result<Vec<Vec3>, FormatError> {
    let damaged = |fault: String| FormatError::Damaged {
        file: file.to_owned(),
        fault,
    };
    let mut cursor = Cursor::new(bytes);
    let reader = stl_io::create_stl_reader(&mut cursor).map_err(|e| damaged(e.to_string()))?;
    let mut positions = Vec::new();
    for (i, triangle) in reader.enumerate() {
        reading.row(i, bytes.len() / TRIANGLE)?;
        let triangle =
            triangle.map_err(|e| damaged(format!("triangle {} cannot be read ({e})", i + 1)))?;
        for v in triangle.vertices {
            let p = Vec3::new(v[0], v[1], v[2]);
            if !p.is_finite() {
                let fault = format!("a corner of triangle {} is not a finite number", i + 1);
                return Err(damaged(fault));
            }
            positions.push(p);
        }
    }
    Ok(positions)
}
