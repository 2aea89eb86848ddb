//! Pictures of scenes for lists.

use ectome_formats::Scene;
use ectome_mesh::Glimpse;
use ectome_raster::{Backs, Camera, Light, Style, render};
use glam::Vec3;

use crate::maps::Looks;

/// Linear grey of faces without a material.
pub(crate) const PLAIN: [f32; 3] = [0.46, 0.47, 0.45];

/// Size of the picture of a result, in pixels.
pub(crate) const RESULT: (u32, u32) = (320, 240);

/// How pictures for lists are drawn.
pub(crate) const STUDIO: Style = Style {
    light: Light::Studio,
    clay: false,
    relief: true,
    backs: Backs::Shown,
    plain: Vec3::from_array(PLAIN),
};

/// Renders a scene of triangles as a PNG with a transparent ground.
pub fn png(scene: &Scene, width: u32, height: u32) -> Vec<u8> {
    let camera = Camera::fitting(&scene.mesh, width as usize, height as usize);
    let looks = Looks::colours(scene);
    let picture = render(&scene.mesh, &looks.surfaces(&[]), &camera, &STUDIO);
    encode(width, height, &picture.pixels.concat())
}

/// A glimpse of work as a PNG.
pub fn of_glimpse(glimpse: &Glimpse) -> Vec<u8> {
    encode(glimpse.width, glimpse.height, &glimpse.rgba)
}

/// The colour of a difference in pictures: 0 is light, 1 dark.
pub(crate) fn as_difference(off: f32) -> [u8; 3] {
    let off = off.clamp(0.0, 1.0);
    let mix = |from: f32, to: f32| (from + (to - from) * off) as u8;
    [mix(231.0, 68.0), mix(226.0, 12.0), mix(211.0, 0.0)]
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
