//! OBJ with MTL and textures (Wavefront Technologies, *Advanced Visualizer*, Appendix B1).

use std::{
    borrow::Cow,
    io::{BufReader, Read},
    path::Path,
    sync::Mutex,
};

use ectome_mesh::{Mesh, MeshBuilder, Primitive};
use glam::{Affine3A, Vec2, Vec3};

use crate::{
    FormatError, Reading, Scene,
    file_set::{FileSet, base_name},
    glb::mime_of,
    mtl,
};

/// Reads an OBJ. `files` holds its MTL and textures; what is missing there is noted, not fatal.
/// Quads and n-gons stay as they are.
///
/// # Errors
/// A [`FormatError`] that names the file and its fault.
pub fn read(
    file: &str,
    bytes: &[u8],
    files: &FileSet<'_>,
    reading: &Reading,
) -> Result<Scene, FormatError> {
    let damaged = |fault: String| FormatError::Damaged {
        file: file.to_owned(),
        fault,
    };
    if let Some(kind) = mime_of(bytes) {
        return Err(FormatError::NotThat {
            file: file.to_owned(),
            expected: "OBJ",
            fault: format!("its content is an {kind} picture"),
        });
    }
    // A corner of a face is two letters at least and becomes a vertex of its own until all are shared.
    reading.needs(file, bytes.len() as u64 * 24)?;
    let bytes = &*plain(bytes);
    if let Some(line) = out_of_reach(bytes, reading)? {
        let fault = format!("line {line} refers to a corner that no file can have");
        return Err(damaged(fault));
    }
    let missing = Mutex::new(Vec::new());
    let load_materials = |path: &Path| {
        let name = path.to_string_lossy();
        match files.find(&name) {
            Some(bytes) => tobj::load_mtl_buf(&mut BufReader::new(&complete_lines(bytes)[..])),
            None => {
                if let Ok(mut list) = missing.lock() {
                    list.push(base_name(&name).to_owned());
                }
                Err(tobj::LoadError::OpenFileFailed)
            }
        }
    };
    let options = tobj::LoadOptions {
        triangulate: false,
        single_index: false,
        ignore_points: true,
        ignore_lines: true,
    };
    let watched = Watched {
        rest: bytes,
        whole: bytes.len(),
        reading,
    };
    let (models, materials) =
        tobj::load_obj_buf(&mut BufReader::new(watched), &options, load_materials).map_err(
            |e| match reading.at(1.0) {
                Err(stopped) => stopped.into(),
                Ok(()) => damaged(explain(e)),
            },
        )?;

    let mut notes: Vec<String> = missing
        .into_inner()
        .unwrap_or_default()
        .into_iter()
        .map(|name| {
            format!(
                "{file} names the material file {name}, which was not dropped with it: its surfaces \
                 are plain. Drop both together."
            )
        })
        .collect();
    let materials = match materials {
        Ok(list) => list,
        Err(tobj::LoadError::OpenFileFailed) => Vec::new(),
        Err(e) => {
            notes.push(format!(
                "The material file of {file} cannot be read ({e}): its surfaces are plain."
            ));
            Vec::new()
        }
    };
    let has_uv = models.iter().any(|m| !m.mesh.texcoord_indices.is_empty());
    let library = mtl::library(&materials, files, has_uv, &mut notes);

    let mesh = geometry(file, &models, materials.len(), reading)?;
    mesh.check().map_err(|e| damaged(e.to_string()))?;
    Ok(Scene {
        mesh,
        library,
        notes,
        ..Scene::default()
    })
}

/// The objects of a file as parts, each piece with its material.
fn geometry(
    file: &str,
    models: &[tobj::Model],
    materials: usize,
    reading: &Reading,
) -> Result<Mesh, FormatError> {
    let mut builder = MeshBuilder::new();
    let mut last: Option<&str> = None;
    let mut faces = 0;
    for (i, model) in models.iter().enumerate() {
        if model.mesh.indices.is_empty() {
            continue;
        }
        reading.at(1.0)?;
        if last != Some(model.name.as_str()) {
            let numbered = format!("object {}", i + 1);
            let name = match model.name.as_str() {
                "" | "unnamed_object" => &numbered,
                name => name,
            };
            builder.part(name, Affine3A::IDENTITY);
            last = Some(&model.name);
        }
        let primitive =
            primitive(&model.mesh, materials).map_err(|fault| FormatError::Damaged {
                file: file.to_owned(),
                fault: format!("{fault} in object {}", model.name),
            })?;
        faces += primitive.face_sizes.len();
        builder.primitive(primitive);
    }
    if faces == 0 {
        return Err(FormatError::Empty {
            file: file.to_owned(),
        });
    }
    Ok(builder.finish())
}

