//! One closed skin on the command line: what strangers bring ends in a skin or in a sentence.

use std::{
    path::{Path, PathBuf},
    process::{Command, Output},
};

use ectome_formats::{FileSet, Scene, glb, read};
use ectome_mesh::{MeshBuilder, Primitive, edit, shapes};
use glam::{Affine3A, Vec3};
use serde_json::{Value, json};

fn ectome(args: &[&str], folder: &Path) -> Output {
    Command::new(env!("CARGO_BIN_EXE_ectome"))
        .args(args)
        .current_dir(folder)
        .output()
        .unwrap()
}

fn written(folder: &Path, name: &str, scene: &Scene) -> PathBuf {
    let path = folder.join(name);
    std::fs::write(&path, glb::write(scene, &glb::Options::default()).unwrap()).unwrap();
    path
}

/// A ball with a hole, a ball that runs into it, and one buried in it; each of a material of its own.
fn kit() -> Scene {
    let mut builder = MeshBuilder::new();
    for (n, (name, size, at)) in [
        ("hull", 1.0, Vec3::ZERO),
        ("dome", 0.5, Vec3::X),
        ("ballast", 0.2, Vec3::ZERO),
    ]
    .into_iter()
    .enumerate()
    {
        let ball = shapes::icosphere(size, 4);
        let open = edit::kept(&ball, |f| n > 0 || ball.triangle(f)[0].y < 0.97);
        builder
            .part(name, Affine3A::from_translation(at))
            .primitive(Primitive {
                positions: (0..open.vertex_count() as u32)
                    .map(|v| open.position(v))
                    .collect(),
                corners: open.corners.clone(),
                material: Some(n as u32),
                ..Primitive::default()
            });
    }
    let mut scene = Scene::from(builder.finish());
    scene.library.materials = ["tar", "oak", "lead"]
        .map(|name| json!({ "name": name }))
        .to_vec();
    scene
}

#[test]
fn a_kit_bash_becomes_one_skin_with_its_parts_and_materials() {
    let folder = tempfile::tempdir().unwrap();
    written(folder.path(), "kit.glb", &kit());
    let args = [
        "rebuild", "kit.glb", "--detail", "40", "--to", "3000", "-o", "skin.glb", "--report",
        "r.json",
    ];
    let done = ectome(&args, folder.path());
    assert!(done.status.success(), "{done:?}");
    let says = String::from_utf8_lossy(&done.stdout);
    assert!(
        says.contains("in 3 pieces became a skin of") && says.contains("1 openings closed"),
        "{says}"
    );
    let report: Value =
        serde_json::from_slice(&std::fs::read(folder.path().join("r.json")).unwrap()).unwrap();
    assert_eq!(
        (
            &report["border_edges"],
            &report["non_manifold_edges"],
            &report["components"],
            &report["genus"]
        ),
        (&json!(0), &json!(0), &json!(1), &json!(0)),
        "{report}"
    );
    let bytes = std::fs::read(folder.path().join("skin.glb")).unwrap();
    let skin = read(&FileSet::new([("skin.glb", &bytes[..])])).unwrap();
    assert!(skin.mesh.triangle_count() <= 3000);
    let names: Vec<&str> = skin.mesh.parts.iter().map(|p| p.name.as_str()).collect();
    assert_eq!(
        names,
        ["hull", "dome"],
        "what is buried is no part of a skin"
    );
    assert_eq!(skin.library.materials.len(), 2);
    // What lies above a height only: half of the hull, closed below.
    let args = [
        "rebuild", "kit.glb", "--detail", "40", "--above", "0", "-o", "half.glb",
    ];
    let done = ectome(&args, folder.path());
    assert!(done.status.success(), "{done:?}");
    let bytes = std::fs::read(folder.path().join("half.glb")).unwrap();
    let half = read(&FileSet::new([("half.glb", &bytes[..])])).unwrap();
    let low = half
        .mesh
        .points
        .iter()
        .map(|p| p.y)
        .fold(f32::INFINITY, f32::min);
    assert!((-0.1..0.05).contains(&low), "{low}");
}

#[test]
fn what_cannot_be_rebuilt_is_said() {
    let folder = tempfile::tempdir().unwrap();
    written(folder.path(), "kit.glb", &kit());
    for (detail, says) in [
        ("0", "choose one above 0"),
        ("0.001", "more than"),
        ("90000", "encloses nothing"),
    ] {
        let done = ectome(
            &["rebuild", "kit.glb", "--detail", detail, "-o", "x.glb"],
            folder.path(),
        );
        assert_eq!(done.status.code(), Some(1), "{detail}: {done:?}");
        let error = String::from_utf8_lossy(&done.stderr);
        assert!(error.contains(says), "{detail}: {error}");
        assert!(!folder.path().join("x.glb").exists());
    }
}
