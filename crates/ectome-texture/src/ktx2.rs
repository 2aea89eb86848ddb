//! Pictures with all their smaller copies in one file that loaders hand to the device as blocks: KTX 2.0 (Khronos Group, *KTX File Format
//! Specification* 2.0) around blocks of [`uastc`](crate::uastc), as `KHR_texture_basisu` of glTF wants it.

use crate::{
    Coding,
    scale::{Meaning, scaled},
    uastc::{BLOCK_BYTES, Coder, SIDE},
};

/// The first bytes of every such file.
pub const MAGIC: [u8; 12] = [
    0xAB, b'K', b'T', b'X', b' ', b'2', b'0', 0xBB, b'\r', b'\n', 0x1A, b'\n',
];

/// The media type.
pub const MIME: &str = "image/ktx2";

/// Where width and height stand.
const SIZE_AT: usize = 20;
/// Bytes before the list of levels, and of each line of it.
const HEAD: usize = 80;
const LEVEL: usize = 24;

/// The size of the picture in a file, in texels; none where it is no such file.
pub fn size(bytes: &[u8]) -> Option<[u32; 2]> {
    if !bytes.starts_with(&MAGIC) {
        return None;
    }
    let at = |from: usize| {
        Some(u32::from_le_bytes(
            bytes.get(from..from + 4)?.try_into().ok()?,
        ))
    };
    Some([at(SIZE_AT)?, at(SIZE_AT + 4)?])
}

/// Whether glTF allows a picture of this size in such a file: blocks must fill it.
pub fn can_hold(size: [usize; 2]) -> bool {
    size.iter().all(|s| *s > 0 && s.is_multiple_of(SIDE))
}

/// A picture of four channels and all its halves as a file. `meaning` says how halves are made, and whether colours are sRGB.
///
/// # Panics
/// Where `rgba` does not hold four bytes for each texel of `size`.
pub fn written(rgba: &[u8], size: [usize; 2], meaning: Meaning) -> Vec<u8> {
    let coder = Coder::default();
    let mut levels = vec![coder.blocks(rgba, size)];
    let mut to = size;
    while to != [1, 1] {
        to = to.map(|s| (s / 2).max(1));
        levels.push(coder.blocks(&scaled(rgba, size, to, meaning), to));
    }
    let coding = match meaning {
        Meaning::Colour | Meaning::Cutout(_) => Coding::Srgb,
        Meaning::Normal | Meaning::Linear => Coding::Linear,
    };
    let has_clear = rgba.chunks_exact(4).any(|t| t[3] < 255);
    joined(&levels, size, &descriptor(coding, has_clear))
}

fn joined(levels: &[Vec<u8>], size: [usize; 2], descriptor: &[u8]) -> Vec<u8> {
    let about = about();
    let descriptor_at = HEAD + LEVEL * levels.len();
    let about_at = descriptor_at + descriptor.len();
    // The smallest comes first, each at a multiple of a block's bytes.
    let mut end = (about_at + about.len()).next_multiple_of(BLOCK_BYTES);
    let mut starts = vec![0; levels.len()];
    for (k, level) in levels.iter().enumerate().rev() {
        starts[k] = end;
        end += level.len();
    }
    let mut out = Vec::with_capacity(end);
    out.extend(MAGIC);
    // No format of its own, bytes that stand alone, one picture in one layer, not packed any further.
    for v in [0, 1, size[0], size[1], 0, 0, 1, levels.len(), 0] {
        out.extend((v as u32).to_le_bytes());
    }
    for v in [descriptor_at, descriptor.len(), about_at, about.len()] {
        out.extend((v as u32).to_le_bytes());
    }
    out.extend([0; 16]);
    for (level, start) in levels.iter().zip(starts) {
        for v in [start, level.len(), level.len()] {
            out.extend((v as u64).to_le_bytes());
        }
    }
    out.extend(descriptor);
    out.extend(about);
    for level in levels.iter().rev() {
        out.resize(out.len().next_multiple_of(BLOCK_BYTES), 0);
        out.extend(level);
    }
    out
}

/// What blocks hold (Khronos Data Format Specification 1.3, "Basic Data Format Descriptor"): colour model 166, blocks of 4 × 4 in 16 bytes.
fn descriptor(coding: Coding, has_clear: bool) -> Vec<u8> {
    const LENGTH: u32 = 44;
    let mut out = Vec::new();
    out.extend(LENGTH.to_le_bytes());
    out.extend(0u32.to_le_bytes());
    // Version 2, and the bytes that follow the total.
    out.extend((2u32 | (LENGTH - 4) << 16).to_le_bytes());
    let transfer = match coding {
        Coding::Linear => 1,
        Coding::Srgb => 2,
    };
    out.extend([166, 1, transfer, 0]);
    out.extend([3, 3, 0, 0]);
    out.extend([BLOCK_BYTES as u8, 0, 0, 0, 0, 0, 0, 0]);
    // One sample: all bits of the block, three channels or four.
    out.extend([0, 0, 127, if has_clear { 3 } else { 0 }]);
    out.extend([0; 8]);
    out.extend(u32::MAX.to_le_bytes());
    out
}

/// Which way rows and columns go, and who wrote it: keys in their order, each padded to four bytes.
fn about() -> Vec<u8> {
    let mut out = Vec::new();
    for pair in ["KTXorientation\0rd\0", "KTXwriter\0Ectome\0"] {
        out.extend((pair.len() as u32).to_le_bytes());
        out.extend(pair.as_bytes());
        out.resize(out.len().next_multiple_of(4), 0);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_holds_every_level_where_it_says() {
        let rgba: Vec<u8> = (0..16 * 8 * 4).map(|k| (k * 7 % 251) as u8).collect();
        let file = written(&rgba, [16, 8], Meaning::Linear);
        assert_eq!(size(&file), Some([16, 8]));
        let at = |from: usize| u64::from_le_bytes(file[from..from + 8].try_into().unwrap());
        // 4 × 2 blocks, then 2 × 1, and one each for 4 × 2, 2 × 1 and 1 × 1.
        let lengths = [128, 32, 16, 16, 16];
        for (k, length) in lengths.into_iter().enumerate() {
            let line = HEAD + LEVEL * k;
            assert_eq!((at(line + 8), at(line) % 16), (length, 0), "level {k}");
            assert!(at(line) + length <= file.len() as u64);
        }
        assert_eq!(at(HEAD) + 128, file.len() as u64);
        assert_eq!(size(&file[1..]), None);
        assert!(can_hold([16, 8]) && !can_hold([6, 8]) && !can_hold([0, 4]));
    }
}
