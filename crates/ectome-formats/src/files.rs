//! Which of the files dropped together is the mesh.

use crate::{FormatError, Reading, Scene, archive, glb, gltf, obj, ply, stl};

/// Files that came together, by name.
pub struct FileSet<'a> {
    files: Vec<(&'a str, &'a [u8])>,
    /// The folder that references start from.
    folder: &'a str,
}

impl<'a> FileSet<'a> {
    /// A set of named files.
    pub fn new(files: impl IntoIterator<Item = (&'a str, &'a [u8])>) -> Self {
        Self {
            files: files.into_iter().collect(),
            folder: "",
        }
    }

    /// The same files, with references starting from the folder of `name`.
    fn beside(&self, name: &'a str) -> Self {
        Self {
            files: self.files.clone(),
            folder: &name[..name.len() - base_of(name).len()],
        }
    }

    /// The bytes of the file that `reference` names, case aside. Where several have the name, the one whose
    /// folders agree with the reference furthest.
    pub fn find(&self, reference: &str) -> Option<&'a [u8]> {
        let wanted = base_name(reference);
        let agree = |name: &str| {
            let ends = |path: &str| -> Vec<String> {
                path.rsplit(['/', '\\']).map(str::to_lowercase).collect()
            };
            let (a, b) = (ends(name), ends(&format!("{}{reference}", self.folder)));
            a.iter().zip(&b).take_while(|(x, y)| x == y).count()
        };
        self.files
            .iter()
            .filter(|(name, _)| base_name(name).eq_ignore_ascii_case(wanted))
            .rev()
            .max_by_key(|(name, _)| agree(name))
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

fn base_of(path: &str) -> &str {
    path.rsplit(['/', '\\']).next().unwrap_or(path)
}

/// The name without directories, whichever way the slashes lean.
pub fn base_name(path: &str) -> &str {
    base_of(path).trim()
}

/// The extension of a name, or an empty one.
pub fn extension_of(name: &str) -> &str {
    base_name(name).rsplit_once('.').map_or("", |(_, e)| e)
}

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
    match found > MOST_PARTS {
        true => Err(FormatError::TooManyParts {
            file: name,
            found,
            most: MOST_PARTS,
        }),
        false => Ok(scene),
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
