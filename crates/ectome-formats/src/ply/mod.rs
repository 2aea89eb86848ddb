//! PLY, text and binary (G. Turk, *The PLY Polygon File Format*, 1994).
//!
//! Elements are read one at a time into flat arrays, so that a scan of tens of millions of triangles
//! needs little more memory than the mesh itself.

mod row;
mod rows;

use std::io::ErrorKind;

use ectome_mesh::{Mesh, MeshBuilder, Part, edit};
use glam::Affine3A;
use ply_rs_bw::{
    parser::{ParseError, Parser, Reader},
    ply::{ElementDef, Encoding, Header, PropertyType, ScalarType},
};
use serde_json::json;

use row::Row;
use rows::Rows;

use crate::{
    FormatError, Image, Library, Reading, Scene,
    file_set::{FileSet, base_name},
    glb::mime_of,
    ply_header::with_comments,
    reading::LOOK_EVERY,
};

/// Reads a PLY. `files` may hold the texture that a `TextureFile` comment names; what is missing there is
/// noted, not fatal. Quads and n-gons stay as they are.
///
/// # Errors
/// A [`FormatError`] that names the file and its fault.
pub fn read(
    file: &str,
    bytes: &[u8],
    files: &FileSet<'_>,
    reading: &Reading,
) -> Result<Scene, FormatError> {
    if !bytes.starts_with(b"ply") {
        return Err(FormatError::NotThat {
            file: file.to_owned(),
            expected: "PLY",
            fault: mime_of(bytes).map_or_else(
                || "it does not begin with the word ply".to_owned(),
                |kind| format!("its content is an {kind} picture"),
            ),
        });
    }
    let damaged = |fault: String| FormatError::Damaged {
        file: file.to_owned(),
        fault,
    };
    let text = with_comments(bytes);
    let mut reader = Reader::new(&text[..]);
    let header = Parser::<Row>::new()
        .read_header(&mut reader)
        .map_err(|e| damaged(format!("its header: {}", in_short(&e))))?;
    let mut rest = reader.into_inner();
    let mut rows = Rows::default();
    let mut taken = 0u64;
    for (name, element) in &header.elements {
        if name == "tristrips" {
            return Err(FormatError::Unsupported {
                file: file.to_owned(),
                what: "triangle strips".to_owned(),
                remedy: "Export it with plain faces",
            });
        }
        if element.count == 0 {
            continue;
        }
        bounded(&header, name, element, rest.len()).map_err(damaged)?;
        taken += element.count as u64 * ROW_BYTES;
        reading.needs(file, taken)?;
        for i in 0..element.count {
            if i.is_multiple_of(LOOK_EVERY) {
                reading.at(1.0 - rest.len() as f32 / bytes.len() as f32)?;
            }
            let short = || format!("it is cut short in {name} {} of {}", i + 1, element.count);
            let row = match next_row(&header, element, &mut rest) {
                Ok(Some(row)) => row,
                Ok(None) => return Err(damaged(short())),
                Err(e) if e.kind() == ErrorKind::UnexpectedEof => return Err(damaged(short())),
                Err(e) => {
                    let fault = format!("{name} {} cannot be read ({})", i + 1, in_short(&e));
                    return Err(damaged(fault));
                }
            };
            match name.as_str() {
                "vertex" => rows.vertex(&row),
                "face" => rows.face(row),
                _ => {}
            }
        }
    }
    let mut notes = rows.notes(file);
    let owners = std::mem::take(&mut rows.owners);
    let mut primitive = rows.primitive().map_err(damaged)?;
    if primitive.corners.is_empty() {
        return Err(FormatError::Empty {
            file: file.to_owned(),
        });
    }
    let library = if primitive.uv_sets.is_empty() {
        Library::default()
    } else {
        texture(file, &header, files, &mut notes)
    };
    primitive.material = (!library.materials.is_empty()).then_some(0);
    let mut builder = MeshBuilder::new();
    let name = base_name(file);
    builder.part(
        name.rsplit_once('.').map_or(name, |(stem, _)| stem),
        Affine3A::IDENTITY,
    );
    builder.primitive(primitive);
    let mut mesh = builder.finish();
    let mut library = library;
    if !owners.is_empty() {
        mesh = named(mesh, &owners, &header, &mut library);
    }
    mesh.check().map_err(|e| damaged(e.to_string()))?;
    Ok(Scene {
        mesh,
        library,
        notes,
        ..Scene::default()
    })
}

/// What stands in the file bounds what is read, never what its header says: `left` bytes must hold all rows of an element.
fn bounded(header: &Header, name: &str, element: &ElementDef, left: usize) -> Result<(), String> {
    let shortest = shortest_row(header, element);
    if shortest == 0 {
        return Err(format!(
            "its header lists {} rows of {name} without any property",
            element.count
        ));
    }
    if element.count > left.div_ceil(shortest) {
        let fault = format!(
            "its header lists {} rows of {name}, which need {} bytes at least; {} are there",
            element.count,
            (element.count as u64).saturating_mul(shortest as u64),
            left
        );
        return Err(fault);
    }
    Ok(())
}

/// Bytes that a row takes while a mesh is gathered.
const ROW_BYTES: u64 = 64;

