//! Open models that the registries carry, and a library that unwraps, run by Node. `./check` installs them.
//!
//! | model | from | licence |
//! |---|---|---|
//! | `bunny` | npm `bunny` 1.0.1 | public domain |
//! | `/usr/share/glmark2/models` | Debian `glmark2-data` | CC-BY-SA, GPL |
//! | `/usr/share/assimp/models` | Debian `assimp-testmodels` | BSD-3-Clause |

pub mod parcels;

use std::{
    path::{Path, PathBuf},
    process::Command,
};

use ectome_formats::{FileSet, Scene};
use ectome_mesh::Mesh;

/// The folder of Debian's `assimp-testmodels`.
pub const ASSIMP: &str = "/usr/share/assimp/models";
/// The folder of Debian's `glmark2-data`.
pub const GLMARK: &str = "/usr/share/glmark2/models";

fn tool(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR"))
        .join("../tools/outside")
        .join(name)
}

fn node(script: &str, arguments: &[&Path]) -> Vec<u8> {
    let done = Command::new("node")
        .arg(tool(script))
        .args(arguments)
        .output()
        .expect("node runs what is not ours; ./check installs it");
    let says = String::from_utf8_lossy(&done.stderr);
    assert!(done.status.success(), "{script}: {says}");
    done.stdout
}

/// The npm model `bunny`, 3 674 triangles, as an OBJ in `folder`.
///
/// # Panics
/// When it is not installed; `./check` installs it.
pub fn bunny(folder: &Path) -> PathBuf {
    let path = folder.join("bunny.obj");
    node("bunny.cjs", &[&path]);
    path
}

/// The texels of a level of a KTX2 file as the transcoder that ships with three.js makes them, four bytes each. That every format of blocks
/// can be made of it is looked at on the way.
///
/// # Panics
/// When it cannot read it, or is not installed; `./check` installs it.
pub fn texels_of_ktx2(file: &[u8], level: usize) -> Vec<u8> {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("picture.ktx2");
    std::fs::write(&path, file).expect("room");
    node("ktx2.cjs", &[&path, Path::new(&level.to_string())])
}

/// Reads a model.
///
/// # Panics
/// When it is not there or cannot be read.
pub fn read(path: &Path) -> Scene {
    let bytes = std::fs::read(path)
        .unwrap_or_else(|e| panic!("{}: {e}; ./check installs it", path.display()));
    let name = path.file_name().expect("a file").to_string_lossy();
    ectome_formats::read(&FileSet::new([(&*name, bytes.as_slice())]))
        .unwrap_or_else(|e| panic!("{name}: {e}"))
}

/// The UVs of each corner of a mesh of triangles as xatlas makes them, on a sheet of 1024 with 4 texels between charts.
///
/// # Panics
/// When it is not installed; `./check` installs it.
pub fn unwrapped_by_xatlas(mesh: &Mesh) -> Vec<[[f32; 2]; 3]> {
    let folder = tempfile::tempdir().expect("a folder");
    let (given, made) = (folder.path().join("given"), folder.path().join("made"));
    let mut bytes = Vec::new();
    bytes.extend((mesh.points.len() as u32).to_le_bytes());
    bytes.extend((mesh.face_count() as u32).to_le_bytes());
    bytes.extend(
        mesh.points
            .iter()
            .flat_map(|p| p.to_array())
            .flat_map(f32::to_le_bytes),
    );
    let corners = (0..mesh.face_count()).flat_map(|f| mesh.triangle_points(f));
    bytes.extend(corners.flat_map(u32::to_le_bytes));
    std::fs::write(&given, bytes).expect("room");
    node("unwrap.mjs", &[&given, &made]);
    let made = std::fs::read(&made).expect("what it made");
    let figures: Vec<f32> = made
        .chunks_exact(4)
        .map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]]))
        .collect();
    assert_eq!(
        figures.len(),
        6 * mesh.face_count(),
        "all corners, in order"
    );
    figures
        .chunks_exact(6)
        .map(|f| [[f[0], f[1]], [f[2], f[3]], [f[4], f[5]]])
        .collect()
}
