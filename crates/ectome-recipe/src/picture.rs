//! Pictures of scenes for lists.

use ectome_formats::Scene;
use ectome_mesh::Glimpse;
use ectome_raster::{Camera, Finish, Texture, render};
use ectome_texture::Coding;
use glam::Vec3;
use rayon::prelude::*;

/// Linear grey of faces without a material.
pub(crate) const PLAIN: [f32; 3] = [0.46, 0.47, 0.45];

/// Size of the picture of a result, in pixels.
pub(crate) const RESULT: (u32, u32) = (320, 240);

/// Renders a scene of triangles as a PNG with a transparent ground.
pub fn png(scene: &Scene, width: u32, height: u32) -> Vec<u8> {
    let camera = Camera::fitting(&scene.mesh, width as usize, height as usize);
    let picture = render(&scene.mesh, &surfaces(scene), &camera, PLAIN);
    encode(width, height, &picture.pixels.concat())
}

/// How the materials of a scene look, its pictures decoded.
pub(crate) fn surfaces(scene: &Scene) -> Vec<Finish> {
    (0..scene.library.materials.len() as u32)
        .into_par_iter()
        .map(|m| surface(scene, m))
        .collect()
}

fn surface(scene: &Scene, material: u32) -> Finish {
    let library = &scene.library;
    let [r, g, b, opacity] = library.base_colour(material);
    let decoded = |image: usize| {
        let rgb = image::load_from_memory(&library.images[image].bytes).ok()?;
        Some(rgb.into_rgba8())
    };
    let size = |(w, h): (u32, u32)| (w as usize, h as usize);
    let texture = library
        .base_colour_image(material)
        .and_then(|(image, set)| {
            let rgb = decoded(image)?;
            let (w, h) = size(rgb.dimensions());
            Some((Texture::of(w, h, rgb.as_raw(), Coding::Srgb, None)?, set))
        });
    let normal = library
        .normal_image(material)
        .and_then(|(image, set, strength)| {
            let rgb = decoded(image)?;
            let (w, h) = size(rgb.dimensions());
            Some((
                Texture::of(w, h, rgb.as_raw(), Coding::Linear, None)?,
                set,
                strength,
            ))
        });
    let json = &library.materials[material as usize];
    Finish {
        colour: Vec3::new(r, g, b),
        texture,
        moved: ectome_formats::material::transform(
            &json["pbrMetallicRoughness"]["baseColorTexture"],
        ),
        opacity,
        cutoff: match json["alphaMode"].as_str() {
            Some("MASK") => Some(json["alphaCutoff"].as_f64().unwrap_or(0.5) as f32),
            Some("BLEND") => Some(0.5),
            _ => None,
        },
        normal,
        ..Finish::default()
    }
}

/// A glimpse of work as a PNG.
pub fn of_glimpse(glimpse: &Glimpse) -> Vec<u8> {
    encode(glimpse.width, glimpse.height, &glimpse.rgba)
}

/// RGBA bytes as a PNG.
pub(crate) fn encode(width: u32, height: u32, rgba: &[u8]) -> Vec<u8> {
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, width, height);
    encoder.set_color(png::ColorType::Rgba);
    encoder.set_depth(png::BitDepth::Eight);
    // Writing to memory cannot fail; an empty picture is shown as a missing one.
    let written = encoder
        .write_header()
        .and_then(|mut writer| writer.write_image_data(rgba));
    if written.is_err() {
        return Vec::new();
    }
    out
}
