//! Pictures of scenes for shelves and trays.

use ectome_formats::Scene;
use ectome_raster::{Camera, Surface, Texture, render};
use glam::Vec3;

/// Linear grey of faces without a material.
const PLAIN: [f32; 3] = [0.46, 0.47, 0.45];

/// Renders a scene of triangles as a PNG with a transparent ground.
pub fn png(scene: &Scene, width: u32, height: u32) -> Vec<u8> {
    let camera = Camera::fitting(&scene.mesh, width as usize, height as usize);
    let surfaces: Vec<Surface> = (0..scene.library.materials.len() as u32)
        .map(|m| surface(scene, m))
        .collect();
    let picture = render(&scene.mesh, &surfaces, &camera, PLAIN);
    encode(width, height, &picture.pixels.concat())
}

fn surface(scene: &Scene, material: u32) -> Surface {
    let [r, g, b, _] = scene.library.base_colour(material);
    let texture = scene
        .library
        .base_colour_image(material)
        .and_then(|(image, set)| {
            let bytes = &scene.library.images[image].bytes;
            let rgb = image::load_from_memory(bytes).ok()?.into_rgb8();
            let (w, h) = rgb.dimensions();
            let texture = Texture::from_srgb(w as usize, h as usize, rgb.as_raw())?;
            Some((texture, set))
        });
    Surface {
        colour: Vec3::new(r, g, b),
        texture,
    }
}

fn encode(width: u32, height: u32, rgba: &[u8]) -> Vec<u8> {
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
