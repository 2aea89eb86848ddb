//! The whole way on the command line: planned, run, and what then lies in the folder.

use std::{
    path::{Path, PathBuf},
    process::{Command, Output},
};

use ectome_formats::{FileSet, Scene, glb, read};
use serde_json::Value;

const BRIEF: &str = r#"
name = "Quay"
texture_px = 256
materials = 1
maps = ["normal", "occlusion"]
formats = ["glb", "obj"]

[[tier]]
triangles = 5000
nearest_m = 3.0
outline_px = 8.0

[[tier]]
triangles = 1500
nearest_m = 12.0
outline_px = 8.0
"#;

fn ectome(args: &[&Path]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_ectome"))
        .args(args)
        .output()
        .unwrap()
}

fn brief(folder: &Path) -> PathBuf {
    let path = folder.join("brief.toml");
    std::fs::write(&path, BRIEF).unwrap();
    path
}

fn winch(folder: &Path) -> PathBuf {
    std::fs::create_dir_all(folder).unwrap();
    let path = folder.join("winch.glb");
    let naming = glb::Options::default();
    let scene = ectome_recipe::triangles::triangulated(
        ectome_demo::once::rope_winch(),
        &ectome_mesh::Progress::new(),
    );
    std::fs::write(&path, glb::write(&scene.unwrap(), &naming).unwrap()).unwrap();
    path
}

fn made(path: &Path) -> Scene {
    let bytes = std::fs::read(path).unwrap();
    read(&FileSet::new([("x.glb", bytes.as_slice())])).unwrap()
}

fn json(path: &Path) -> Value {
    serde_json::from_slice(&std::fs::read(path).unwrap()).unwrap()
}

fn names(folder: &Path) -> Vec<String> {
    let mut names: Vec<String> = std::fs::read_dir(folder)
        .unwrap()
        .map(|e| e.unwrap().file_name().into_string().unwrap())
        .collect();
    names.sort();
    names
}

#[test]
fn every_file_gets_everything_and_one_that_fails_stops_none() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let (brief, out) = (brief(folder.path()), at("out"));
    let (first, second) = (winch(&at("a")), winch(&at("b")));
    let junk = at("junk.glb");
    std::fs::write(&junk, b"no mesh at all").unwrap();
    let (run, on, to): (&Path, &Path, &Path) = ("run".as_ref(), "--brief".as_ref(), "-o".as_ref());
    let done = ectome(&[run, &first, &junk, &second, on, &brief, to, &out]);
    assert_eq!(done.status.code(), Some(1), "{done:?}");
    let says = String::from_utf8_lossy(&done.stderr);
    assert!(says.contains("of 3 files 1 failed"), "{says}");

    let report = json(&out.join("run.json"));
    let list = report.as_array().unwrap();
    assert_eq!(list.len(), 3);
    assert!(
        list[1]["failed"].as_str().unwrap().contains("junk.glb"),
        "{report}"
    );
    assert_eq!(names(&out), ["run.json", "winch", "winch_2"]);
    let mine = names(&out.join("winch"));
    for name in [
        "sheet.html",
        "sheet.json",
        "winch_LOD0.glb",
        "winch_LOD0.obj",
        "winch_LOD1.glb",
        "winch_normal.png",
        "winch_occlusion.png",
    ] {
        assert!(mine.iter().any(|n| n == name), "{mine:?}");
    }
    for (n, limit) in [(0, 5000), (1, 1500)] {
        let tier = made(&out.join(format!("winch/winch_LOD{n}.glb")));
        let triangles = tier.mesh.triangle_count();
        assert!((1..=limit).contains(&triangles), "{triangles} of {limit}");
        assert_eq!(
            (tier.library.materials.len(), tier.mesh.uv_sets.len()),
            (1, 1)
        );
        assert_eq!(list[0]["tiers"][n]["triangles"], triangles);
    }
    // The same source and the same brief: the same bytes, whatever the folder is called.
    for name in ["normal.png", "LOD1.glb"] {
        let bytes = |stem: &str| std::fs::read(out.join(format!("{stem}/{stem}_{name}"))).unwrap();
        assert_eq!(bytes("winch"), bytes("winch_2"), "{name}");
    }
    let sheet = std::fs::read_to_string(out.join("winch/sheet.html")).unwrap();
    assert!(
        sheet.contains("The first tier may have 5") && sheet.contains("data:image/png;base64,")
    );
}

