//! Twelve kinds of material by one command, for four briefs: in the written file each is what it was, and the Khronos glTF validator
//! finds nothing.

use std::{path::Path, process::Command};

use ectome_formats::{Scene, glb};
use rstest::rstest;
use serde_json::{Value, json};

/// The material of the faces of a part.
fn material<'a>(scene: &'a Scene, part: &str) -> &'a Value {
    let mesh = &scene.mesh;
    let is_it = |p: u32| mesh.parts[p as usize].name.starts_with(part);
    let run = mesh
        .runs
        .iter()
        .find(|r| is_it(r.part) && !r.faces.is_empty());
    &scene.library.materials[run.unwrap().material.unwrap() as usize]
}

#[rstest]
#[case::one_material("materials = 1\nmaps = [\"base_colour\", \"normal\"]\n", 2.0)]
#[case::quantised(
    "materials = 2\nmaps = [\"base_colour\", \"normal\", \"occlusion\"]\n[delivery]\ngeometry = \"quantised\"\n",
    6.0
)]
#[case::compressed(
    "materials = 12\nmaps = [\"normal\"]\n[delivery]\ngeometry = \"compressed\"\n",
    2.0
)]
#[case::packed(
    "materials = 6\nmaps = [\"base_colour\", \"normal\"]\n[[packed]]\nname = \"orm\"\nred = \"source_occlusion\"\ngreen = \"roughness\"\nblue = \"metalness\"\n",
    2.0
)]
fn every_kind_is_alive_and_valid(#[case] wants: &str, #[case] colour: f64) {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let bytes = glb::write(&ectome_demo::harbour_lantern(), &glb::Options::default()).unwrap();
    std::fs::write(at("lantern.glb"), bytes).unwrap();
    let tier = "[[tier]]\ntriangles = 8000\nnearest_m = 1.0\noutline_px = 8.0\n";
    let brief = format!("name = \"Quay\"\ntexture_px = 1024\n{wants}{tier}");
    std::fs::write(at("brief.toml"), brief).unwrap();
    let done = Command::new(env!("CARGO_BIN_EXE_ectome"))
        .args(["run", "lantern.glb", "--brief", "brief.toml", "-o", "out"])
        .current_dir(folder.path())
        .output()
        .unwrap();
    assert!(done.status.code().is_some_and(|c| c < 2), "{done:?}");

    let file = at("out/lantern/lantern_LOD0.glb");
    let scene = glb::read("lantern_LOD0.glb", &std::fs::read(&file).unwrap()).unwrap();
    let of = |part| material(&scene, part);
    assert_eq!(of("net")["alphaMode"], "MASK");
    assert_eq!(of("net")["doubleSided"], true);
    assert_eq!(of("glass")["alphaMode"], "BLEND");
    assert_eq!(of("pennant")["doubleSided"], true);
    assert_eq!(
        of("sign")["extensions"],
        json!({ "KHR_materials_unlit": {} })
    );
    let coat = &of("handle")["extensions"]["KHR_materials_clearcoat"];
    assert_eq!(coat["clearcoatFactor"], 1.0);
    for part in ["housing", "tiles", "block", "collar"] {
        assert!(of(part)["alphaMode"].is_null() && of(part)["doubleSided"].is_null());
    }
    assert!(of("flame")["emissiveTexture"]["index"].is_u64());
    assert!(of("collar")["occlusionTexture"]["index"].is_u64());
    assert!(
        scene.mesh.colours.is_empty(),
        "colours of points are in the map"
    );

    let run: Value = serde_json::from_slice(&std::fs::read(at("out/run.json")).unwrap()).unwrap();
    let look = &run[0]["tiers"][0]["look"];
    let figure = |name: &str| look[name].as_f64().unwrap();
    assert!(figure("colour_mean") <= colour, "{look}");
    assert!(figure("gained") + figure("lost") <= 0.02, "{look}");

    let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../tools/validator/validate.cjs");
    let validated = Command::new("node").arg(script).arg(&file).output();
    let report: Value = serde_json::from_slice(&validated.unwrap().stdout).unwrap();
    assert_eq!(
        (&report["errors"], &report["warnings"]),
        (&json!(0), &json!(0)),
        "{report}"
    );
}
