//! Files written by the command line: whole or not at all.

use std::{io::Write, path::Path};

use ectome_formats::{Scene, glb, obj_write, ply_write};
use ectome_recipe::engine;

use crate::command::Failure;

/// Writes a file next to its place and moves it there when it is complete.
pub fn write(path: &Path, bytes: &[u8]) -> Result<(), Failure> {
    let failed = |e: std::io::Error| Failure::Write(path.to_owned(), e);
    let folder = path
        .parent()
        .filter(|p| !p.as_os_str().is_empty())
        .unwrap_or(Path::new("."));
    let mut file = tempfile::NamedTempFile::new_in(folder).map_err(failed)?;
    file.write_all(bytes).map_err(failed)?;
    file.persist(path).map_err(|e| failed(e.error))?;
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        std::fs::set_permissions(path, std::fs::Permissions::from_mode(0o644)).map_err(failed)?;
    }
    Ok(())
}

/// Writes a scene in the format that the name asks for: GLB, OBJ with its files beside it, or PLY.
pub fn scene(path: &Path, scene: &Scene) -> Result<(), Failure> {
    let name = path.to_string_lossy().to_lowercase();
    if name.ends_with(".ply") {
        return write(path, &ply_write::write(scene)?);
    }
    if name.ends_with(".obj") {
        let stem = path
            .file_stem()
            .map_or_else(|| "scene".into(), |s| s.to_string_lossy());
        for (name, bytes) in obj_write::write(scene, &stem)? {
            write(&path.with_file_name(name), &bytes)?;
        }
        return Ok(());
    }
    // A GLB knows triangles only.
    let scene = engine::triangulated(scene.clone());
    write(path, &glb::write(&scene, &glb::Naming::default())?)
}

/// Writes a value as JSON, to a file or to stdout.
pub fn json(value: &impl serde::Serialize, path: Option<&Path>) -> Result<(), Failure> {
    let text =
        serde_json::to_string_pretty(value).map_err(|e| Failure::Json(e.to_string()))? + "\n";
    match path {
        Some(path) => write(path, text.as_bytes()),
        None => match std::io::stdout().write_all(text.as_bytes()) {
            Err(e) if e.kind() != std::io::ErrorKind::BrokenPipe => {
                Err(Failure::Write("standard output".into(), e))
            }
            _ => Ok(()),
        },
    }
}
