//! Files with bytes changed, cut, doubled and shuffled: each reader answers with a scene or a sentence.
//!
//! `ECTOME_CASES` sets the cases per format; docs/performance.md records a run with 100 000.

use ectome_formats::{FileSet, Scene, files::references, glb, obj_write, ply_write, read};
use ectome_mesh::{MeshBuilder, Primitive, shapes};
use glam::{Affine3A, Vec2};
use proptest::prelude::*;
use rstest::rstest;
use std::io::Write;

fn cases() -> u32 {
    let given = std::env::var("ECTOME_CASES")
        .ok()
        .and_then(|n| n.parse().ok());
    given.unwrap_or(600)
}

fn scene() -> Scene {
    let ball = shapes::icosphere(1.0, 1);
    let mut builder = MeshBuilder::new();
    builder
        .part("float", Affine3A::IDENTITY)
        .primitive(Primitive {
            positions: ball
                .vertex_point
                .iter()
                .map(|&p| ball.points[p as usize])
                .collect(),
            uv_sets: vec![ball.points.iter().map(|p| Vec2::new(p.x, p.y)).collect()],
            corners: ball.corners,
            ..Primitive::default()
        });
    Scene::from(builder.finish())
}

fn sample(kind: &str) -> Vec<u8> {
    match kind {
        "glb" => glb::write(&scene(), &glb::Naming::default()).unwrap(),
        "gltf" => {
            let bytes = glb::write(&scene(), &glb::Naming::default()).unwrap();
            let size = u32::from_le_bytes(bytes[12..16].try_into().unwrap()) as usize;
            bytes[20..20 + size].to_vec()
        }
        "obj" => obj_write::write(&scene(), "f").unwrap().remove(0).1,
        "mtl" => b"newmtl a\nKd 0.1 0.2 0.3\nmap_Kd a.png\nNs 10\nd 0.5\nnewmtl b\nnorm b.png\n".to_vec(),
        "ply" => ply_write::write(&scene()).unwrap(),
        "ply_text" => b"ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\nproperty uchar red\nelement face 2\nproperty list uchar int vertex_indices\nend_header\n0 0 0 1\n1 0 0 2\n1 1 0 3\n0 1 0 4\n3 0 1 2\n4 0 1 2 3\n".to_vec(),
        "stl" => {
            let mut out = vec![0u8; 80];
            out.extend(2u32.to_le_bytes());
            (0..100u8).for_each(|i| out.push(i.wrapping_mul(37)));
            out
        }
        "stl_text" => b"solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid a\nsolid b\nendsolid b\n".to_vec(),
        _ => {
            let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
            let ply = ply_write::write(&scene()).unwrap();
            zip.start_file("a/f.ply", zip::write::SimpleFileOptions::default()).unwrap();
            zip.write_all(&ply).unwrap();
            zip.finish().unwrap().into_inner()
        }
    }
}

/// One change to a file.
#[derive(Clone, Debug)]
enum Change {
    Byte(prop::sample::Index, u8),
    Cut(prop::sample::Index),
    Drop(prop::sample::Index, u8),
    Double(prop::sample::Index, u8),
    Number(prop::sample::Index, u32),
    Text(prop::sample::Index, String),
}

fn change() -> impl Strategy<Value = Change> {
    use prop::sample::Index;
    prop_oneof![
        4 => (any::<Index>(), any::<u8>()).prop_map(|(i, b)| Change::Byte(i, b)),
        1 => any::<Index>().prop_map(Change::Cut),
        2 => (any::<Index>(), 1u8..40).prop_map(|(i, n)| Change::Drop(i, n)),
        2 => (any::<Index>(), 1u8..40).prop_map(|(i, n)| Change::Double(i, n)),
        2 => (any::<Index>(), prop_oneof![Just(u32::MAX), Just(0x7fff_ffff), Just(0x7fc0_0000), any::<u32>()])
            .prop_map(|(i, n)| Change::Number(i, n)),
        2 => (any::<Index>(), "[-0-9e.+/ \n]{1,12}").prop_map(|(i, t)| Change::Text(i, t)),
    ]
}

fn apply(bytes: &mut Vec<u8>, change: &Change) {
    if bytes.is_empty() {
        return;
    }
    let n = bytes.len();
    match change {
        Change::Byte(i, b) => bytes[i.index(n)] = *b,
        Change::Cut(i) => bytes.truncate(i.index(n)),
        Change::Drop(i, k) => {
            let from = i.index(n);
            bytes.drain(from..n.min(from + usize::from(*k)));
        }
        Change::Double(i, k) => {
            let from = i.index(n);
            let piece = bytes[from..n.min(from + usize::from(*k))].to_vec();
            bytes.splice(from..from, piece);
        }
        Change::Number(i, v) => {
            let from = i.index(n);
            for (slot, b) in bytes[from..].iter_mut().zip(v.to_le_bytes()) {
                *slot = b;
            }
        }
        Change::Text(i, t) => {
            let from = i.index(n);
            bytes.splice(from..from, t.bytes());
        }
    }
}

#[rstest]
fn no_change_makes_a_reader_panic_or_give_a_broken_mesh(
    #[values(
        "glb", "gltf", "obj", "mtl", "ply", "ply_text", "stl", "stl_text", "zip"
    )]
    kind: &str,
) {
    let whole = sample(kind);
    let obj = b"mtllib f.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nusemtl a\nf 1/1 2/1 3/1\n";
    let name = format!("f.{}", kind.split('_').next().unwrap());
    let mut runner = proptest::test_runner::TestRunner::new(ProptestConfig {
        cases: cases(),
        failure_persistence: None,
        ..ProptestConfig::default()
    });
    runner
        .run(&prop::collection::vec(change(), 1..6), |changes| {
            let mut bytes = whole.clone();
            changes.iter().for_each(|c| apply(&mut bytes, c));
            let mut files: Vec<(&str, &[u8])> = vec![(&name, &bytes)];
            if kind == "mtl" {
                files.insert(0, ("f.obj", obj));
            }
            references(&name, &bytes);
            match read(&FileSet::new(files)) {
                Ok(scene) => prop_assert!(scene.mesh.check().is_ok()),
                Err(error) => prop_assert!(!error.to_string().is_empty()),
            }
            Ok(())
        })
        .unwrap();
}
