//! Files with their structure changed (headers, counts, lists, references), and with bytes changed, cut, doubled and
//! shuffled: each reader answers with a scene or a sentence, and takes no more memory than its file explains.
//!
//! `ECTOME_CASES` sets the cases per format; `ECTOME_SECONDS` the most that one may take. docs/reliability.md records a run
//! with a million.

mod structure;

use std::{io::Write, sync::Mutex, time::Duration};

use base64::Engine;
use ectome_formats::{FileSet, Scene, files::references, glb, obj_write, ply_write, read};
use ectome_mesh::{MeshBuilder, Primitive, shapes};
use glam::{Affine3A, Vec2};
use peak_alloc::PeakAlloc;
use proptest::prelude::*;
use rstest::rstest;

#[global_allocator]
static MEMORY: PeakAlloc = PeakAlloc;

/// One format at a time, so that what is measured is one reader's.
static ALONE: Mutex<()> = Mutex::new(());

/// What this thread has computed so far: a machine that is busy elsewhere must not look like a slow reader.
fn processor_time() -> Duration {
    let time = rustix::time::clock_gettime(rustix::time::ClockId::ThreadCPUTime);
    Duration::new(time.tv_sec as u64, time.tv_nsec as u32)
}

/// The most that reading one file may take beyond its size, in bytes.
const MOST_BYTES: usize = 64 << 20;

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
        "glb" => glb::write(&scene(), &glb::Options::default()).unwrap(),
        "gltf" => {
            let bytes = glb::write(&scene(), &glb::Options::default()).unwrap();
            let size = u32::from_le_bytes(bytes[12..16].try_into().unwrap()) as usize;
            let mut json: serde_json::Value = serde_json::from_slice(&bytes[20..20 + size]).unwrap();
            let data = base64::engine::general_purpose::STANDARD.encode(&bytes[28 + size..]);
            json["buffers"][0]["uri"] = format!("data:application/octet-stream;base64,{data}").into();
            serde_json::to_vec(&json).unwrap()
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
    /// One or more changes that know the format, drawn from a seed.
    Structure(u64),
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
        8 => any::<u64>().prop_map(Change::Structure),
        4 => (any::<Index>(), any::<u8>()).prop_map(|(i, b)| Change::Byte(i, b)),
        1 => any::<Index>().prop_map(Change::Cut),
        2 => (any::<Index>(), 1u8..40).prop_map(|(i, n)| Change::Drop(i, n)),
        2 => (any::<Index>(), 1u8..40).prop_map(|(i, n)| Change::Double(i, n)),
        2 => (any::<Index>(), prop_oneof![Just(u32::MAX), Just(0x7fff_ffff), Just(0x7fc0_0000), any::<u32>()])
            .prop_map(|(i, n)| Change::Number(i, n)),
        2 => (any::<Index>(), "[-0-9e.+/ \n]{1,12}").prop_map(|(i, t)| Change::Text(i, t)),
    ]
}

fn apply(kind: &str, bytes: &mut Vec<u8>, change: &Change) {
    if bytes.is_empty() {
        return;
    }
    let n = bytes.len();
    match change {
        Change::Structure(seed) => {
            if let Some(changed) = structure::changed(kind, bytes, *seed) {
                *bytes = changed;
            }
        }
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
    let _alone = ALONE.lock().unwrap_or_else(|e| e.into_inner());
    let whole = sample(kind);
    let obj = b"mtllib f.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nusemtl a\nf 1/1 2/1 3/1\n";
    let name = format!("f.{}", kind.split('_').next().unwrap());
    let limit = std::env::var("ECTOME_SECONDS")
        .ok()
        .and_then(|s| s.parse().ok())
        .map_or(Duration::MAX, Duration::from_secs_f64);
    let mut runner = proptest::test_runner::TestRunner::new(ProptestConfig {
        cases: cases(),
        failure_persistence: None,
        ..ProptestConfig::default()
    });
    let most = std::cell::Cell::new((0usize, Duration::ZERO, 0u32));
    runner
        .run(&prop::collection::vec(change(), 1..6), |changes| {
            let mut bytes = whole.clone();
            changes.iter().for_each(|c| apply(kind, &mut bytes, c));
            let mut files: Vec<(&str, &[u8])> = vec![(&name, &bytes)];
            if kind == "mtl" {
                files.insert(0, ("f.obj", obj));
            }
            let before = MEMORY.current_usage();
            MEMORY.reset_peak_usage();
            let begun = processor_time();
            references(&name, &bytes);
            let read = read(&FileSet::new(files));
            let took = processor_time().saturating_sub(begun);
            let taken = MEMORY.peak_usage().saturating_sub(before);
            prop_assert!(taken <= bytes.len() + MOST_BYTES, "{taken} bytes of memory");
            prop_assert!(took <= limit, "{took:?}");
            let (memory, time, scenes) = most.get();
            let scenes = scenes + u32::from(read.is_ok());
            most.set((memory.max(taken), time.max(took), scenes));
            match read {
                Ok(scene) => prop_assert!(scene.mesh.check().is_ok()),
                Err(error) => prop_assert!(!error.to_string().is_empty()),
            }
            Ok(())
        })
        .unwrap();
    let (memory, time, scenes) = most.get();
    println!(
        "{kind}: {} cases, {scenes} of them scenes; at most {memory} bytes and {time:?}",
        cases()
    );
    assert!(scenes > 0, "some changes leave a file that can be read");
}
