//! The data of an empty MariaDB: installing takes some seconds of processor time, copying what was installed a tenth of one.

use std::{
    ffi::OsString,
    os::unix::fs::{DirBuilderExt, MetadataExt},
    path::{Path, PathBuf},
    process::Command,
    sync::OnceLock,
};

/// Puts the data of an empty database into `folder/data`, where none is, as a first start would make it there.
///
/// # Panics
/// When MariaDB is not installed (`./check` installs it), or the disk is full.
pub fn seed(folder: &Path) {
    let data = folder.join("data");
    if data.exists() {
        return;
    }
    std::fs::DirBuilder::new()
        .recursive(true)
        .mode(0o700)
        .create(folder)
        .expect("a folder for the database");
    copy(template(), &data);
}

/// The installed data that all test programs of this build copy.
fn template() -> &'static Path {
    static TEMPLATE: OnceLock<PathBuf> = OnceLock::new();
    TEMPLATE.get_or_init(|| {
        // Data of one version of the server is no template for another.
        let version = said(Command::new(server()).arg("--version"));
        let version: String = version
            .chars()
            .filter(|c| c.is_ascii_alphanumeric())
            .collect();
        let folder = build_folder().join("tmp");
        let made = folder.join(format!("database-{version}"));
        if !made.exists() {
            std::fs::create_dir_all(&folder).expect("a folder for the template");
            let new = folder.join(format!("database-new-{}", std::process::id()));
            install(&new, &folder);
            // Another program may have been quicker; its template is as good.
            if std::fs::rename(&new, &made).is_err() {
                std::fs::remove_dir_all(&new).expect("the second template goes");
            }
        }
        made
    })
}

fn install(new: &Path, temporary: &Path) {
    said(
        Command::new("mariadb-install-db")
            .args([
                "--no-defaults",
                "--auth-root-authentication-method=normal",
                "--skip-test-db",
            ])
            .args(as_root())
            .arg(option("datadir", new))
            .arg(option("tmpdir", temporary))
            .envs([("UMASK", "0600"), ("UMASK_DIR", "0700")]),
    );
}

/// An option of the server that names a file or folder.
pub(crate) fn option(name: &str, path: &Path) -> OsString {
    let mut arg = OsString::from(format!("--{name}="));
    arg.push(path);
    arg
}

/// The server refuses to run as root unless told to.
pub(crate) fn as_root() -> Option<&'static str> {
    let root = std::fs::metadata("/proc/self").is_ok_and(|m| m.uid() == 0);
    root.then_some("--user=root")
}

/// Files of the server are mostly zeros: what holds nothing is not written.
fn copy(from: &Path, to: &Path) {
    said(
        Command::new("cp")
            .args(["--archive", "--sparse=always"])
            .args([from, to]),
    );
}

/// Where this program's build lies.
fn build_folder() -> PathBuf {
    let program = std::env::current_exe().expect("the test's own path");
    let deps = program.parent().expect("a program lies in a folder");
    deps.parent().unwrap_or(deps).to_owned()
}

/// Debian keeps servers where only root looks for programs.
pub(crate) fn server() -> PathBuf {
    let usual = Path::new("/usr/sbin/mariadbd");
    if usual.is_file() {
        usual.to_owned()
    } else {
        "mariadbd".into()
    }
}

/// What a command says that must succeed.
pub(crate) fn said(command: &mut Command) -> String {
    let output = command
        .output()
        .unwrap_or_else(|e| panic!("{command:?}: {e}"));
    let error = String::from_utf8_lossy(&output.stderr);
    assert!(output.status.success(), "{command:?}: {error}");
    String::from_utf8_lossy(&output.stdout).into_owned()
}
