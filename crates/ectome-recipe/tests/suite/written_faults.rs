//! What is judged is the file: faults put into a tier before it is written are what the verdict over the file names, one kind of material at
//! a time. Kinds and what they mean: glTF 2.0, sections 3.9 and 3.7.2; KHR_materials_unlit, KHR_texture_transform.

use ectome_formats::Scene;
use ectome_mesh::{Progress, edit};
use ectome_recipe::{
    Brief, Judgement, Measured, Standing,
    parcel::{Order, Tier},
    triangles::triangulated,
};
use rstest::rstest;
use serde_json::{Value, json};

/// One part of the lantern with its material alone.
fn part(name: &str) -> Scene {
    let mut lantern = triangulated(ectome_demo::once::harbour_lantern(), &Progress::new()).unwrap();
    let mesh = &lantern.mesh;
    let own = mesh.parts.iter().position(|p| p.name == name).unwrap() as u32;
    let of_face = mesh.part_of_faces();
    lantern.mesh = edit::kept(mesh, |f| of_face[f] == own);
    lantern
}

fn material<'a>(scene: &'a mut Scene, name: &str) -> &'a mut Value {
    let mut list = scene.library.materials.iter_mut();
    list.find(|m| m["name"] == name).unwrap()
}

/// The limit of colours where a brief says none.
const USUAL: f64 = 10.0;

/// Lines of the verdict over the written file that are over their limit, by their first words, and the look itself.
fn judged(source: &Scene, tier: Scene, colour: f64) -> (String, ectome_recipe::sight::Look) {
    let mut brief = Brief::from_limits("Quay", &[100_000]).unwrap();
    assert_eq!(brief.look.colour, USUAL);
    brief.look.colour = colour;
    brief.texture_px = 512;
    let order = Order {
        asset: "harbour_lantern".to_owned(),
        brief: &brief,
        notice: None,
        date: "2026-12-02".to_owned(),
        tiers: vec![Tier {
            scene: tier,
            sheets: 1,
            mark: "_LOD0".to_owned(),
        }],
        maps: Vec::new(),
        high: None,
        collision: None,
        beside: Some(source.clone()),
    };
    let parcel = order.make(&Progress::new()).unwrap();
    let measured = Measured {
        triangles: 1000,
        looks: parcel.looks(0).to_vec(),
        ..Measured::default()
    };
    let look = measured.looks.first().expect("the file was drawn").look;
    let result = Judgement::of(&brief, 0, &brief.tiers[0], &measured);
    let over = result
        .requirements
        .iter()
        .filter(|r| r.standing == Standing::Over)
        .filter_map(|r| r.says.split(' ').next());
    (over.collect::<Vec<_>>().join(" "), look)
}

/// As they are, all twelve look in their files as they do in the source: colour within 2 (CIEDE2000), coverage within 2 %.
#[rstest]
fn what_is_written_looks_like_its_source(
    #[values(
        "housing", "glass", "flame", "net", "sign", "float", "tiles", "pennant", "handle",
        "collar", "relief", "block"
    )]
    name: &str,
) {
    let source = part(name);
    let (over, look) = judged(&source, source.clone(), USUAL);
    assert_eq!(over, "");
    assert!(
        look.colour_mean <= 2.0 && look.coverage_off() <= 0.02,
        "{look:?}"
    );
}

/// Each fault is what the verdict fails for.
#[rstest]
#[case::solid_net("net", |s: &mut Scene| material(s, "net")["alphaMode"] = json!("OPAQUE"), "Coverage")]
#[case::one_side("pennant", |s: &mut Scene| material(s, "cloth")["doubleSided"] = json!(false), "Coverage")]
#[case::opaque_glass("glass", |s: &mut Scene| material(s, "glass")["alphaMode"] = json!("OPAQUE"), "Coverage")]
#[case::dark_flame("flame", |s: &mut Scene| material(s, "flame")["emissiveFactor"] = json!([0.0, 0.0, 0.0]), "Colour")]
#[case::lit_sign("sign", |s: &mut Scene| { material(s, "sign").as_object_mut().unwrap().remove("extensions"); }, "Colour")]
#[case::other_paint("block", |s: &mut Scene| material(s, "oak")["pbrMetallicRoughness"]["baseColorTexture"]["index"] = json!(5), "Colour")]
#[case::dull_brass("housing", |s: &mut Scene| material(s, "brass")["pbrMetallicRoughness"]["metallicFactor"] = json!(0.0), "Shine")]
#[case::unmoved_tiles("tiles", |s: &mut Scene| { material(s, "tiles")["pbrMetallicRoughness"]["baseColorTexture"].as_object_mut().unwrap().remove("extensions"); }, "Colour")]
#[case::white_float("float", |s: &mut Scene| s.mesh.runs.iter_mut().for_each(|r| r.channels.colours = false), "Colour")]
#[case::twice_coloured("float", |s: &mut Scene| s.mesh.colours.iter_mut().for_each(|c| *c *= *c), "Colour")]
fn faults_are_named(#[case] name: &str, #[case] spoil: fn(&mut Scene), #[case] named: &str) {
    // In light from all around a sign that takes it differs less than other paint.
    let limit = if name == "sign" { 5.0 } else { USUAL };
    let source = part(name);
    let mut tier = source.clone();
    spoil(&mut tier);
    let (over, look) = judged(&source, tier, limit);
    assert!(over.split(' ').any(|w| w == named), "{over:?}: {look:?}");
}
