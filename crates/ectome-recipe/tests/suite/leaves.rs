//! A tree of leaf cards on its way through plan, cut, unwrap and bake: cards are pruned, keep their UVs and picture, and the crown covers what it
//! did.

use ectome_foliage::examples;
use ectome_formats::{Image, Library, Scene, glb};
use ectome_mesh::Progress;
use ectome_recipe::{
    Brief, CutSettings, EngineError, Inspection, Plan, Session, Target,
    engine::{self, Stock},
};
use rstest::rstest;
use serde_json::json;

/// A tree of so many cards, with two materials.
fn tree(cards: usize) -> Scene {
    let (mesh, _, _) = examples::tree(cards);
    let picture = image::RgbaImage::from_raw(32, 32, examples::leaf()).unwrap();
    let mut bytes = std::io::Cursor::new(Vec::new());
    let png = image::ImageFormat::Png;
    picture.write_to(&mut bytes, png).unwrap();
    Scene {
        library: Library {
            materials: vec![
                json!({ "name": "leaf", "alphaMode": "MASK", "doubleSided": true,
                    "pbrMetallicRoughness": { "baseColorTexture": { "index": 0 }, "metallicFactor": 0.0 } }),
                json!({ "name": "bark", "pbrMetallicRoughness": { "baseColorFactor": [0.2, 0.13, 0.08, 1.0], "metallicFactor": 0.0 } }),
            ],
            textures: vec![json!({ "source": 0 })],
            images: vec![Image {
                name: "leaf".to_owned(),
                mime: "image/png".to_owned(),
                bytes: bytes.into_inner(),
            }],
            ..Library::default()
        },
        ..Scene::from(mesh)
    }
}

/// A tree as a file.
struct Shelf(Vec<u8>);

impl Stock for Shelf {
    fn import(&self, _: &Progress) -> Result<Scene, EngineError> {
        Ok(glb::read("tree.glb", &self.0)?)
    }
}

/// Triangles in a material of that name.
fn in_material(scene: &Scene, name: &str) -> usize {
    let runs = scene.mesh.runs.iter().filter(|r| {
        let material = r.material.map(|m| scene.library.name(m));
        material.is_some_and(|m| m == name)
    });
    runs.map(|r| r.faces.len()).sum()
}

#[rstest]
#[case(500)]
#[case(120)]
fn cards_are_pruned_and_the_rest_is_cut(#[case] target: u32) {
    let source = tree(600);
    let progress = Progress::new();
    let session = Session::new(source.clone(), CutSettings::default(), None, &progress).unwrap();
    let (scene, report, proven) = session
        .cut_proven(Target::Triangles(target), &progress)
        .unwrap();
    assert!(scene.mesh.triangle_count() <= target as usize);
    assert_eq!(report.triangles_after, scene.mesh.triangle_count());
    assert_eq!(report.triangles_before, source.mesh.triangle_count());
    let cards = report.cards.unwrap();
    assert_eq!(cards.before, 600);
    assert_eq!(in_material(&scene, "leaf"), 2 * cards.after);
    assert!(cards.grown > 1.0 && in_material(&scene, "bark") >= 8);
    // Outline and deviation are the trunk's; what is seen is the whole tree.
    assert!(report.deviation_max_percent_of_diagonal < 5.0);
    let look = proven.proof.looks[0].look;
    assert!((look.gained - look.lost).abs() < 0.05, "{look:?}");
    // The preview shows the same.
    let (_, shown) = session.preview(target as usize).unwrap();
    assert!(shown <= target as usize);
}

/// The one button: the plan leaves the cards alone, and what it makes holds them with the picture and the UVs that they had, beside a trunk with
/// maps of its own.
#[test]
fn cards_keep_uvs_and_picture() {
    let shelf = Shelf(glb::write(&tree(300), &glb::Options::default()).unwrap());
    let source = shelf.import(&Progress::new()).unwrap();
    let (inspection, _) = Inspection::of(&source, &Progress::new()).unwrap();
    let text = "name = \"x\"\nmaps = [\"base_colour\", \"normal\"]\ntexture_px = 64\n[[tier]]\ntriangles = 400\n";
    let plan = Plan::of(&source, &inspection, &Brief::from_toml(text).unwrap());
    assert!(
        plan.left.iter().any(|l| l.starts_with("300 leaf cards")),
        "{:?}",
        plan.left
    );
    let recipes = plan.recipes("tree", &[], &CutSettings::default()).unwrap();
    let made = engine::run(&recipes[0], &shelf, &Progress::new()).unwrap();
    let scene = &made.scene;
    assert!(scene.mesh.triangle_count() <= 400);
    let leaves = in_material(scene, "leaf");
    assert!(leaves >= 100, "{leaves}");
    assert_eq!(
        in_material(scene, "bark"),
        0,
        "the trunk wears what was baked"
    );
    for run in &scene.mesh.runs {
        let material = &scene.library.materials[run.material.unwrap() as usize];
        if material["name"] != "leaf" {
            assert!(material["normalTexture"]["index"].is_u64());
            continue;
        }
        assert_eq!(
            (&material["alphaMode"], &material["doubleSided"]),
            (&json!("MASK"), &json!(true))
        );
        let texture = material["pbrMetallicRoughness"]["baseColorTexture"]["index"].as_u64();
        let image = &scene.library.textures[texture.unwrap() as usize]["source"];
        let image = &scene.library.images[image.as_u64().unwrap() as usize];
        assert_eq!(image.bytes, source.library.images[0].bytes);
        for f in run.faces.clone() {
            for &v in scene.mesh.face(f as usize) {
                let uv = scene.mesh.uv_sets[0][v as usize];
                assert!(
                    uv.x.fract() == 0.0 && uv.y.fract() == 0.0,
                    "{uv} is no corner of a leaf"
                );
            }
        }
    }
}

/// A crown without a trunk is pruned too.
#[test]
fn a_crown_alone_is_pruned() {
    let mut source = tree(200);
    source.mesh = ectome_mesh::edit::kept(&source.mesh, |f| f < 400);
    let progress = Progress::new();
    let session = Session::new(source, CutSettings::default(), None, &progress).unwrap();
    let (scene, report) = session.cut(Target::Triangles(100), &progress).unwrap();
    assert!(scene.mesh.triangle_count() <= 100);
    assert_eq!(report.cards.unwrap().after, 50);
}
