//! The materials of a scene as MTL.
//!
//! MTL says less than glTF 2.0, and much of it by common practice (no published source): `map_d` for what is cut out or blended, `Ke` and
//! `map_Ke` for emission, `Pr`, `Pm` and their pictures for roughness and metalness, `norm` for normals in tangent space. A picture holds
//! one figure there, so channels that glTF packs into one picture are written as grey ones of their own. A cut-out's picture of opacity
//! is black and white, cut where the material cuts it: MTL has no threshold.

use std::{collections::HashSet, fmt::Write, io::Cursor};

use ectome_texture::srgb::{to_coded, to_linear};
use glam::Affine2;
use serde_json::Value;

use crate::{Image, Library, Scene, material::looked_up_by};

/// The names of the materials on one line each, no two alike.
pub fn names(library: &Library) -> Vec<String> {
    let mut taken = HashSet::new();
    (0..library.materials.len() as u32)
        .map(|m| {
            let words: Vec<&str> = library.name(m).split_whitespace().collect();
            let own = match words.join(" ") {
                name if name.is_empty() => format!("material {}", m + 1),
                name => name,
            };
            let mut name = own.clone();
            let mut next = 2;
            while !taken.insert(name.clone()) {
                name = format!("{own} {next}");
                next += 1;
            }
            name
        })
        .collect()
}

/// Where the pictures of a material lie: its UV set, and what UVs are put through (KHR_texture_transform). MTL holds neither, so UVs are
/// written as they are after it. A material whose pictures lie differently goes by its base colour.
pub fn lie(material: &Value) -> (usize, Affine2) {
    let pbr = &material["pbrMetallicRoughness"];
    let slots = [
        &pbr["baseColorTexture"],
        &material["normalTexture"],
        &pbr["metallicRoughnessTexture"],
        &material["emissiveTexture"],
    ];
    let slot = slots.into_iter().find(|s| s["index"].is_u64());
    slot.map_or((0, Affine2::IDENTITY), looked_up_by)
}

/// All materials, under their `names`; `file_of` gives pictures the names of their files.
pub fn materials(
    scene: &Scene,
    names: &[String],
    file_of: &mut dyn FnMut(&Image) -> String,
) -> String {
    let library = &scene.library;
    let mut out = String::new();
    for (m, (material, name)) in library.materials.iter().zip(names).enumerate() {
        let _ = writeln!(out, "newmtl {name}");
        one(&mut out, library, m as u32, material, file_of);
    }
    out
}

