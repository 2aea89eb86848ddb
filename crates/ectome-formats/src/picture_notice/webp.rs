//! A notice inside a WebP, as XMP (Google, *WebP Container Specification*, RFC 9649, 2024; ISO 16684-1, *XMP*, property `dc:rights`).

/// Bytes before the first chunk, and of the head of each.
const FILE_HEAD: usize = 12;
const HEAD: usize = 8;
/// Flags of an extended file: colours have opacity; there is a chunk of XMP.
const ALPHA: u8 = 0x10;
const XMP: u8 = 0x04;
/// The flags of an extended file stand here.
const FLAGS_AT: usize = FILE_HEAD + HEAD;

/// The file with the notice in it; none where it is no WebP, is broken, or says something about itself already.
pub fn with_notice(file: &[u8], notice: &str) -> Option<Vec<u8>> {
    if !file.starts_with(b"RIFF") || file.get(8..FILE_HEAD)? != b"WEBP" {
        return None;
    }
    let body = file.get(FILE_HEAD + HEAD..)?;
    let mut out = match file.get(FILE_HEAD..FILE_HEAD + 4)? {
        b"VP8X" => {
            let mut out = file.to_vec();
            let flags = out.get_mut(FLAGS_AT)?;
            if *flags & XMP != 0 {
                return None;
            }
            *flags |= XMP;
            out
        }
        // One picture alone: its size, which an extended file says first, is read from its own head.
        b"VP8 " => {
            let side = |at: usize| {
                Some(u32::from(
                    u16::from_le_bytes([*body.get(at)?, *body.get(at + 1)?]) & 0x3FFF,
                ))
            };
            extended(file, [side(6)?, side(8)?], 0)
        }
        b"VP8L" => {
            let bits = u32::from_le_bytes(body.get(1..5)?.try_into().ok()?);
            let side = |shift: u32| (bits >> shift & 0x3FFF) + 1;
            let alpha = if bits >> 28 & 1 == 1 { ALPHA } else { 0 };
            extended(file, [side(0), side(14)], alpha)
        }
        _ => return None,
    };
    chunk(&mut out, b"XMP ", packet(notice).as_bytes());
    let length = (out.len() - HEAD) as u32;
    out[4..8].copy_from_slice(&length.to_le_bytes());
    Some(out)
}

/// The file with the head of an extended one, in which XMP follows.
fn extended(file: &[u8], size: [u32; 2], alpha: u8) -> Vec<u8> {
    let mut head = vec![alpha | XMP, 0, 0, 0];
    for side in size {
        head.extend_from_slice(&side.saturating_sub(1).to_le_bytes()[..3]);
    }
    let mut out = file[..FILE_HEAD].to_vec();
    chunk(&mut out, b"VP8X", &head);
    out.extend_from_slice(&file[FILE_HEAD..]);
    out
}

/// Adds a chunk, padded to an even count of bytes.
fn chunk(to: &mut Vec<u8>, name: &[u8; 4], body: &[u8]) {
    to.resize(to.len().next_multiple_of(2), 0);
    to.extend_from_slice(name);
    to.extend((body.len() as u32).to_le_bytes());
    to.extend_from_slice(body);
    to.resize(to.len().next_multiple_of(2), 0);
}

/// The notice as the rights of a work.
fn packet(notice: &str) -> String {
    let mut text = String::with_capacity(notice.len());
    for c in notice.chars() {
        match c {
            '&' => text.push_str("&amp;"),
            '<' => text.push_str("&lt;"),
            '>' => text.push_str("&gt;"),
            // XML has no other control characters.
            c if c.is_control() && !"\t\n\r".contains(c) => text.push(' '),
            c => text.push(c),
        }
    }
    format!(
        "<x:xmpmeta xmlns:x=\"adobe:ns:meta/\"><rdf:RDF xmlns:rdf=\"http://www.w3.org/1999/02/22-rdf-syntax-ns#\">\
         <rdf:Description rdf:about=\"\" xmlns:dc=\"http://purl.org/dc/elements/1.1/\"><dc:rights><rdf:Alt>\
         <rdf:li xml:lang=\"x-default\">{text}</rdf:li></rdf:Alt></dc:rights></rdf:Description></rdf:RDF></x:xmpmeta>"
    )
}

#[cfg(test)]
mod tests {
    use std::io::Cursor;

    use image::{
        ImageDecoder, ImageEncoder, RgbaImage,
        codecs::webp::{WebPDecoder, WebPEncoder},
    };

    use super::*;

    fn picture(clear: bool) -> Vec<u8> {
        let rgba = RgbaImage::from_fn(21, 9, |x, y| {
            image::Rgba([
                x as u8 * 12,
                y as u8 * 20,
                7,
                if clear { x as u8 * 11 } else { 255 },
            ])
        });
        let mut bytes = Vec::new();
        WebPEncoder::new_lossless(&mut bytes)
            .write_image(&rgba, 21, 9, image::ExtendedColorType::Rgba8)
            .unwrap();
        bytes
    }

    /// Read by a library that is not ours: the picture is the same, and its XMP holds the notice, with what XML does not take masked.
    #[test]
    fn the_picture_stays_and_its_xmp_says_the_notice() {
        for clear in [false, true] {
            let plain = picture(clear);
            let told = with_notice(&plain, "By A & B <quay>\u{1}. Licence: für alle").unwrap();
            let read = |b: &[u8]| image::load_from_memory(b).unwrap().into_rgba8();
            assert_eq!(read(&told), read(&plain));
            let mut decoder = WebPDecoder::new(Cursor::new(&told)).unwrap();
            let xmp = decoder.xmp_metadata().unwrap().expect("there is XMP");
            let xmp = String::from_utf8(xmp).unwrap();
            assert!(
                xmp.contains(">By A &amp; B &lt;quay&gt; . Licence: für alle<"),
                "{xmp}"
            );
            // What says something about itself already is left alone.
            assert_eq!(with_notice(&told, "again"), None);
        }
    }

    #[test]
    fn what_is_cut_off_is_left_alone() {
        let whole = picture(true);
        for length in 0..whole.len().min(60) {
            let _ = with_notice(&whole[..length], "x");
        }
        assert_eq!(with_notice(&whole[..14], "x"), None);
        assert_eq!(with_notice(b"RIFF\0\0\0\0WEBPODD \0\0\0\0", "x"), None);
    }
}
