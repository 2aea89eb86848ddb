//! One closed skin on the command line: what strangers bring ends in a skin or in a sentence.

use std::{
    path::{Path, PathBuf},
    process::{Command, Output},
};

use ectome_formats::{FileSet, Scene, glb, read};
use ectome_mesh::{MeshBuilder, Primitive, edit, shapes};
use glam::{Affine3A, Vec3, Vec3Swizzles};
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
        says.contains("3 pieces became one skin.") && says.contains("1 opening closed."),
        "{says}"
    );
    let report: Value =
        serde_json::from_slice(&std::fs::read(folder.path().join("r.json")).unwrap()).unwrap();
    assert_eq!(
        (
            &report["watertight"],
            &report["components"],
            &report["genus"],
            &report["closed_openings"]
        ),
        (&json!(true), &json!(1), &json!(0), &json!(1)),
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
        ("90000", "too coarse"),
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

/// Whatever comes ends in a closed skin or in a sentence, and soon.
#[test]
fn what_is_broken_ends_in_a_skin_or_a_sentence() {
    let folder = tempfile::tempdir().unwrap();
    let ball = shapes::icosphere(1.0, 4);
    let soup = |triangles: Vec<[Vec3; 3]>| {
        let mut builder = MeshBuilder::new();
        builder
            .part("soup", Affine3A::IDENTITY)
            .primitive(Primitive {
                corners: (0..3 * triangles.len() as u32).collect(),
                positions: triangles.into_iter().flatten().collect(),
                ..Primitive::default()
            });
        Scene::from(builder.finish())
    };
    let all: Vec<[Vec3; 3]> = (0..ball.face_count()).map(|f| ball.triangle(f)).collect();
    let turned = all.iter().map(|&[a, b, c]| [a, c, b]).collect();
    let twice = all.iter().chain(&all).copied().collect();
    let flat = all.iter().map(|t| t.map(|p| p * Vec3::new(1.0, 0.0, 1.0)));
    let crossing = all
        .iter()
        .flat_map(|&t| [t, t.map(|p| p.yzx() * 0.9 + 0.2)]);
    for (name, scene, args, parts) in [
        ("turned", soup(turned), &[][..], 1),
        ("twice", soup(twice), &[], 1),
        ("flat", soup(flat.collect()), &["--shell", "80"], 1),
        ("crossing", soup(crossing.collect()), &[], 1),
        (
            "one",
            soup(vec![all[0].map(|p| p * 20.0)]),
            &["--shell", "80"],
            1,
        ),
        ("half", kit(), &["--above", "0,0,0,0,1,0"], 1),
        ("wide", kit(), &["--openings", "100", "--close", "20"], 2),
    ] {
        let file = format!("{name}.glb");
        written(folder.path(), &file, &scene);
        let fixed = [
            "rebuild", &file, "--detail", "50", "-o", "skin.glb", "--report", "r.json",
        ];
        let done = ectome(&[&fixed[..], args].concat(), folder.path());
        assert!(done.status.success(), "{name}: {done:?}");
        let report = std::fs::read(folder.path().join("r.json")).unwrap();
        let report: Value = serde_json::from_slice(&report).unwrap();
        assert_eq!(
            (&report["watertight"], &report["components"]),
            (&json!(true), &json!(parts)),
            "{name}: {report}"
        );
    }
    // A sheet that nobody wants leaves nothing.
    let args = [
        "rebuild", "one.glb", "--shell", "0", "--detail", "50", "-o", "none.glb",
    ];
    let done = ectome(&args, folder.path());
    assert_eq!(done.status.code(), Some(1), "{done:?}");
    assert!(!folder.path().join("none.glb").exists());
    for wrong in [["--close", "-1"], ["--shell", "NaN"], ["--above", "1,2"]] {
        let fixed = ["rebuild", "turned.glb", "--detail", "50", "-o", "x.glb"];
        let done = ectome(&[&fixed[..], &wrong].concat(), folder.path());
        assert!(!done.status.success(), "{wrong:?}");
        assert!(!done.stderr.is_empty());
    }
}
