//! Styles, scripts, fonts and pictures, built into the program.

use std::sync::LazyLock;

use include_dir::{Dir, include_dir};

/// All of them.
pub static FILES: Dir<'_> = include_dir!("$CARGO_MANIFEST_DIR/static");

/// Changes whenever a file changes, so that browsers may keep files for good.
pub static VERSION: LazyLock<&'static str> = LazyLock::new(|| {
    let mut hasher = blake3::Hasher::new();
    let mut folders = vec![&FILES];
    while let Some(folder) = folders.pop() {
        for file in folder.files() {
            hasher.update(file.path().as_os_str().as_encoded_bytes());
            hasher.update(file.contents());
        }
        folders.extend(folder.dirs());
    }
    Box::leak(hasher.finalize().to_hex()[..10].to_owned().into_boxed_str())
});
