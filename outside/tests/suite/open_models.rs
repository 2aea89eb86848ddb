//! Open models of other writers, whole and broken, go through the program as a stranger would send them.

use std::{
    path::{Path, PathBuf},
    process::{Command, Output},
};

use ectome_e2e::{app::program, validator};
use ectome_mesh::topology::Topology;
use ectome_outside::{ASSIMP, GLMARK};
use rstest::rstest;

fn ectome(args: &[&str], files: &[&Path]) -> Output {
    Command::new(program())
        .args(args)
        .args(files)
        .output()
        .unwrap()
}

/// The heaviest of them.
const ENGINE: &str = "2CylinderEngine-glTF-Binary/2CylinderEngine.glb";

/// Loose in its limits: how good tiers are is asked elsewhere.
const BRIEF: &str = r#"
name = "Open"
texture_px = 512
materials = 8
maps = ["normal"]
formats = ["glb"]

[[tier]]
triangles = TIER0
nearest_m = 3.0
outline_px = 400.0

[[tier]]
triangles = TIER1
nearest_m = 12.0
outline_px = 400.0
"#;

/// Inspect, cut, unwrap, bake and chain, by one command; then the tiers are looked at.
#[rstest]
#[case::bunny("bunny", 1200)]
#[case::bunny_of_glmark(&format!("{GLMARK}/bunny.obj"), 4000)]
#[case::figure_obj(&format!("{ASSIMP}/OBJ/WusonOBJ.obj"), 2000)]
#[case::figure_ply(&format!("{ASSIMP}/PLY/Wuson.ply"), 2000)]
#[case::spider_obj(&format!("{ASSIMP}/OBJ/spider.obj"), 900)]
#[case::spider_stl(&format!("{ASSIMP}/STL/Spider_binary.stl"), 900)]
#[case::sphere_with_a_hole(&format!("{ASSIMP}/STL/sphereWithHole.stl"), 400)]
#[case::engine(&format!("{ASSIMP}/glTF2/{ENGINE}"), 20_000)]
fn open_models_go_the_whole_way(#[case] model: &str, #[case] target: usize) {
    let folder = tempfile::tempdir().unwrap();
    let path = match model {
        "bunny" => ectome_outside::bunny(folder.path()),
        path => PathBuf::from(path),
    };
    let source = ectome_outside::read(&path);
    let brief = folder.path().join("brief.toml");
    let text = BRIEF
        .replace("TIER0", &target.to_string())
        .replace("TIER1", &(target / 4).to_string());
    std::fs::write(&brief, text).unwrap();
    let out = folder.path().join("out");
    let done = ectome(
        &["run"],
        &[&path, "--brief".as_ref(), &brief, "-o".as_ref(), &out],
    );
    let says = String::from_utf8_lossy(&done.stderr);
    // Over the brief is a verdict, not a failure.
    assert!(
        done.status.success() || says.contains("of 1 files 0 failed"),
        "{says}"
    );
    let stem = path.file_stem().unwrap().to_str().unwrap();
    let mut open_edges = Vec::new();
    for (tier, limit) in [target, target / 4].into_iter().enumerate() {
        let file = out.join(stem).join(format!("{stem}_LOD{tier}.glb"));
        let report = validator::validate(&file);
        assert_eq!(
            (&report["errors"], &report["warnings"]),
            (&0.into(), &0.into()),
            "{report}"
        );
        let mesh = ectome_outside::read(&file).mesh;
        assert!(
            mesh.triangle_count() <= limit && mesh.triangle_count() > limit / 3,
            "{}",
            mesh.triangle_count()
        );
        assert!(
            !mesh.uv_sets.is_empty(),
            "it was unwrapped, or keeps its UVs"
        );
        open_edges.push(Topology::of(&mesh).open_edges);
    }
    // What was closed stays closed.
    if Topology::of(&source.mesh).open_edges == 0 {
        assert_eq!(open_edges, [0, 0]);
    }
}

fn models(folder: &Path, list: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(folder).unwrap().flatten() {
        let path = entry.path();
        let end = path
            .extension()
            .and_then(|e| e.to_str())
            .unwrap_or_default()
            .to_ascii_lowercase();
        if path.is_dir() {
            models(&path, list);
        } else if ["obj", "ply", "stl", "glb", "gltf"].contains(&end.as_str()) {
            list.push(path);
        }
    }
}

/// Every model of the formats we read, those that are broken on purpose too, is inspected, or refused in a sentence that says why.
#[test]
fn every_model_is_read_or_refused_in_a_sentence() {
    let mut list = Vec::new();
    models(Path::new(ASSIMP), &mut list);
    // It goes the whole way above.
    list.retain(|path| !path.ends_with(ENGINE));
    assert!(
        list.len() > 80,
        "{} models; ./check installs them",
        list.len()
    );
    let (mut read, mut refused) = (0, Vec::new());
    for path in &list {
        let done = ectome(&["inspect"], &[path]);
        let says = String::from_utf8_lossy(&done.stderr);
        match done.status.code() {
            Some(0) => read += 1,
            Some(1) => {
                assert!(
                    says.lines().count() <= 3 && says.trim().len() > 20,
                    "{}: {says}",
                    path.display()
                );
                refused.push(path.file_name().unwrap().to_string_lossy().into_owned());
            }
            other => panic!("{} ended with {other:?}: {says}", path.display()),
        }
    }
    println!("{read} read, {} refused: {refused:?}", refused.len());
    assert!(
        read * 2 > list.len(),
        "{read} of {} read; refused: {refused:?}",
        list.len()
    );
}
