//! A map as a PNG that says what its values mean.

use ectome_bake::{Map, State};
use rayon::prelude::*;

use super::{BakeSettings, Kind};
use crate::EngineError;

/// A map in 8 or 16 bits, coded as the kernel coded it. Colours are sRGB, everything else is linear.
pub fn png(map: &Map, size: usize, settings: &BakeSettings) -> Result<Vec<u8>, EngineError> {
    let channels = map.kind.channels();
    let colours = map.kind.is_srgb();
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, size as u32, size as u32);
    encoder.set_color(match channels {
        1 => png::ColorType::Grayscale,
        _ => png::ColorType::Rgb,
    });
    encoder.set_compression(png::Compression::Fast);
    let bytes: Vec<u8> = if settings.deep {
        encoder.set_depth(png::BitDepth::Sixteen);
        let deep = |v: &u16| v.to_be_bytes();
        map.texels.par_iter().flat_map_iter(deep).collect()
    } else {
        encoder.set_depth(png::BitDepth::Eight);
        map.texels.par_iter().map(|v| (v >> 8) as u8).collect()
    };
    if colours {
        encoder.set_source_srgb(png::SrgbRenderingIntent::Perceptual);
    }
    let failed = |e: png::EncodingError| EngineError::Bake(format!("a map cannot be written: {e}"));
    encoder
        .add_text_chunk("Description".to_owned(), describe(map, settings))
        .map_err(failed)?;
    let mut writer = encoder.write_header().map_err(failed)?;
    writer.write_image_data(&bytes).map_err(failed)?;
    writer.finish().map_err(failed)?;
    Ok(out)
}

/// What a map is and what its values mean, in a sentence for its file.
pub fn describe(map: &Map, settings: &BakeSettings) -> String {
    let mut says = format!(
        "{}, {}",
        map.kind.word(),
        if map.kind.is_srgb() { "sRGB" } else { "linear" }
    );
    if matches!(map.kind, Kind::Normal | Kind::BentNormal) {
        let green = if settings.green_up { "up" } else { "down" };
        says += &format!(", green {green}, MikkTSpace, bitangent per pixel");
    }
    if let Some([from, to]) = map.range_m {
        says += &format!(", black {from} m, white {to} m");
    }
    says
}

/// Where rays missed: nothing there dark red, faces from behind orange, the rest as faint as paper.
pub fn misses(states: &[State], size: usize) -> Vec<u8> {
    let rgba: Vec<u8> = states
        .iter()
        .flat_map(|s| match s {
            State::Bare => [0, 0, 0, 0],
            State::Baked => [0xC9, 0xD3, 0xD1, 255],
            State::Nothing => [0xA9, 0x1A, 0x17, 255],
            State::Behind => [0xE0, 0x7A, 0x10, 255],
        })
        .collect();
    crate::picture::encode(size as u32, size as u32, &rgba)
}
