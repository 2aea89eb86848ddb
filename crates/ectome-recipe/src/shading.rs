//! The pictures in which shading is compared.

use ectome_formats::Scene;
use ectome_raster::{Camera, Picture, Style, render_each};
use glam::Vec3;

use crate::{maps::Looks, picture};

/// Edge of the pictures that shading is compared in, in pixels.
pub(crate) const SHADED: usize = 320;

/// The 8 directions from which shading is compared: towards the corners of a cube, a little off them so that no
/// side of a box is seen as another.
pub(crate) fn eyes() -> impl Iterator<Item = Vec3> {
    (0..8).map(|i| {
        let sign = |bit: i32| if i >> bit & 1 == 0 { 1.0 } else { -1.0 };
        Vec3::new(sign(0), 0.55 * sign(1), 0.8 * sign(2)).normalize()
    })
}

/// A scene from all directions in which shading is compared, from where `framed` fills the pictures.
pub(crate) fn pictures(
    framed: &Scene,
    scene: &Scene,
    looks: &Looks,
    style: &Style,
) -> Vec<Picture> {
    let camera = |eye| Camera::from_direction(&framed.mesh, eye, SHADED, SHADED);
    let cameras: Vec<Camera> = eyes().map(camera).collect();
    render_each(&scene.mesh, &looks.surfaces(&[]), &cameras, style)
}

/// As it is, or as clay.
pub(crate) fn style(as_clay: bool) -> Style {
    Style {
        clay: as_clay,
        ..picture::STUDIO
    }
}
