//! The Khronos glTF validator (glTF 2.0 specification), run by Node.

use std::{path::Path, process::Command};

use serde_json::Value;

/// Errors, warnings and triangles of a GLB, as the validator counts them.
///
/// # Panics
/// When the validator is not installed; `./check` installs it.
pub fn validate(file: &Path) -> Value {
    let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("../tools/validator/validate.cjs");
    let output = Command::new("node")
        .arg(script)
        .arg(file)
        .output()
        .expect("node runs the glTF validator; ./check installs both");
    let text = String::from_utf8_lossy(&output.stdout);
    serde_json::from_str(&text)
        .unwrap_or_else(|e| panic!("{e}: {text}{}", String::from_utf8_lossy(&output.stderr)))
}