/// The fewest bytes that a row of an element can have in the file: its numbers, with empty lists; in a text a digit
/// and what ends it for each.
fn shortest_row(header: &Header, element: &ElementDef) -> usize {
    let size = |kind: &ScalarType| match kind {
        ScalarType::Char | ScalarType::UChar => 1,
        ScalarType::Short | ScalarType::UShort => 2,
        ScalarType::Int | ScalarType::UInt | ScalarType::Float => 4,
        ScalarType::Double => 8,
    };
    let binary = element.properties.iter().map(|(_, p)| match &p.data_type {
        PropertyType::Scalar(kind) => size(kind),
        PropertyType::List(length, _) => size(length),
    });
    match header.encoding {
        Encoding::Ascii => 2 * element.properties.len(),
        _ => binary.sum(),
    }
}

/// The texture that the header of a PLY names.
pub fn references(bytes: &[u8]) -> Vec<String> {
    Parser::<Row>::new()
        .read_header(&mut Reader::new(&with_comments(bytes)[..]))
        .ok()
        .and_then(|header| texture_name(&header))
        .into_iter()
        .collect()
}

/// Gives faces back the parts and materials that the file numbers, named by its comments.
fn named(mesh: Mesh, owners: &[[i32; 2]], header: &Header, library: &mut Library) -> Mesh {
    let name = |what: &str, i: i32| {
        let start = format!("{what} {i} ");
        let found = header
            .comments
            .iter()
            .find_map(|c| c.trim().strip_prefix(&start));
        found.map(str::to_owned)
    };
    let highest = |k: usize| owners.iter().map(|o| o[k]).max().unwrap_or(-1);
    let parts: Vec<Part> = (0..=highest(0).clamp(0, MOST_NUMBERED))
        .map(|i| {
            let unnamed = format!("{} {}", mesh.parts[0].name, i + 1);
            Part::new(name("part", i).unwrap_or(unnamed), Affine3A::IDENTITY)
        })
        .collect();
    let textured = !library.materials.is_empty();
    if !textured {
        library.materials = (0..=highest(1).min(MOST_NUMBERED))
            .map(|i| json!({ "name": name("material", i).unwrap_or_else(|| format!("material {}", i + 1)) }))
            .collect();
    }
    let last = parts.len() as i32 - 1;
    edit::rearranged(&mesh, parts, |f| {
        let [part, material] = owners[f];
        let material = if textured {
            Some(0)
        } else {
            u32::try_from(material)
                .ok()
                .filter(|&m| (m as i32) <= MOST_NUMBERED)
        };
        (part.clamp(0, last) as u32, material)
    })
}

/// The highest part or material number that is followed.
const MOST_NUMBERED: i32 = 65_535;

fn texture_name(header: &Header) -> Option<String> {
    header
        .comments
        .iter()
        .find_map(|c| c.trim().strip_prefix("TextureFile"))
        .map(|rest| base_name(rest).to_owned())
}

/// The next element, or `None` at the end of a text.
fn next_row(
    header: &Header,
    element: &ElementDef,
    rest: &mut &[u8],
) -> Result<Option<Row>, ParseError> {
    let parser = Parser::<Row>::new();
    let row = match header.encoding {
        Encoding::BinaryLittleEndian => parser.read_little_endian_element(rest, element),
        Encoding::BinaryBigEndian => parser.read_big_endian_element(rest, element),
        Encoding::Ascii => {
            // A row is a line; empty lines between rows are common and mean nothing.
            let line = loop {
                if rest.is_empty() {
                    return Ok(None);
                }
                let newline = rest.iter().position(|&b| b == b'\n');
                let end = newline.map_or(rest.len(), |at| at + 1);
                let (line, after) = rest.split_at(end);
                *rest = after;
                if !line.iter().all(u8::is_ascii_whitespace) {
                    break line;
                }
            };
            parser.read_ascii_element(&String::from_utf8_lossy(line), element)
        }
    };
    row.map(Some)
}

/// What the parser complains about: the line it could not read, or its first sentence, without its own insides.
fn in_short(error: &ParseError) -> String {
    let text = error.to_string();
    let line = text.split_once("String: '").map(|(_, rest)| rest);
    let line = line.and_then(|rest| rest.split(['\'', '\n', '\r']).next());
    match line {
        Some(line) => {
            let line: String = line.trim().chars().take(80).collect();
            format!("the line \u{201c}{line}\u{201d} cannot be understood")
        }
        None => {
            let first = text.lines().next().unwrap_or_default();
            first
                .trim_end_matches(['.', ','])
                .chars()
                .take(160)
                .collect()
        }
    }
}

/// The material of the texture that the file names in a comment (common practice, no published source).
fn texture(file: &str, header: &Header, files: &FileSet<'_>, notes: &mut Vec<String>) -> Library {
    let mut library = Library::default();
    let Some(name) = texture_name(header) else {
        return library;
    };
    let found = files
        .find(&name)
        .and_then(|bytes| Some((mime_of(bytes)?, bytes)));
    let Some((mime, bytes)) = found else {
        notes.push(format!(
            "{file} names the texture {name}, which was not dropped with it as PNG or JPEG: it is left out. \
             Drop both together."
        ));
        return library;
    };
    let stem = name.rsplit_once('.').map_or(&*name, |(stem, _)| stem);
    library.images.push(Image {
        name: stem.to_owned(),
        mime: mime.to_owned(),
        bytes: bytes.to_vec(),
    });
    library.textures.push(json!({ "source": 0 }));
    library.materials.push(json!({
        "name": stem,
        "pbrMetallicRoughness": {
            "baseColorTexture": { "index": 0 },
            "metallicFactor": 0.0,
            "roughnessFactor": 0.9,
        },
    }));
    library
}