/// The first line of a face with a number that the parser cannot count with: one that reaches back before the first entry, or
/// one of more digits than any file has lines.
fn out_of_reach(bytes: &[u8], reading: &Reading) -> Result<Option<usize>, FormatError> {
    let mut entries = [0u64; 3];
    for (at, line) in bytes.split(|&b| b == b'\n').enumerate() {
        reading.row(at, usize::MAX)?;
        match line.trim_ascii_start() {
            [b'v', b't', ..] => entries[1] += 1,
            [b'v', b'n', ..] => entries[2] += 1,
            [b'v', b, ..] if b.is_ascii_whitespace() => entries[0] += 1,
            [b'f' | b'l' | b'p', rest @ ..] => {
                let words = rest.split(|b| b.is_ascii_whitespace());
                for word in words.filter(|w| w.contains(&b'-') || w.len() > MOST_DIGITS) {
                    for (number, &there) in word.split(|&b| b == b'/').zip(&entries) {
                        let digits = number.strip_prefix(b"-").unwrap_or(number);
                        let value = str::from_utf8(digits).ok().and_then(|d| d.parse().ok());
                        let back = number.len() > digits.len();
                        let too_far = back && value.is_some_and(|v: u64| v > there);
                        if digits.len() > MOST_DIGITS || too_far {
                            return Ok(Some(at + 1));
                        }
                    }
                }
            }
            _ => {}
        }
    }
    Ok(None)
}

/// Digits of numbers that the parser can double and triple.
const MOST_DIGITS: usize = 18;

/// Bytes that break off when somebody asks to stop: the parser reads to their end otherwise.
struct Watched<'a> {
    rest: &'a [u8],
    whole: usize,
    reading: &'a Reading,
}

impl Read for Watched<'_> {
    fn read(&mut self, into: &mut [u8]) -> std::io::Result<usize> {
        let done = 1.0 - self.rest.len() as f32 / self.whole.max(1) as f32;
        self.reading.at(done).map_err(std::io::Error::other)?;
        self.rest.read(into)
    }
}

/// The file names that an OBJ (`mtllib`) or MTL (`map_…`, `bump`, `norm`) refers to.
pub fn references(text: &[u8]) -> Vec<String> {
    String::from_utf8_lossy(text)
        .lines()
        .filter_map(|line| {
            let (keyword, rest) = line.trim_start().split_once(char::is_whitespace)?;
            match keyword {
                "mtllib" => Some(rest.trim().to_owned()),
                "bump" | "norm" => rest.split_whitespace().last().map(str::to_owned),
                _ if keyword.starts_with("map_") => {
                    rest.split_whitespace().last().map(str::to_owned)
                }
                _ => None,
            }
        })
        .collect()
}

/// The text in UTF-8: some programs write UTF-16 with a byte order mark.
fn plain(bytes: &[u8]) -> Cow<'_, [u8]> {
    let wide = |rest: &[u8], word: fn([u8; 2]) -> u16| {
        let words: Vec<u16> = rest.chunks_exact(2).map(|c| word([c[0], c[1]])).collect();
        Cow::Owned(String::from_utf16_lossy(&words).into_bytes())
    };
    match bytes {
        [0xFF, 0xFE, rest @ ..] => wide(rest, u16::from_le_bytes),
        [0xFE, 0xFF, rest @ ..] => wide(rest, u16::from_be_bytes),
        [0xEF, 0xBB, 0xBF, rest @ ..] => Cow::Borrowed(rest),
        _ => Cow::Borrowed(bytes),
    }
}

