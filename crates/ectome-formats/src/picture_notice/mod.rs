//! A notice of origin and licence inside a picture.

mod ktx2;
mod webp;

/// The first bytes of a PNG (W3C, *Portable Network Graphics*, 3rd edition, 2025, §5.2).
const PNG: &[u8] = b"\x89PNG\r\n\x1a\n";
/// Bytes of a PNG before which a chunk of text may stand: its mark and its header, which comes first.
const AFTER_HEADER: usize = 8 + 25;

/// The picture with the notice in it: an `iTXt` chunk under the keyword Copyright in a PNG (§11.3.3.4), a comment in a JPEG (ITU-T
/// T.81, §B.2.4.5), XMP in a WebP, a pair of key and value in a KTX2. Other pictures, those that say such a thing already, and notices too
/// long for a comment leave it as it is.
pub fn with_notice(picture: &[u8], notice: &str) -> Vec<u8> {
    let (at, insert) = match picture {
        p if p.starts_with(PNG) && p.len() > AFTER_HEADER => {
            // Not compressed, no language, no translated keyword.
            let mut chunk = b"iTXtCopyright\0\0\0\0\0".to_vec();
            chunk.extend_from_slice(notice.as_bytes());
            let sum = crc32fast::hash(&chunk);
            let mut insert = (chunk.len() as u32 - 4).to_be_bytes().to_vec();
            insert.extend(chunk);
            insert.extend(sum.to_be_bytes());
            (AFTER_HEADER, insert)
        }
        [0xFF, 0xD8, ..] if notice.len() < 65_000 => {
            let mut insert = vec![0xFF, 0xFE];
            insert.extend((notice.len() as u16 + 2).to_be_bytes());
            insert.extend_from_slice(notice.as_bytes());
            (2, insert)
        }
        _ => {
            let told =
                webp::with_notice(picture, notice).or_else(|| ktx2::with_notice(picture, notice));
            return told.unwrap_or_else(|| picture.to_vec());
        }
    };
    [&picture[..at], &insert, &picture[at..]].concat()
}

#[cfg(test)]
mod tests {
    use super::*;
    use image::{ImageFormat, RgbImage};

    /// Read by a library that is not ours: the picture is the same, the notice is there, and the sum of its chunk is right.
    #[test]
    fn pictures_stay_and_say_who_made_them() {
        let picture = RgbImage::from_fn(8, 4, |x, y| image::Rgb([x as u8 * 30, y as u8 * 60, 7]));
        for format in [ImageFormat::Png, ImageFormat::Jpeg] {
            let mut bytes = std::io::Cursor::new(Vec::new());
            picture.write_to(&mut bytes, format).unwrap();
            let plain = bytes.into_inner();
            let told = with_notice(&plain, "By nobody. Licence: gratis – für alle.");
            let text = String::from_utf8_lossy(&told).into_owned();
            assert!(text.contains("Licence: gratis – für alle."));
            let read = |b: &[u8]| image::load_from_memory(b).unwrap().into_rgb8();
            assert_eq!(read(&told), read(&plain));
            if format == ImageFormat::Png {
                let reader = png::Decoder::new(std::io::Cursor::new(&told))
                    .read_info()
                    .unwrap();
                let chunk = &reader.info().utf8_text[0];
                assert_eq!(chunk.keyword, "Copyright");
                assert!(chunk.get_text().unwrap().starts_with("By nobody"));
            }
        }
        assert_eq!(with_notice(b"odd", "x"), b"odd");
    }
}
