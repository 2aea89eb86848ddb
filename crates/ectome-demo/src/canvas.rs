//! Textures as they are painted.

use ectome_texture::srgb::to_byte;
use std::io::Cursor;

use ectome_formats::Image;
use glam::Vec3;
use image::{ExtendedColorType, ImageEncoder, codecs::jpeg::JpegEncoder};
use rayon::prelude::*;

/// A square of linear colours, rows from the top.
pub struct Canvas {
    /// Edge in texels.
    pub size: usize,
    /// Colours.
    pub texels: Vec<Vec3>,
}

impl Canvas {
    /// Paints every texel from its UV.
    pub fn painted(size: usize, paint: impl Fn(f32, f32) -> Vec3 + Sync) -> Self {
        let texels = (0..size * size)
            .into_par_iter()
            .map(|i| {
                let centre = |k: usize| (k as f32 + 0.5) / size as f32;
                paint(centre(i % size), centre(i / size))
            })
            .collect();
        Self { size, texels }
    }

    /// The canvas as a JPEG picture in sRGB.
    pub fn into_image(self, name: &str) -> Image {
        let rgb: Vec<u8> = self
            .texels
            .par_iter()
            .flat_map_iter(|c| c.to_array().map(to_byte))
            .collect();
        let mut bytes = Cursor::new(Vec::new());
        let size = self.size as u32;
        // Writing a picture of matching size to memory cannot fail.
        let _ = JpegEncoder::new_with_quality(&mut bytes, 90).write_image(
            &rgb,
            size,
            size,
            ExtendedColorType::Rgb8,
        );
        Image {
            name: name.to_owned(),
            mime: "image/jpeg".to_owned(),
            bytes: bytes.into_inner(),
        }
    }
}
