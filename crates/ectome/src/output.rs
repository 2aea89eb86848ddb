//! What the command line writes: files whole or not at all, and lines that arrived or an error.

use std::{
    ffi::OsStr,
    fs::File,
    io::{self, ErrorKind, Write},
    path::{Path, PathBuf},
};

use ectome_formats::{Scene, files::references, glb, obj_write, ply_write};
use ectome_mesh::Progress;
use ectome_recipe::triangles;
use tempfile::{Builder, NamedTempFile};

use crate::{command::failure::Failure, watch};

/// Writes a line to standard output. Nobody reading any more is no fault; a full disk is.
macro_rules! say {
    ($($words:tt)*) => {
        $crate::output::line(format_args!($($words)*))?
    };
}
pub(crate) use say;

/// Writes a remark to standard error; where nobody can read it, it is dropped.
macro_rules! remark {
    ($($words:tt)*) => {
        $crate::output::aside(format_args!($($words)*))
    };
}
pub(crate) use remark;

/// Writes a line to standard error, or not.
pub fn aside(words: std::fmt::Arguments<'_>) {
    watch::aside(|| {
        let _ = writeln!(io::stderr(), "{words}");
    });
}

/// Writes a line to standard output.
pub fn line(words: std::fmt::Arguments<'_>) -> Result<(), Failure> {
    watch::aside(|| to_stdout(|out| writeln!(out, "{words}")))
}

fn to_stdout(write: impl FnOnce(&mut io::StdoutLock<'_>) -> io::Result<()>) -> Result<(), Failure> {
    let mut out = io::stdout().lock();
    match write(&mut out).and_then(|()| out.flush()) {
        Err(e) if e.kind() != ErrorKind::BrokenPipe => {
            Err(Failure::Write("standard output".into(), e))
        }
        _ => Ok(()),
    }
}

/// The endings of scenes that are written.
const ENDINGS: [&str; 3] = ["glb", "obj", "ply"];

/// Reads the name of a scene that is to be written: its ending says the format.
pub fn scene_name(text: &str) -> Result<PathBuf, String> {
    let path = PathBuf::from(text);
    match ending(&path) {
        Some(_) => Ok(path),
        None => Err("its ending says the format: .glb, .obj or .ply".to_owned()),
    }
}

fn ending(path: &Path) -> Option<&'static str> {
    let given = path.extension()?.to_string_lossy().to_lowercase();
    ENDINGS.into_iter().find(|e| *e == given)
}

/// A file that is complete beside its place and not yet there.
struct Ready {
    place: PathBuf,
    file: NamedTempFile,
}

impl Ready {
    /// Writes the bytes beside the place. A link leads to the place of the file it names, which keeps its mode.
    fn write(path: &Path, bytes: &[u8]) -> Result<Self, Failure> {
        let failed = |e: io::Error| Failure::Write(path.to_owned(), plain(e));
        let place = match path.canonicalize() {
            Ok(there) => there,
            Err(_) => match std::fs::read_link(path) {
                // A link to a file that is not there yet.
                Ok(target) => folder_of(path).join(target),
                Err(_) => path.to_owned(),
            },
        };
        let mode = std::fs::metadata(&place).ok().map(|m| m.permissions());
        let mut builder = Builder::new();
        #[cfg(unix)]
        {
            use std::os::unix::fs::PermissionsExt;
            // As any other program would make it, the user's mask included.
            builder.permissions(std::fs::Permissions::from_mode(0o666));
        }
        let mut file = builder.tempfile_in(folder_of(&place)).map_err(failed)?;
        if let Some(mode) = mode {
            file.as_file().set_permissions(mode).map_err(failed)?;
        }
        file.write_all(bytes).map_err(failed)?;
        Ok(Self { place, file })
    }

    /// Moves the file to its place.
    fn put(self) -> Result<(), Failure> {
        let Self { place, file } = self;
        file.persist(&place)
            .map(|_| ())
            .map_err(|e| Failure::Write(place, plain(e.error)))
    }
}

