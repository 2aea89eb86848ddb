//! The binary container: a header, a JSON chunk, a binary chunk (specification §4.4).

use crate::FormatError;

const MAGIC: u32 = 0x4654_6C67;
const JSON: u32 = 0x4E4F_534A;
const BIN: u32 = 0x004E_4942;

/// The two chunks of a GLB.
pub struct Chunks<'a> {
    /// The JSON chunk.
    pub json: &'a [u8],
    /// The binary chunk; empty when there is none.
    pub bin: &'a [u8],
}

/// Splits a GLB into its chunks.
pub fn split<'a>(file: &str, bytes: &'a [u8]) -> Result<Chunks<'a>, FormatError> {
    let truncated = |what: &str, needed: u64| FormatError::Truncated {
        file: file.to_owned(),
        what: what.to_owned(),
        needed,
        found: bytes.len() as u64,
    };
    let word = |at: usize| -> Option<u32> {
        Some(u32::from_le_bytes(bytes.get(at..at + 4)?.try_into().ok()?))
    };
    if word(0) != Some(MAGIC) {
        return Err(FormatError::NotThat {
            file: file.to_owned(),
            expected: "GLB",
            fault: looks_like(bytes),
        });
    }
    let (Some(version), Some(length)) = (word(4), word(8)) else {
        return Err(truncated("the header", 12));
    };
    if version != 2 {
        return Err(FormatError::Unsupported {
            file: file.to_owned(),
            what: format!("glTF version {version}"),
            remedy: "Export it as glTF 2.0.",
        });
    }
    if (bytes.len() as u64) < u64::from(length) {
        return Err(truncated("the whole file", u64::from(length)));
    }
    let (mut json, mut bin) = (None, None);
    let mut at = 12;
    while at + 8 <= bytes.len() {
        let (Some(size), Some(kind)) = (word(at), word(at + 4)) else {
            break;
        };
        let Some(chunk) = bytes.get(at + 8..at + 8 + size as usize) else {
            return Err(truncated("a chunk", at as u64 + 8 + u64::from(size)));
        };
        match kind {
            JSON if json.is_none() => json = Some(chunk),
            BIN if bin.is_none() => bin = Some(chunk),
            _ => {}
        }
        at += 8 + size as usize;
    }
    Ok(Chunks {
        json: json.ok_or_else(|| FormatError::Damaged {
            file: file.to_owned(),
            fault: "it has no JSON chunk".to_owned(),
        })?,
        bin: bin.unwrap_or_default(),
    })
}

/// What the first bytes say the file really is.
fn looks_like(bytes: &[u8]) -> String {
    let kind = match bytes {
        [] => "it is empty",
        [0x89, b'P', b'N', b'G', ..] => "its content is a PNG picture",
        [0xFF, 0xD8, 0xFF, ..] => "its content is a JPEG picture",
        [b'P', b'K', 3, 4, ..] => "its content is a zip archive",
        [b'{', ..] => "its content is text, perhaps a .gltf",
        _ => "it does not start with the letters glTF",
    };
    kind.to_owned()
}

/// Puts chunks together, padded to four bytes.
pub fn join(json: &str, bin: &[u8]) -> Result<Vec<u8>, FormatError> {
    let json_size = json.len().next_multiple_of(4);
    let bin_size = bin.len().next_multiple_of(4);
    let total = 12 + 8 + json_size + if bin.is_empty() { 0 } else { 8 + bin_size };
    let length = u32::try_from(total).map_err(|_| FormatError::TooLarge {
        bytes: total as u64,
    })?;
    let mut out = Vec::with_capacity(total);
    let push = |out: &mut Vec<u8>, word: u32| out.extend(word.to_le_bytes());
    push(&mut out, MAGIC);
    push(&mut out, 2);
    push(&mut out, length);
    push(&mut out, json_size as u32);
    push(&mut out, JSON);
    out.extend(json.as_bytes());
    out.resize(20 + json_size, b' ');
    if !bin.is_empty() {
        push(&mut out, bin_size as u32);
        push(&mut out, BIN);
        out.extend(bin);
        out.resize(total, 0);
    }
    Ok(out)
}
