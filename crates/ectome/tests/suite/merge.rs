//! Materials merged on the command line.

use std::process::Command;

use ectome_formats::{FileSet, Scene, glb, read};
use ectome_mesh::{MeshBuilder, Primitive, shapes};
use glam::{Affine3A, Vec3};
use serde_json::json;

/// Balls in a row, each of a colour of its own.
fn beads(count: u32) -> Scene {
    let mut builder = MeshBuilder::new();
    for n in 0..count {
        let ball = shapes::icosphere(0.4, 2);
        let at = Affine3A::from_translation(Vec3::X * n as f32);
        builder.part(&format!("bead {n}"), at).primitive(Primitive {
            positions: ball.points.clone(),
            corners: ball
                .corners
                .iter()
                .map(|&v| ball.vertex_point[v as usize])
                .collect(),
            material: Some(n),
            ..Primitive::default()
        });
    }
    let mut scene = Scene::from(builder.finish());
    scene.library.materials = (0..count)
        .map(|n| {
            json!({ "name": format!("glaze {n}"), "pbrMetallicRoughness": {
                "baseColorFactor": [0.2 * f64::from(n), 0.4, 0.3, 1.0] } })
        })
        .collect();
    scene
}

#[test]
fn materials_are_merged_over_one_sheet_or_it_is_said_why_not() {
    let folder = tempfile::tempdir().unwrap();
    for (name, count) in [("three.glb", 3), ("one.glb", 1)] {
        let bytes = glb::write(&beads(count), &glb::Options::default()).unwrap();
        std::fs::write(folder.path().join(name), bytes).unwrap();
    }
    let ectome = |args: &[&str]| {
        Command::new(env!("CARGO_BIN_EXE_ectome"))
            .args(args)
            .current_dir(folder.path())
            .output()
            .unwrap()
    };
    let done = ectome(&["merge", "three.glb", "--size", "256", "-o", "merged.glb"]);
    assert!(done.status.success(), "{done:?}");
    let bytes = std::fs::read(folder.path().join("merged.glb")).unwrap();
    let merged = read(&FileSet::new([("merged.glb", &bytes[..])])).unwrap();
    assert_eq!(merged.library.materials.len(), 1);
    assert_eq!(merged.mesh.triangle_count(), beads(3).mesh.triangle_count());
    assert!(!merged.mesh.uv_sets.is_empty() && !merged.library.images.is_empty());
    let refused = ectome(&["merge", "one.glb", "-o", "x.glb"]);
    assert_eq!(refused.status.code(), Some(1), "{refused:?}");
    assert!(String::from_utf8_lossy(&refused.stderr).contains("merged"));
    assert!(!folder.path().join("x.glb").exists());
}
