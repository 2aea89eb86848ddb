//! Headers of PLY files as writers really leave them.

use std::borrow::Cow;

/// Words that a line of a header may begin with (G. Turk, *The PLY Polygon File Format*, 1994; `obj_info` as most writers have it).
const WORDS: [&str; 6] = [
    "format",
    "comment",
    "obj_info",
    "element",
    "property",
    "end_header",
];

/// A file whose header has no line that begins with another word: such lines, which some writers put there without saying that
/// they are comments, become comments. The rest of the file stays as it is.
pub fn with_comments(bytes: &[u8]) -> Cow<'_, [u8]> {
    const MOST: usize = 1 << 16;
    let mut at = 0;
    let mut strays = Vec::new();
    while at < bytes.len().min(MOST) {
        let end = bytes[at..].iter().position(|&b| b == b'\n');
        let end = end.map_or(bytes.len(), |n| at + n + 1);
        let line = String::from_utf8_lossy(&bytes[at..end]);
        let first = line.split_whitespace().next().unwrap_or_default();
        if first == "end_header" {
            break;
        }
        // The first line is the file's mark.
        if at > 0 && !first.is_empty() && !WORDS.contains(&first) {
            strays.push(at);
        }
        at = end;
    }
    if strays.is_empty() {
        return Cow::Borrowed(bytes);
    }
    let mut out = Vec::with_capacity(bytes.len() + 8 * strays.len());
    let mut from = 0;
    for stray in strays {
        out.extend_from_slice(&bytes[from..stray]);
        out.extend_from_slice(b"comment ");
        from = stray;
    }
    out.extend_from_slice(&bytes[from..]);
    Cow::Owned(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn stray_lines_become_comments_and_nothing_else_changes() {
        let file = b"ply\nformat ascii 1.0\nMade by somebody\nelement vertex 1\nproperty float x\nend_header\nstray 1\n";
        let text = with_comments(file);
        let expected = "ply\nformat ascii 1.0\ncomment Made by somebody\nelement vertex 1\nproperty float x\nend_header\nstray 1\n";
        assert_eq!(std::str::from_utf8(&text).unwrap(), expected);
        assert!(matches!(
            with_comments(expected.as_bytes()),
            Cow::Borrowed(_)
        ));
        // Bytes that are no text, and files without an end of their header.
        for odd in [&b"ply\n\xff\xfe\x00"[..], b"", b"ply"] {
            let _ = with_comments(odd);
        }
    }
}
