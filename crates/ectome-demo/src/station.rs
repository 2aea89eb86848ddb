//! The signal station: bell, kettle, winch and posts as one heavy assembly with textures of 8192 and 4096 texels, for whoever wants to see what
//! a phone is spared. Written on request: its file is half a gigabyte.

use ectome_formats::{Image, Library, Scene};
use ectome_mesh::{MeshBuilder, Primitive, triangulate::triangulate};
use glam::{Affine3A, Quat, Vec3};
use image::{RgbImage, imageops};

use crate::{enamel_kettle, fog_bell, mooring_post, noise::unit, rope_winch};

/// Sides of its textures, in texels: the first two, and all others.
const SIDES: [u32; 3] = [8192, 8192, 4096];
/// How much single texels differ, in steps of 255: what a camera's noise does to a scan.
const GRAIN: f32 = 5.0;

/// The station.
pub fn signal_station() -> Scene {
    let at = |x: f32, z: f32, turn: f32| {
        Affine3A::from_rotation_translation(Quat::from_rotation_y(turn), Vec3::new(x, 0.0, z))
    };
    let mut station = beside(&[
        (fog_bell(), at(0.0, 0.0, 0.0)),
        (rope_winch(), at(1.4, 0.2, 0.6)),
        (enamel_kettle(), at(-0.9, 0.7, -0.4)),
        (mooring_post(), at(-1.3, -0.8, 0.0)),
    ]);
    let pictures = station.library.images.iter().enumerate();
    station.library.images = pictures
        .map(|(n, image)| enlarged(image, SIDES[n.min(2)]))
        .collect();
    station
}

/// Scenes side by side as one; larger faces are split.
fn beside(scenes: &[(Scene, Affine3A)]) -> Scene {
    let mut builder = MeshBuilder::new();
    let mut library = Library::default();
    for (scene, motion) in scenes {
        let place = library.take(scene.library.clone());
        let (mesh, _) = triangulate(&scene.mesh);
        for (p, part) in mesh.parts.iter().enumerate() {
            let object = builder.part(&part.name, *motion);
            for run in mesh.runs.iter().filter(|r| r.part == p as u32) {
                let corners =
                    &mesh.corners[3 * run.faces.start as usize..3 * run.faces.end as usize];
                let mut used: Vec<u32> = corners.to_vec();
                used.sort_unstable();
                used.dedup();
                let own = |v: &u32| used.binary_search(v).unwrap_or(0) as u32;
                let of = |v: &u32| *v as usize;
                object.primitive(Primitive {
                    positions: used.iter().map(|&v| mesh.position(v)).collect(),
                    normals: if run.channels.normals {
                        used.iter().map(|v| mesh.normals[of(v)]).collect()
                    } else {
                        Vec::new()
                    },
                    uv_sets: mesh
                        .uv_sets
                        .iter()
                        .take(run.channels.uv_sets.into())
                        .map(|set| used.iter().map(|v| set[of(v)]).collect())
                        .collect(),
                    corners: corners.iter().map(own).collect(),
                    material: run.material.and_then(|m| place.get(m as usize).copied()),
                    ..Primitive::default()
                });
            }
        }
    }
    Scene {
        mesh: builder.finish(),
        library,
        copyright: Some(crate::NOTICE.to_owned()),
        ..Scene::default()
    }
}

/// A picture with so many texels on a side, and a grain of its own.
fn enlarged(image: &Image, side: u32) -> Image {
    let Ok(given) = image::load_from_memory(&image.bytes) else {
        return image.clone();
    };
    let mut large: RgbImage = imageops::resize(
        &given.into_rgb8(),
        side,
        side,
        imageops::FilterType::Triangle,
    );
    for (x, y, texel) in large.enumerate_pixels_mut() {
        let grain = GRAIN * (unit(x as i32, y as i32, 7) - 0.5);
        for c in &mut texel.0 {
            *c = (f32::from(*c) + grain).clamp(0.0, 255.0) as u8;
        }
    }
    let mut bytes = std::io::Cursor::new(Vec::new());
    match large.write_to(&mut bytes, image::ImageFormat::Png) {
        Ok(()) => Image {
            name: image.name.clone(),
            mime: "image/png".to_owned(),
            bytes: bytes.into_inner(),
        },
        Err(_) => image.clone(),
    }
}
