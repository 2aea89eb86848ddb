//! Scenes as Ectome keeps them between steps: everything a [`Scene`](crate::Scene) holds, as it is.
//!
//! ```text
//! "ECTOMESH"  version u32  head length u32  head (JSON)  padding to 16
//! points f32×3 │ vertex points u32 │ normals f32×3 │ UV sets f32×2 │ colours f32×4 │ corners u32 │ face starts u32
//! frames of parts f32×12 │ runs u32×4 (part, material, end, channels) │ motions of copies f32×12
//! ```
//!
//! Everything is little-endian; the arrays follow each other without gaps, as long as the head says. Faces of any size, part
//! numbers, fates and groups survive, which no exchange format promises. Pictures are not in it: whoever writes keeps them
//! apart and gives each a name, whoever reads fetches them by it.
//!
//! The arrays are not compressed: a worker looks at them where they lie, memory-mapped. LZ4 would take a quarter off
//! (docs/performance.md) at the price of unpacking all of it each time.

mod read;
mod write;

pub use read::read;
pub use write::write;

use ectome_mesh::Fate;
use serde::{Deserialize, Serialize};
use serde_json::Value;

const MAGIC: &[u8; 8] = b"ECTOMESH";
const VERSION: u32 = 1;

/// Where the arrays may begin, in bytes.
const ALIGNMENT: usize = 16;

/// A run without a material.
const NO_MATERIAL: u32 = u32::MAX;

/// All but the arrays.
#[derive(Default, Serialize, Deserialize)]
struct Head {
    points: u64,
    vertices: u64,
    normals: bool,
    colours: bool,
    uv_sets: u64,
    corners: u64,
    /// Entries of the list of face starts; 0 where all faces are triangles.
    starts: u64,
    runs: u64,
    parts: Vec<PartHead>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    nodes: Vec<NodeHead>,
    materials: Vec<Value>,
    textures: Vec<Value>,
    samplers: Vec<Value>,
    images: Vec<ImageHead>,
    copyright: Option<String>,
    /// The part that is stored and the part that copies it.
    copies: Vec<(u32, u32)>,
    notes: Vec<String>,
}

#[derive(Serialize, Deserialize)]
struct PartHead {
    name: String,
    fate: Fate,
    group: String,
    #[serde(default, skip_serializing_if = "is_zero")]
    smallest: u32,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    node: Option<u32>,
}

fn is_zero(n: &u32) -> bool {
    *n == 0
}

#[derive(Serialize, Deserialize)]
struct NodeHead {
    name: String,
    /// Columns of its frame in its parent's.
    local: [f32; 12],
    parent: Option<u32>,
}

#[derive(Serialize, Deserialize)]
struct ImageHead {
    name: String,
    mime: String,
    kept_as: String,
}

#[cfg(test)]
mod tests {
    use std::collections::HashMap;

    use ectome_mesh::{MeshBuilder, Node, Primitive, shapes};
    use glam::{Affine3A, Quat, Vec2, Vec3, Vec4};
    use proptest::prelude::*;
    use serde_json::json;

    use super::*;
    use crate::{Copy, FormatError, Image, Library, Reading, Scene};

