//! What a file that is handed over holds, as an engine will count it.

use std::collections::BTreeSet;

use ectome_formats::Scene;
use ectome_texture::ktx2;
use serde::{Deserialize, Serialize};

use super::textures::Coder;

/// A texture of a file.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Texture {
    /// Its name; may be empty.
    pub name: String,
    /// Width in texels; 0 where the picture cannot be read.
    pub width: u32,
    /// Height in texels; 0 where the picture cannot be read.
    pub height: u32,
    /// `PNG`, `JPEG` or what its media type says.
    pub format: String,
    /// Colours are stored as screens show them (sRGB); everything else is linear (glTF 2.0, §3.9.2).
    pub is_colour: bool,
    /// Bytes of the file.
    pub bytes: u64,
    /// Bytes on the device: four a texel, one where it stays packed there, and a third more for the smaller copies (common practice, no
    /// published source).
    pub device_bytes: u64,
    /// Decibels of it that would be kept at half its size (PSNR): above 45 nobody sees a difference, below 30 everybody does (common
    /// practice, no published source).
    pub halved_db: Option<f64>,
}

/// What a scene holds.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Contents {
    /// Triangles, larger faces split.
    pub triangles: u64,
    /// Vertices.
    pub vertices: u64,
    /// Materials that faces use.
    pub materials: usize,
    /// Times that an engine is told to draw: each part once for each of its materials.
    pub draw_calls: usize,
    /// Objects.
    pub objects: usize,
    /// Textures, each once.
    pub textures: Vec<Texture>,
}

impl Contents {
    /// Counts a scene, whose pictures the coder may have made.
    pub fn of(scene: &Scene, coder: &Coder) -> Self {
        let mesh = &scene.mesh;
        let runs = mesh.runs.iter().filter(|r| !r.faces.is_empty());
        let drawn: BTreeSet<(u32, Option<u32>)> = runs.map(|r| (r.part, r.material)).collect();
        let used: BTreeSet<u32> = drawn.iter().filter_map(|(_, m)| *m).collect();
        let slots = scene.library.image_slots();
        let textures = scene
            .library
            .images
            .iter()
            .zip(slots)
            .map(|(image, slots)| {
                let (width, height) = image.size().unwrap_or_default();
                let end = image.mime.rsplit('/').next().unwrap_or_default();
                Texture {
                    name: image.name.clone(),
                    width,
                    height,
                    format: end.to_uppercase(),
                    is_colour: slots
                        .iter()
                        .any(|s| ["baseColorTexture", "emissiveTexture"].contains(&s.as_str())),
                    bytes: image.bytes.len() as u64,
                    device_bytes: u64::from(width)
                        * u64::from(height)
                        * device_bytes_of_texel(&image.mime)
                        * 4
                        / 3,
                    halved_db: coder.halved_db(image),
                }
            });
        Self {
            triangles: mesh.triangle_count() as u64,
            vertices: mesh.vertex_count() as u64,
            materials: used.len(),
            draw_calls: drawn.len(),
            objects: drawn
                .iter()
                .map(|(part, _)| part)
                .collect::<BTreeSet<_>>()
                .len(),
            textures: textures.collect(),
        }
    }

    /// Bytes of all textures on the device.
    pub fn device_bytes(&self) -> u64 {
        self.textures.iter().map(|t| t.device_bytes).sum()
    }
}

fn device_bytes_of_texel(mime: &str) -> u64 {
    if mime == ktx2::MIME { 1 } else { 4 }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;

    #[test]
    fn a_plain_ball_is_one_draw_call_without_textures() {
        let contents = Contents::of(&Scene::from(shapes::icosphere(1.0, 2)), &Coder::default());
        assert_eq!((contents.triangles, contents.vertices), (320, 162));
        assert_eq!((contents.materials, contents.draw_calls), (0, 1));
        assert!(contents.textures.is_empty() && contents.device_bytes() == 0);
    }

    /// The bell: 51 parts of two materials, colours apart from normals, by what its generator makes.
    #[test]
    fn the_fog_bell_is_counted_as_an_engine_draws_it() {
        let bell = ectome_demo::once::fog_bell();
        let contents = Contents::of(&bell, &Coder::default());
        assert_eq!(contents.materials, 2);
        assert_eq!(contents.draw_calls, bell.mesh.parts.len());
        for t in &contents.textures {
            assert_eq!(
                t.device_bytes,
                u64::from(t.width) * u64::from(t.height) * 16 / 3
            );
            assert!(t.width > 0 && !t.format.is_empty());
        }
        assert!(!contents.textures.is_empty() && contents.textures.iter().all(|t| t.is_colour));
    }
}
