//! Folders and files that are nobody else's.

use std::{
    io::Write,
    os::unix::fs::{DirBuilderExt, MetadataExt, OpenOptionsExt, PermissionsExt},
    path::Path,
};

use crate::StoreError;

/// Makes a folder that only its owner can enter, or takes an existing one of ours and shuts it.
///
/// # Errors
/// [`StoreError::File`] when it cannot be made, or belongs to somebody else.
pub fn private(folder: &Path) -> Result<(), StoreError> {
    let failed = |e: std::io::Error| StoreError::File(folder.to_owned(), e.to_string());
    std::fs::DirBuilder::new()
        .recursive(true)
        .mode(0o700)
        .create(folder)
        .map_err(failed)?;
    let found = std::fs::symlink_metadata(folder).map_err(failed)?;
    let ours = std::fs::metadata("/proc/self").map(|m| m.uid());
    if ours.is_ok_and(|uid| uid != found.uid()) {
        return Err(StoreError::File(
            folder.to_owned(),
            "it belongs to another user".to_owned(),
        ));
    }
    // A link is followed by whoever set it up; where it leads is shut all the same.
    only_ours(folder, 0o700)
}

/// Sets the mode of a file or folder.
///
/// # Errors
/// [`StoreError::File`].
pub(crate) fn only_ours(path: &Path, mode: u32) -> Result<(), StoreError> {
    std::fs::set_permissions(path, std::fs::Permissions::from_mode(mode))
        .map_err(|e| StoreError::File(path.to_owned(), e.to_string()))
}

/// From here on, what this process makes is readable for its user only (umask(2)).
pub fn shut_for_others() {
    rustix::process::umask(rustix::fs::Mode::from_bits_truncate(0o077));
}

/// The secret of a file that only its owner can read, made up on first use.
///
/// # Errors
/// [`StoreError::File`].
pub fn kept_secret(file: &Path) -> Result<String, StoreError> {
    let found = std::fs::read_to_string(file).unwrap_or_default();
    let found = found.trim();
    if found.len() >= 32 && found.bytes().all(|b| b.is_ascii_hexdigit()) {
        return Ok(found.to_owned());
    }
    let made = secret()?;
    write_secretly(file, &format!("{made}\n"))?;
    Ok(made)
}

/// Writes a file that only its owner can read, whatever stood there before.
pub(crate) fn write_secretly(file: &Path, text: &str) -> Result<(), StoreError> {
    let failed = |e: std::io::Error| StoreError::File(file.to_owned(), e.to_string());
    match std::fs::remove_file(file) {
        Err(e) if e.kind() != std::io::ErrorKind::NotFound => return Err(failed(e)),
        _ => {}
    }
    let mut options = std::fs::OpenOptions::new();
    let mut out = options
        .write(true)
        .create_new(true)
        .mode(0o600)
        .open(file)
        .map_err(failed)?;
    out.write_all(text.as_bytes()).map_err(failed)
}

/// 256 random bits from the system, in hexadecimal.
///
/// # Errors
/// [`StoreError::File`] when the system has none to give.
pub fn secret() -> Result<String, StoreError> {
    let mut bytes = [0u8; 32];
    getrandom::fill(&mut bytes)
        .map_err(|e| StoreError::File(Path::new("/dev/urandom").to_owned(), e.to_string()))?;
    Ok(bytes.iter().map(|b| format!("{b:02x}")).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn mode(path: &Path) -> u32 {
        std::fs::metadata(path).unwrap().permissions().mode() & 0o777
    }

    #[test]
    fn a_secret_is_made_once_and_only_its_owner_reads_it() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("password");
        let made = kept_secret(&file).unwrap();
        assert_eq!(made.len(), 64);
        assert_eq!(kept_secret(&file).unwrap(), made);
        assert_eq!(mode(&file), 0o600);
        // What cannot be one of ours is replaced: it would end inside a statement.
        std::fs::write(&file, "x' OR 1; -- ").unwrap();
        assert_eq!(kept_secret(&file).unwrap().len(), 64);
    }

    #[test]
    fn a_folder_is_shut_whether_it_is_new_or_old() {
        let outer = tempfile::tempdir().unwrap();
        let folder = outer.path().join("a/b");
        private(&folder).unwrap();
        assert_eq!(mode(&folder), 0o700);
        std::fs::set_permissions(&folder, std::fs::Permissions::from_mode(0o777)).unwrap();
        private(&folder).unwrap();
        assert_eq!(mode(&folder), 0o700);
    }
}