    /// A scene that uses everything: quads, parts, fates, two materials, UVs on one part only, pictures, a copy, notes.
    fn full() -> Scene {
        let mut builder = MeshBuilder::new();
        let turn = Affine3A::from_rotation_translation(Quat::from_rotation_y(0.3), Vec3::X);
        let square = |uvs: bool| Primitive {
            positions: vec![Vec3::ZERO, Vec3::X, Vec3::new(1.0, 1.0, 0.0), Vec3::Y],
            corners: vec![0, 1, 2, 0, 2, 3],
            uv_sets: if uvs {
                vec![vec![Vec2::ZERO, Vec2::X, Vec2::ONE, Vec2::Y]]
            } else {
                Vec::new()
            },
            colours: vec![Vec4::new(0.1, 0.2, 0.3, 1.0); 4],
            material: Some(1),
            ..Primitive::default()
        };
        builder.part("twice", turn).primitive(square(true));
        builder
            .part("twice", Affine3A::IDENTITY)
            .primitive(square(false));
        let mut mesh = builder.finish();
        mesh.parts[1].fate = Fate::Imprint;
        mesh.parts[1].group = "bolts".to_owned();
        let node = |name: &str, parent| Node {
            name: name.to_owned(),
            local: turn,
            parent,
        };
        mesh.nodes = vec![node("arm", None), node("hand", Some(0))];
        mesh.parts[1].node = Some(1);
        mesh.parts[1].smallest = 7;
        // The first two triangles become a quad.
        mesh.corners = [&[0, 1, 2, 3][..], &mesh.corners[6..]].concat();
        mesh.face_starts = Some(vec![0, 4, 7, 10]);
        mesh.runs[0].faces = 0..1;
        mesh.runs[1].faces = 1..3;
        mesh.check().unwrap();
        Scene {
            mesh,
            library: Library {
                materials: vec![
                    json!({ "name": "a" }),
                    json!({ "name": "b", "doubleSided": true }),
                ],
                textures: vec![json!({ "source": 0 })],
                samplers: vec![json!({ "wrapS": 10497 })],
                images: vec![Image {
                    name: "bark".to_owned(),
                    mime: "image/png".to_owned(),
                    bytes: vec![1, 2, 3],
                }],
            },
            copyright: Some("nobody".to_owned()),
            copies: vec![Copy {
                of: 0,
                part: 1,
                motion: turn,
            }],
            notes: vec!["a note".to_owned()],
        }
    }

    /// Writes a scene and keeps its pictures.
    fn written(scene: &Scene) -> (Vec<u8>, HashMap<String, Vec<u8>>) {
        let mut kept = HashMap::new();
        let bytes = write(scene, &mut |picture| {
            let name = format!("picture {}", kept.len());
            kept.insert(name.clone(), picture.to_vec());
            name
        });
        (bytes.unwrap(), kept)
    }

    fn back(bytes: &[u8], kept: &HashMap<String, Vec<u8>>) -> Result<Scene, FormatError> {
        read(
            "it",
            bytes,
            &|name| kept.get(name).cloned(),
            &Reading::default(),
        )
    }

    #[test]
    fn everything_comes_back_as_it_was() {
        for scene in [
            full(),
            Scene::from(shapes::torus(1.0, 0.3, 9, 7)),
            Scene::default(),
        ] {
            let (bytes, kept) = written(&scene);
            assert_eq!(back(&bytes, &kept).unwrap(), scene);
        }
    }

    #[test]
    fn what_is_damaged_or_lacks_a_picture_is_refused() {
        let (bytes, kept) = written(&full());
        let fault = |bytes: &[u8]| back(bytes, &kept).unwrap_err();
        assert!(matches!(fault(b"solid"), FormatError::NotThat { .. }));
        assert!(matches!(
            fault(&bytes[..bytes.len() - 1]),
            FormatError::Truncated { .. }
        ));
        assert!(matches!(
            fault(&[&bytes[..], &[0]].concat()),
            FormatError::Damaged { .. }
        ));
        let mut later = bytes.clone();
        later[8] = 9;
        assert!(matches!(fault(&later), FormatError::Unsupported { .. }));
        let missing = back(&bytes, &HashMap::new()).unwrap_err();
        assert!(matches!(missing, FormatError::Missing { .. }), "{missing}");
        let tight = Reading::new(&ectome_mesh::Progress::new(), 100);
        let tight = read("it", &bytes, &|name| kept.get(name).cloned(), &tight);
        assert!(matches!(tight, Err(FormatError::OverBudget { .. })));
    }

    proptest! {
        /// Whatever is changed, a scene comes out that keeps all rules, or a sentence.
        #[test]
        fn no_damage_goes_through(at in 0usize..2000, to in any::<u8>(), cut in 0usize..2000) {
            let (mut bytes, kept) = written(&full());
            let n = bytes.len();
            bytes[at % n] = to;
            for bytes in [&bytes[..], &bytes[..n - cut % n]] {
                if let Ok(scene) = back(bytes, &kept) {
                    prop_assert_eq!(scene.mesh.check(), Ok(()));
                    prop_assert!(scene.copies.iter().all(|c| (c.part.max(c.of) as usize) < scene.mesh.parts.len()));
                }
            }
        }
    }
}