#[test]
fn a_plan_is_shown_changed_and_done() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let (brief, source) = (brief(folder.path()), winch(&at("a")));
    let (recipe, out) = (at("recipe.toml"), at("out"));
    let (plan, run): (&Path, &Path) = ("plan".as_ref(), "run".as_ref());
    let (on, to, with): (&Path, &Path, &Path) =
        ("--brief".as_ref(), "-o".as_ref(), "--recipe".as_ref());
    let done = ectome(&[plan, &source, on, &brief, to, &recipe]);
    let says = String::from_utf8_lossy(&done.stdout);
    assert!(done.status.success(), "{done:?}");
    for part in [
        "Cut to 5",
        "Unwrap",
        "of its edges are hard",
        "2 maps of 256",
        "LOD1 may have 1",
    ] {
        assert!(says.contains(part), "{part}: {says}");
    }
    // Everything from the unwrapping on is taken out but the tier, which becomes another.
    let text = std::fs::read_to_string(&recipe).unwrap();
    let lines: Vec<&str> = text.split("[[line]]").collect();
    let kept = lines
        .iter()
        .filter(|l| !l.contains("do = \"unwrap\"") && !l.contains("do = \"bake\""));
    let kept: Vec<&str> = kept.copied().collect();
    std::fs::write(&recipe, kept.join("[[line]]").replace("1500", "900")).unwrap();
    ectome(&[run, &source, on, &brief, with, &recipe, to, &out]);
    let mine = names(&out.join("winch"));
    assert!(!mine.iter().any(|n| n.ends_with("_normal.png")), "{mine:?}");
    assert!(
        made(&out.join("winch/winch_LOD1.glb"))
            .mesh
            .triangle_count()
            <= 900
    );

    std::fs::write(&recipe, "[[line]]\ndo = \"fly\"\n").unwrap();
    let refused = ectome(&[run, &source, on, &brief, with, &recipe, to, &out]);
    assert_eq!(refused.status.code(), Some(2), "{refused:?}");
    let said = String::from_utf8_lossy(&refused.stderr);
    assert!(
        said.contains("the plan cannot be read: line 1: unknown variant `fly`"),
        "{said}"
    );
}

/// A source that is within the first tier is not cut, and a tier it is within is the first again; also where a plan for larger
/// sources asks for a cut.
#[test]
fn what_is_within_the_limit_stays_whole() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let brief = at("brief.toml");
    let text = "name = \"Quay\"\n[[tier]]\ntriangles = 90000\n[[tier]]\ntriangles = 60000\n[[tier]]\ntriangles = 2000\n";
    std::fs::write(&brief, text).unwrap();
    let (source, recipe) = (winch(&at("a")), at("recipe.toml"));
    let cut =
        "[[line]]\ndo = \"cut\"\ntriangles = 90000\n[[line]]\ndo = \"tier\"\ntriangles = 2000\n";
    std::fs::write(&recipe, cut).unwrap();
    let (run, on, to, with): (&Path, &Path, &Path, &Path) = (
        "run".as_ref(),
        "--brief".as_ref(),
        "-o".as_ref(),
        "--recipe".as_ref(),
    );
    let count = |out: &Path, n: usize| {
        let tier = made(&out.join(format!("winch/winch_LOD{n}.glb")));
        tier.mesh.triangle_count()
    };
    let whole = made(&source).mesh.triangle_count();
    let done = ectome(&[run, &source, on, &brief, to, &at("own")]);
    assert_eq!([0, 1].map(|n| count(&at("own"), n)), [whole; 2], "{done:?}");
    assert!(count(&at("own"), 2) <= 2000);
    // With maps everything wears one material, though nothing was cut.
    let text = text.replace(
        "[[tier]]\ntriangles = 90000",
        "materials = 1\ntexture_px = 256\nmaps = [\"base_colour\"]\n[[tier]]\ntriangles = 90000",
    );
    std::fs::write(&brief, text).unwrap();
    ectome(&[run, &source, on, &brief, to, &at("baked")]);
    let report = json(&at("baked").join("run.json"));
    let says = report[0]["tiers"][0]["says"].as_str().unwrap();
    assert!(says.contains("Passes"), "{says}");
    ectome(&[run, &source, on, &brief, with, &recipe, to, &at("given")]);
    assert_eq!(count(&at("given"), 0), whole);
    assert!(count(&at("given"), 1) <= 2000);
}
