//! Which of the files dropped together is the mesh.

pub use crate::file_set::{FileSet, base_name, extension_of};
use crate::{FormatError, Reading, Scene, archive, glb, gltf, obj, ply, stl};

/// The extensions of files that hold a mesh by themselves.
pub const MESHES: [&str; 5] = ["glb", "gltf", "obj", "ply", "stl"];

/// The names of the files that a mesh or material file refers to.
pub fn references(name: &str, bytes: &[u8]) -> Vec<String> {
    match extension_of(name).to_lowercase().as_str() {
        "obj" | "mtl" => obj::references(bytes),
        "ply" => ply::references(bytes),
        "gltf" => gltf::references(bytes),
        _ => Vec::new(),
    }
}

/// The most objects of a file.
const MOST_PARTS: usize = 1 << 20;

/// Reads the mesh of a set of files.
///
/// # Errors
/// A [`FormatError`] that names the file and its fault.
pub fn read(files: &FileSet<'_>) -> Result<Scene, FormatError> {
    read_within(files, &Reading::default())
}

/// The same within a memory budget, and until somebody asks to stop.
///
/// # Errors
/// A [`FormatError`] that names the file and its fault.
pub fn read_within(files: &FileSet<'_>, reading: &Reading) -> Result<Scene, FormatError> {
    let (name, scene) = chosen(files, reading)?;
    let found = scene.mesh.parts.len();
    if found > MOST_PARTS {
        Err(FormatError::TooManyParts {
            file: name,
            found,
            most: MOST_PARTS,
        })
    } else {
        Ok(scene)
    }
}

fn chosen(files: &FileSet<'_>, reading: &Reading) -> Result<(String, Scene), FormatError> {
    let of =
        |name: &str, scene: Result<Scene, FormatError>| Ok((base_name(name).to_owned(), scene?));
    if let Some((name, bytes)) = files.with_extension("glb") {
        return of(name, glb::read_within(base_name(name), bytes, reading));
    }
    if let Some((name, bytes)) = files.with_extension("obj") {
        return of(
            name,
            obj::read(base_name(name), bytes, &files.beside(name), reading),
        );
    }
    if let Some((name, bytes)) = files.with_extension("ply") {
        return of(
            name,
            ply::read(base_name(name), bytes, &files.beside(name), reading),
        );
    }
    if let Some((name, bytes)) = files.with_extension("gltf") {
        return of(
            name,
            gltf::read(base_name(name), bytes, &files.beside(name), reading),
        );
    }
    if let Some((name, bytes)) = files.with_extension("stl") {
        return of(name, stl::read(base_name(name), bytes, reading));
    }
    if let Some((name, bytes)) = files.with_extension("zip") {
        let members = archive::files(base_name(name), bytes, archive::Limits::default(), reading)?;
        let set = FileSet::new(members.iter().map(|(n, b)| (n.as_str(), &b[..])));
        if MESHES.iter().any(|e| set.with_extension(e).is_some()) {
            return chosen(&set, reading);
        }
    }
    let names: Vec<&str> = files.files.iter().map(|(n, _)| base_name(n)).collect();
    Err(FormatError::NoMesh {
        files: names.join(", "),
    })
}
