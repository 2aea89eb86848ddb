//! KHR_texture_transform on the model that its authors made for it (`TextureTransformTest`, among the sample models of glTF): arrows that point at
//! plates called correct where offset, rotation and scale are understood, and at others where not.

use std::{path::Path, process::Command};

use ectome_e2e::app::program;
use ectome_formats::{FileSet, Scene, files, material::looked_up_by};
use ectome_mesh::measure;
use ectome_outside::ASSIMP;
use glam::{Vec2, Vec3};
use rstest::rstest;
use serde_json::Value;

const FOLDER: &str = "glTF2/textureTransform";

fn model() -> Scene {
    let folder = Path::new(ASSIMP).join(FOLDER);
    let read = |name: &str| std::fs::read(folder.join(name)).unwrap();
    let names = [
        "TextureTransformTest.gltf",
        "TextureTransformTest.bin",
        "UV.png",
        "Arrow.png",
        "Correct.png",
        "NotSupported.png",
        "Error.png",
    ];
    let bytes = names.map(|n| (n, read(n)));
    files::read(&FileSet::new(bytes.iter().map(|(n, b)| (*n, &b[..])))).unwrap()
}

/// The bounds of a part.
fn bounds(scene: &Scene, part: &str) -> (Vec3, Vec3) {
    let mesh = &scene.mesh;
    let number = mesh.parts.iter().position(|p| p.name == part).unwrap() as u32;
    let of_face = mesh.part_of_faces();
    let own = ectome_mesh::edit::kept(mesh, |f| of_face[f] == number);
    let b = measure::bounds(&own);
    (b.min, b.max)
}

/// The arrow runs down the diagonal of its picture and ends two thirds along. Looked up where the correct plate lies, the picture is met a little
/// beyond its tip.
#[rstest]
fn arrows_point_at_the_correct_plate(#[values("Rotation", "All")] name: &str) {
    let scene = model();
    let (low, high) = bounds(&scene, name);
    let (a, b) = bounds(&scene, &format!("{name} - Correct"));
    let plate = (a + b) / 2.0;
    // UVs begin at the upper left corner of the large plate.
    let uv = Vec2::new(plate.x - low.x, high.y - plate.y) / (high - low).truncate();
    let mut materials = scene.library.materials.iter();
    let material = materials.find(|m| m["name"] == name).unwrap();
    let (_, transform) = looked_up_by(&material["pbrMetallicRoughness"]["baseColorTexture"]);
    let met = transform.transform_point2(uv);
    assert!((met.x - met.y).abs() < 0.05, "{met} is not on the diagonal");
    assert!((0.66..0.9).contains(&met.x), "{met}");
}

/// Baked to one sheet, all of it looks as before: textures that several materials look up in different places are read whole.
#[test]
fn one_sheet_looks_as_before() {
    let folder = tempfile::tempdir().unwrap();
    let brief = folder.path().join("brief.toml");
    std::fs::write(&brief, "name = \"Open\"\ntexture_px = 1024\nmaps = [\"base_colour\"]\n[[tier]]\ntriangles = 100\nnearest_m = 1.0\n").unwrap();
    let out = folder.path().join("out");
    let done = Command::new(program())
        .arg("run")
        .arg(
            Path::new(ASSIMP)
                .join(FOLDER)
                .join("TextureTransformTest.gltf"),
        )
        .arg("--brief")
        .arg(&brief)
        .arg("-o")
        .arg(&out)
        .output()
        .unwrap();
    assert!(done.status.success(), "{done:?}");
    let run: Value = serde_json::from_slice(&std::fs::read(out.join("run.json")).unwrap()).unwrap();
    let look = &run[0]["tiers"][0]["look"];
    assert!(look["colour_mean"].as_f64().unwrap() <= 2.0, "{look}");
}