/// A material file without the lines that give a keyword no value or a colour too few numbers: they say
/// nothing, and stop the parser.
fn complete_lines(bytes: &[u8]) -> Vec<u8> {
    let text = plain(bytes);
    let mut out = Vec::with_capacity(text.len());
    for line in text.split_inclusive(|&b| b == b'\n') {
        let line_text = String::from_utf8_lossy(line);
        let mut words = line_text.split_whitespace();
        // A colour has three numbers.
        let needed = match words.next() {
            Some("Ka" | "Kd" | "Ks" | "Ke") => 2,
            _ => 0,
        };
        if words.nth(needed).is_some() {
            out.extend_from_slice(line);
        }
    }
    out
}

fn explain(error: tobj::LoadError) -> String {
    use tobj::LoadError as E;
    match error {
        E::FaceVertexOutOfBounds => "a face refers to a vertex that is not there".to_owned(),
        E::FaceTexCoordOutOfBounds => {
            "a face refers to a texture coordinate that is not there".to_owned()
        }
        E::FaceNormalOutOfBounds => "a face refers to a normal that is not there".to_owned(),
        E::PositionParseError => "a vertex line (v) has no three numbers".to_owned(),
        E::TexcoordParseError => "a texture coordinate line (vt) has no two numbers".to_owned(),
        E::NormalParseError => "a normal line (vn) has no three numbers".to_owned(),
        E::FaceParseError | E::InvalidPolygon => "a face line (f) cannot be read".to_owned(),
        E::ReadError => "it is not plain text".to_owned(),
        other => other.to_string(),
    }
}

/// What corners refer to in a list of numbers, `N` to an entry.
///
/// # Errors
/// A sentence about the first entry that is not there or is no number.
fn rows<const N: usize, T>(
    list: &[f32],
    indices: &[u32],
    what: &str,
    make: impl Fn([f32; N]) -> T,
) -> Result<Vec<T>, String> {
    let (entries, _) = list.as_chunks::<N>();
    indices
        .iter()
        .map(|&i| match entries.get(i as usize) {
            Some(entry) if entry.iter().all(|v| v.is_finite()) => Ok(make(*entry)),
            Some(_) => Err(format!("{what} {} is not a finite number", i + 1)),
            None => Err(format!("{what} {} is not there", i + 1)),
        })
        .collect()
}

/// One vertex per corner; the builder shares them again.
fn primitive(mesh: &tobj::Mesh, materials: usize) -> Result<Primitive, String> {
    let corners = mesh.indices.len();
    // Faces with and without an attribute in one object: the attribute cannot be kept.
    let whole = |indices: &[u32]| indices.len() == corners;
    let positions = rows(&mesh.positions, &mesh.indices, "vertex", Vec3::from_array)?;
    let mut uv_sets = Vec::new();
    if whole(&mesh.texcoord_indices) {
        // OBJ counts v from the bottom, glTF from the top.
        let turned = |[u, v]: [f32; 2]| Vec2::new(u, 1.0 - v);
        let indices = &mesh.texcoord_indices;
        uv_sets.push(rows(
            &mesh.texcoords,
            indices,
            "texture coordinate",
            turned,
        )?);
    }
    let normals = if whole(&mesh.normal_indices) {
        let indices = &mesh.normal_indices;
        rows(&mesh.normals, indices, "normal", Vec3::from_array).unwrap_or_default()
    } else {
        Vec::new()
    };
    let colours = if mesh.vertex_color.is_empty() {
        Vec::new()
    } else {
        // Colours stand behind the places on the same line and share their numbers.
        let opaque = |rgb: [f32; 3]| Vec3::from_array(rgb).extend(1.0);
        rows(&mesh.vertex_color, &mesh.indices, "vertex colour", opaque).unwrap_or_default()
    };
    let face_sizes = if mesh.face_arities.is_empty() {
        vec![3; corners / 3]
    } else {
        mesh.face_arities.clone()
    };
    if face_sizes.iter().any(|&n| n < 3)
        || face_sizes.iter().map(|&n| n as usize).sum::<usize>() != corners
    {
        return Err("a face with fewer than three corners".to_owned());
    }
    Ok(Primitive {
        positions,
        normals,
        uv_sets,
        colours,
        corners: (0..corners as u32).collect(),
        face_sizes,
        material: mesh
            .material_id
            .filter(|&m| m < materials)
            .map(|m| m as u32),
    })
}
