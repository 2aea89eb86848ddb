//! Zip archives of meshes with what belongs to them.

use std::io::{Read, Seek};

use crate::{FormatError, Reading};

/// Bounds of what is unpacked: archives that promise more are turned down before anything is kept.
#[derive(Clone, Copy, Debug)]
pub struct Limits {
    /// Bytes of all members together.
    pub bytes: u64,
    /// Members.
    pub members: usize,
}

impl Default for Limits {
    fn default() -> Self {
        Self {
            bytes: 8 << 30,
            members: 4096,
        }
    }
}

/// Bytes that are unpacked between two looks at budget and progress.
const PIECE: u64 = 4 << 20;

/// Calls `take` with the name and the content of each file of an archive; folders and what systems put beside
/// them are passed over. Reading stops as soon as the limits are reached, whatever the archive says of its
/// sizes.
///
/// # Errors
/// A [`FormatError`], or what `take` returns.
pub fn unpack<E: From<FormatError>>(
    file: &str,
    archive: impl Read + Seek,
    limits: Limits,
    mut take: impl FnMut(&str, &mut dyn Read) -> Result<(), E>,
) -> Result<(), E> {
    let damaged = |fault: String| FormatError::Damaged {
        file: file.to_owned(),
        fault,
    };
    let mut zip = zip::ZipArchive::new(archive)
        .map_err(|e| damaged(format!("it cannot be opened as a zip ({e})")))?;
    if zip.len() > limits.members {
        let fault = format!("it holds {} files, more than {}", zip.len(), limits.members);
        return Err(damaged(fault).into());
    }
    let mut left = limits.bytes;
    for i in 0..zip.len() {
        let mut member = zip
            .by_index(i)
            .map_err(|e| damaged(format!("its member {} cannot be read ({e})", i + 1)))?;
        let name = match member.name() {
            Ok(name) => name.replace('\\', "/"),
            // A name in no encoding: its number will do, what refers to it cannot be found anyway.
            Err(_) => format!("member {}", i + 1),
        };
        let hidden = name
            .split('/')
            .any(|s| s.starts_with('.') || s == "__MACOSX");
        if member.is_dir() || hidden {
            continue;
        }
        if member.size() > left {
            return Err(
                damaged(format!("unpacked it is larger than {} bytes", limits.bytes)).into(),
            );
        }
        let mut bounded = Bounded {
            inner: (&mut member).take(left + 1),
            read: 0,
        };
        take(&name, &mut bounded)?;
        if bounded.read > left {
            return Err(
                damaged(format!("unpacked it is larger than {} bytes", limits.bytes)).into(),
            );
        }
        left -= bounded.read;
    }
    Ok(())
}

/// The files of an archive in memory, within the budget of `reading`.
///
/// # Errors
/// A [`FormatError`].
pub fn files(
    file: &str,
    bytes: &[u8],
    limits: Limits,
    reading: &Reading,
) -> Result<Vec<(String, Vec<u8>)>, FormatError> {
    let mut list = Vec::new();
    let mut taken = 0u64;
    unpack(
        file,
        std::io::Cursor::new(bytes),
        limits,
        |name, content| {
            let mut all = Vec::new();
            loop {
                reading.at(0.0)?;
                let n = Read::take(&mut *content, PIECE)
                    .read_to_end(&mut all)
                    .map_err(|e| FormatError::Damaged {
                        file: file.to_owned(),
                        fault: format!("{name} in it cannot be unpacked ({e})"),
                    })?;
                taken += n as u64;
                // What is unpacked stays in memory while it is read, which takes as much again.
                reading.needs(file, 2 * taken)?;
                if (n as u64) < PIECE {
                    break;
                }
            }
            list.push((name.to_owned(), all));
            Ok::<(), FormatError>(())
        },
    )?;
    Ok(list)
}

struct Bounded<R> {
    inner: R,
    read: u64,
}

impl<R: Read> Read for Bounded<R> {
    fn read(&mut self, into: &mut [u8]) -> std::io::Result<usize> {
        let n = self.inner.read(into)?;
        self.read += n as u64;
        Ok(n)
    }
}