fn one(
    out: &mut String,
    library: &Library,
    m: u32,
    material: &Value,
    file_of: &mut dyn FnMut(&Image) -> String,
) {
    let pbr = &material["pbrMetallicRoughness"];
    let picture = |slot: &Value| -> Option<&Image> {
        let texture = library.textures.get(slot["index"].as_u64()? as usize)?;
        library.images.get(texture["source"].as_u64()? as usize)
    };
    let [r, g, b, a] = library.base_colour(m);
    let base = picture(&pbr["baseColorTexture"]);
    // Readers differ in whether the colour tints the picture: it is in the picture already.
    let tinted = base
        .filter(|_| [r, g, b] != [1.0; 3])
        .and_then(|image| tinted(image, [r, g, b]));
    let [r, g, b] = if tinted.is_some() {
        [1.0; 3]
    } else {
        [r, g, b].map(to_coded)
    };
    let _ = writeln!(out, "Kd {r} {g} {b}");
    let mode = material["alphaMode"].as_str().unwrap_or("OPAQUE");
    if mode != "OPAQUE" && a < 1.0 {
        let _ = writeln!(out, "d {a}");
    }
    let strength = &material["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"];
    let strength = strength.as_f64().unwrap_or(1.0);
    let light = [0, 1, 2].map(|k| material["emissiveFactor"][k].as_f64().unwrap_or(0.0) * strength);
    if light != [0.0; 3] {
        let _ = writeln!(out, "Ke {} {} {}", light[0], light[1], light[2]);
    }
    let figure = |key: &str| pbr[key].as_f64();
    let surface = picture(&pbr["metallicRoughnessTexture"]);
    // Roughness of glTF is 1 where a material does not say; one that says nothing at all is left to the reader.
    for (keyword, key) in [("Pr", "roughnessFactor"), ("Pm", "metallicFactor")] {
        match figure(key) {
            Some(v) => {
                let _ = writeln!(out, "{keyword} {v}");
            }
            None if surface.is_some() => {
                let _ = writeln!(out, "{keyword} 1");
            }
            None => {}
        }
    }
    let cutoff = (mode == "MASK").then(|| material["alphaCutoff"].as_f64().unwrap_or(0.5));
    let opacity = base
        .filter(|_| mode != "OPAQUE")
        .and_then(|image| opacity(image, cutoff));
    let channel_of = |k: usize, mark: &str| surface.and_then(|image| channel(image, k, mark));
    let (rough, metal) = (channel_of(1, "roughness"), channel_of(2, "metalness"));
    let light = picture(&material["emissiveTexture"]);
    let normal = picture(&material["normalTexture"]);
    for (keyword, image) in [
        ("map_Kd", tinted.as_ref().or(base)),
        ("map_d", opacity.as_ref()),
        ("map_Ke", light),
        ("map_Pr", rough.as_ref()),
        ("map_Pm", metal.as_ref()),
        ("norm", normal),
    ] {
        if let Some(image) = image {
            let _ = writeln!(out, "{keyword} {}", file_of(image));
        }
    }
}

/// A picture times a linear colour.
fn tinted(image: &Image, colour: [f32; 3]) -> Option<Image> {
    let mut rgba = image::load_from_memory(&image.bytes).ok()?.into_rgba8();
    let of: [Vec<u8>; 3] = colour.map(|factor| {
        let times = |v: u8| to_coded(to_linear(f32::from(v) / 255.0) * factor);
        (0..=255u8)
            .map(|v| (times(v).clamp(0.0, 1.0) * 255.0 + 0.5) as u8)
            .collect()
    });
    for pixel in rgba.pixels_mut() {
        for (v, table) in pixel.0.iter_mut().zip(&of) {
            *v = table[usize::from(*v)];
        }
    }
    Some(png(rgba.into(), &image.name, "tinted"))
}

/// The opacity of a picture as a grey one, cut at a threshold; `None` where all of it is opaque or it cannot be read.
fn opacity(image: &Image, cutoff: Option<f64>) -> Option<Image> {
    let rgba = image::load_from_memory(&image.bytes).ok()?.into_rgba8();
    if rgba.pixels().all(|p| p[3] == 255) {
        return None;
    }
    let grey = image::GrayImage::from_fn(rgba.width(), rgba.height(), |x, y| {
        let a = rgba.get_pixel(x, y)[3];
        image::Luma([match cutoff {
            Some(at) if f64::from(a) / 255.0 >= at => 255,
            Some(_) => 0,
            None => a,
        }])
    });
    Some(png(grey.into(), &image.name, "opacity"))
}

/// A channel of a picture as a grey one.
fn channel(image: &Image, channel: usize, mark: &str) -> Option<Image> {
    let rgb = image::load_from_memory(&image.bytes).ok()?.into_rgb8();
    let grey = image::GrayImage::from_fn(rgb.width(), rgb.height(), |x, y| {
        image::Luma([rgb.get_pixel(x, y)[channel]])
    });
    Some(png(grey.into(), &image.name, mark))
}

fn png(picture: image::DynamicImage, name: &str, mark: &str) -> Image {
    let mut bytes = Cursor::new(Vec::new());
    // Writing to memory cannot fail; an empty picture is shown as a missing one.
    let _ = picture.write_to(&mut bytes, image::ImageFormat::Png);
    Image {
        name: format!("{name}_{mark}"),
        mime: "image/png".to_owned(),
        bytes: bytes.into_inner(),
    }
}
