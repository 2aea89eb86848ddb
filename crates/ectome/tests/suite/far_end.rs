//! Hulls and cards on the command line: what strangers bring ends in them or in a sentence.

use std::{
    path::Path,
    process::{Command, Output},
};

use ectome_formats::{FileSet, Scene, read};
use rstest::rstest;
use serde_json::Value;

fn ectome(args: &[&str], folder: &Path) -> Output {
    Command::new(env!("CARGO_BIN_EXE_ectome"))
        .args(args)
        .current_dir(folder)
        .output()
        .unwrap()
}

fn scene(folder: &Path, name: &str) -> Scene {
    let bytes = std::fs::read(folder.join(name)).unwrap();
    read(&FileSet::new([(name, &bytes[..])])).unwrap()
}

/// Two boxes, each with the corners of a cube, at `x` = 0 and 4; faces as quads.
const BOXES: &str = "o left\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0 0 1\nv 1 0 1\nv 1 1 1\nv 0 1 1\n\
f 4 3 2 1\nf 5 6 7 8\nf 1 2 6 5\nf 3 4 8 7\nf 2 3 7 6\nf 4 1 5 8\n\
o right\nv 4 0 0\nv 5 0 0\nv 5 1 0\nv 4 1 0\nv 4 0 1\nv 5 0 1\nv 5 1 1\nv 4 1 1\n\
f 12 11 10 9\nf 13 14 15 16\nf 9 10 14 13\nf 11 12 16 15\nf 10 11 15 14\nf 12 9 13 16\n";

/// Closed forms: one hull over both boxes is a box of 5 cubic metres, two are the boxes.
#[rstest]
#[case("1", 1, 5.0)]
#[case("4", 2, 2.0)]
fn boxes_get_hulls(#[case] hulls: &str, #[case] count: usize, #[case] volume: f64) {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("boxes.obj"), BOXES).unwrap();
    let args = [
        "hull",
        "boxes.obj",
        "--hulls",
        hulls,
        "-o",
        "h.glb",
        "--report",
        "r.json",
    ];
    let out = ectome(&args, folder.path());
    assert!(out.status.success(), "{out:?}");
    let made = scene(folder.path(), "h.glb");
    assert_eq!(made.mesh.parts.len(), count);
    let report = std::fs::read(folder.path().join("r.json")).unwrap();
    let report: Value = serde_json::from_slice(&report).unwrap();
    let lines = report["far"]["hulls"].as_array().unwrap();
    let sum: f64 = lines.iter().map(|h| h["volume_m3"].as_f64().unwrap()).sum();
    assert!((sum - volume).abs() < 1e-3, "{report}");
    assert!(
        lines
            .iter()
            .all(|h| h["stands_out_mm"].as_f64().unwrap() < 0.1)
    );
    assert_eq!(report["triangles"], 12 * count);
}

#[test]
fn a_brief_makes_them_tiers_and_hulls_for_collisions() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("boxes.obj"), BOXES).unwrap();
    let brief = "name = \"far\"\ntexture_px = 128\n[[tier]]\ntriangles = 100\n[[tier]]\ntriangles = 12\nnearest_m = 30\nmade = \"hull\"\n\
                 [[tier]]\ntriangles = 8\nnearest_m = 60\nmade = \"cards\"\n[delivery]\ncollision_hulls = 4\n";
    std::fs::write(folder.path().join("b.toml"), brief).unwrap();
    for (args, at) in [
        (
            &["chain", "boxes.obj", "--brief", "b.toml", "-o", "c"][..],
            "c",
        ),
        (
            &["run", "boxes.obj", "--brief", "b.toml", "-o", "d"],
            "d/boxes",
        ),
    ] {
        let out = ectome(args, folder.path());
        // The verdict may be that an outline is off; the files are there all the same.
        assert!(matches!(out.status.code(), Some(0 | 1)), "{out:?}");
        let own = folder.path().join(at);
        let tier = |n: usize| scene(&own, &format!("boxes_LOD{n}.glb"));
        assert_eq!(tier(0).mesh.triangle_count(), 24);
        assert_eq!(tier(1).mesh.triangle_count(), 12);
        let cards = tier(2);
        assert_eq!(cards.mesh.triangle_count(), 8);
        assert_eq!(cards.library.materials[0]["alphaMode"], "MASK");
        let hulls = scene(&own, "boxes_collision.glb");
        let names: Vec<&str> = hulls.mesh.parts.iter().map(|p| p.name.as_str()).collect();
        assert_eq!(names, ["boxes_collision_1", "boxes_collision_2"]);
    }
}

#[rstest]
#[case::flat(&["cards"], "v 0 0 0\nv 1 0 0\nv 1 0 1\nf 1 2 3\n", "has no extent")]
#[case::a_line(&["hull"], "v 0 0 0\nv 1 1 1\nv 2 2 2\nf 1 2 3\n", "no extent")]
#[case::not_a_number(&["hull", "--hulls", "4"], "v nan 0 0\nv 1 1 1\nv 0 2 2\nf 1 2 3\n", "")]
#[case::too_many(&["hull", "--hulls", "65"], BOXES, "takes 1 to 64 hulls")]
#[case::too_many_planes(&["cards", "--planes", "5"], BOXES, "takes 1 to 4 planes")]
#[case::too_small(&["cards", "--size", "8"], BOXES, "takes pictures of 32 to 2048 texels")]
fn what_cannot_stand_in_is_said(#[case] command: &[&str], #[case] text: &str, #[case] says: &str) {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("x.obj"), text).unwrap();
    let args = [command, &["x.obj", "-o", "out.glb"]].concat();
    let out = ectome(&args, folder.path());
    assert_eq!(out.status.code(), Some(1), "{out:?}");
    let said = String::from_utf8_lossy(&out.stderr);
    assert!(said.contains(says) && said.lines().count() <= 2, "{said}");
    assert!(!folder.path().join("out.glb").exists());
}

/// A sheet without thickness has hulls, which are given one, and is no reason to fall over.
#[test]
fn a_sheet_has_hulls() {
    let folder = tempfile::tempdir().unwrap();
    let sheet = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1 2 3 4\n";
    std::fs::write(folder.path().join("x.obj"), sheet).unwrap();
    for hulls in ["1", "6"] {
        let args = ["hull", "x.obj", "--hulls", hulls, "-o", "out.obj"];
        let out = ectome(&args, folder.path());
        assert!(out.status.success(), "{out:?}");
        assert!(String::from_utf8_lossy(&out.stdout).contains("given a thickness"));
    }
}