fn folder_of(path: &Path) -> &Path {
    path.parent()
        .filter(|p| !p.as_os_str().is_empty())
        .unwrap_or(Path::new("."))
}

/// What the system says, without names of files that the user never gave.
fn plain(error: io::Error) -> io::Error {
    match error.raw_os_error() {
        Some(_) => error,
        None => io::Error::from(error.kind()),
    }
}

/// A place that is neither a file nor free: a device or a pipe is written into as it is, a folder is refused.
fn special(path: &Path) -> Result<Option<File>, Failure> {
    let Ok(found) = std::fs::metadata(path) else {
        return Ok(None);
    };
    let failed = |e: io::Error| Failure::Write(path.to_owned(), e);
    if found.is_dir() {
        return Err(failed(io::Error::from(ErrorKind::IsADirectory)));
    }
    if found.is_file() {
        Ok(None)
    } else {
        Ok(Some(
            File::options().write(true).open(path).map_err(failed)?,
        ))
    }
}

/// Writes a file next to its place and moves it there when it is complete.
pub fn write(path: &Path, bytes: &[u8]) -> Result<(), Failure> {
    match special(path)? {
        Some(mut device) => device
            .write_all(bytes)
            .map_err(|e| Failure::Write(path.to_owned(), e)),
        None => Ready::write(path, bytes)?.put(),
    }
}

/// Writes a scene in the format that the name asks for: GLB, OBJ with its files beside it, or PLY. GLB alone can hang objects in
/// the `hierarchy` of their source.
pub fn scene(path: &Path, scene: &Scene, hierarchy: bool) -> Result<(), Failure> {
    match ending(path) {
        Some("ply") => write(path, &ply_write::write(scene)?),
        Some("obj") => obj(path, scene),
        // A GLB knows triangles only.
        _ => {
            let scene = triangles::triangulated(scene.clone(), &Progress::new())?;
            let naming = glb::Options {
                hierarchy,
                ..glb::Options::default()
            };
            write(path, &glb::write(&scene, &naming)?)
        }
    }
}

/// Writes an OBJ and what belongs to it: all of it, or nothing. Files beside it that belong to something else stay.
fn obj(path: &Path, scene: &Scene) -> Result<(), Failure> {
    let stem = path
        .file_stem()
        .map_or_else(|| "scene".into(), OsStr::to_string_lossy);
    let files = obj_write::write(scene, &stem)?;
    let own = belongings(path);
    let main = path.file_name().unwrap_or_default();
    let mut ready = Vec::new();
    for (name, bytes) in &files {
        let is_main = *name == format!("{stem}.obj");
        let place = if is_main {
            path.with_file_name(main)
        } else {
            path.with_file_name(name)
        };
        if special(&place)?.is_some() {
            return Err(Failure::Write(place, io::Error::other("it is no file")));
        }
        if !is_main && place.exists() && !own.contains(name) {
            return Err(Failure::InTheWay(place, path.to_owned()));
        }
        ready.push(Ready::write(&place, bytes)?);
    }
    // The OBJ comes first in the list and last to its place: what it names is there before it.
    ready.into_iter().rev().try_for_each(Ready::put)
}

/// The files that an OBJ which is there already names, its materials' pictures among them.
fn belongings(path: &Path) -> Vec<String> {
    let read = |p: &Path| {
        if p.is_file() {
            std::fs::read(p).unwrap_or_default()
        } else {
            Vec::new()
        }
    };
    let mut names = references("x.obj", &read(path));
    for material in names.clone() {
        names.extend(references("x.mtl", &read(&path.with_file_name(material))));
    }
    names
}

/// Writes a value as JSON, to a file or to stdout.
pub fn json(value: &impl serde::Serialize, path: Option<&Path>) -> Result<(), Failure> {
    let text =
        serde_json::to_string_pretty(value).map_err(|e| Failure::Json(e.to_string()))? + "\n";
    match path {
        Some(path) => write(path, text.as_bytes()),
        None => to_stdout(|out| out.write_all(text.as_bytes())),
    }
}
