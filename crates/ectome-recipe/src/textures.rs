//! Textures no larger than a brief allows.

use std::io::Cursor;

use ectome_formats::{Image, Library};
use ectome_texture::scale::{Meaning, scaled};
use image::{ImageFormat, ImageReader, RgbaImage};

/// How a picture is to be averaged, by the slots that use it.
fn meaning(library: &Library, image: usize, slots: &[String]) -> Meaning {
    let in_slot = |names: &[&str]| slots.iter().any(|s| names.contains(&s.as_str()));
    if in_slot(&["normalTexture", "clearcoatNormalTexture"]) {
        return Meaning::Normal;
    }
    if !in_slot(&[
        "baseColorTexture",
        "emissiveTexture",
        "sheenColorTexture",
        "specularColorTexture",
    ]) {
        return Meaning::Linear;
    }
    let masked = (0..library.materials.len() as u32).find(|&m| {
        let base = library.base_colour_image(m);
        base.is_some_and(|(i, _)| i == image)
            && library.materials[m as usize]["alphaMode"].as_str() == Some("MASK")
    });
    match masked {
        Some(m) => {
            let given = &library.materials[m as usize]["alphaCutoff"];
            Meaning::Cutout(given.as_f64().unwrap_or(0.5) as f32)
        }
        None => Meaning::Colour,
    }
}

/// The library with every picture whose longer side is more than `most` texels made smaller; what cannot be read stays as it is. A
/// JPEG stays one unless it cuts shapes out, everything else becomes a PNG.
pub fn limited(library: &Library, most: u32) -> Library {
    let mut out = library.clone();
    let slots = library.image_slots();
    for (i, slots) in slots.iter().enumerate() {
        let meaning = meaning(library, i, slots);
        if let Some(smaller) = smaller(&library.images[i], most, meaning) {
            out.images[i] = smaller;
        }
    }
    out
}

fn smaller(picture: &Image, most: u32, meaning: Meaning) -> Option<Image> {
    let (width, height) = picture.size()?;
    let longer = width.max(height);
    if longer <= most || most == 0 {
        return None;
    }
    let of = |side: u32| (u64::from(side) * u64::from(most) / u64::from(longer)).max(1) as u32;
    let to = [of(width), of(height)];
    let reader = ImageReader::new(Cursor::new(&picture.bytes));
    let given = reader
        .with_guessed_format()
        .ok()?
        .decode()
        .ok()?
        .into_rgba8();
    let from = [width as usize, height as usize];
    let rgba = scaled(given.as_raw(), from, to.map(|s| s as usize), meaning);
    let made = RgbaImage::from_raw(to[0], to[1], rgba)?;
    let is_opaque = made.pixels().all(|p| p.0[3] == 255);
    let mut bytes = Cursor::new(Vec::new());
    let mime = match picture.mime == "image/jpeg" && is_opaque {
        true => {
            let rgb = image::DynamicImage::ImageRgba8(made).into_rgb8();
            let coder = image::codecs::jpeg::JpegEncoder::new_with_quality(&mut bytes, 92);
            rgb.write_with_encoder(coder).ok()?;
            "image/jpeg"
        }
        false if is_opaque => {
            let rgb = image::DynamicImage::ImageRgba8(made).into_rgb8();
            rgb.write_to(&mut bytes, ImageFormat::Png).ok()?;
            "image/png"
        }
        false => {
            made.write_to(&mut bytes, ImageFormat::Png).ok()?;
            "image/png"
        }
    };
    Some(Image {
        name: picture.name.clone(),
        mime: mime.to_owned(),
        bytes: bytes.into_inner(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pictures_above_the_limit_come_down_to_it_and_others_stay() {
        let bell = ectome_demo::fog_bell().library;
        let sizes = |l: &Library| -> Vec<(u32, u32)> {
            l.images.iter().map(|i| i.size().unwrap()).collect()
        };
        let before = sizes(&bell);
        let largest = before.iter().map(|s| s.0.max(s.1)).max().unwrap();
        assert_eq!(limited(&bell, largest), bell);
        let most = largest / 4;
        for (after, before) in sizes(&limited(&bell, most)).into_iter().zip(before) {
            let longer = before.0.max(before.1);
            let by = f64::from(longer.min(most)) / f64::from(longer);
            assert_eq!(after.0.max(after.1), longer.min(most));
            assert!((f64::from(after.0) - f64::from(before.0) * by).abs() <= 1.0);
        }
    }

    #[test]
    fn a_picture_that_is_none_stays() {
        let broken = Image {
            name: String::new(),
            mime: "image/png".to_owned(),
            bytes: vec![1, 2, 3],
        };
        assert_eq!(smaller(&broken, 16, Meaning::Linear), None);
    }
}
