//! Files written by the command line: whole or not at all.

use std::{io::Write, path::Path};

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
