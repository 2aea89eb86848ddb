//! Parcels read by readers that are not ours, in every setting that changes what files hold: the Khronos glTF validator finds neither
//! error nor warning, and OBJ, PLY and STL come back whole.

use std::path::Path;

use ectome_e2e::validator;
use ectome_formats::Scene;
use ectome_mesh::Progress;
use ectome_recipe::{
    Brief,
    parcel::{
        Order, Parcel, Tier,
        delivery::{Delivery, Geometry, Objects, Pictures, TiersIn},
    },
    triangles::triangulated,
};
use rstest::rstest;

/// What the validator warns of in every file that holds KTX2.
const KTX2_WARNINGS: [&str; 2] = ["VALUE_NOT_IN_LIST", "IMAGE_UNRECOGNIZED_FORMAT"];

fn made(scene: Scene, delivery: Delivery, formats: &[&str]) -> Parcel {
    let mut brief = Brief::from_limits("Quay", &[2_000_000, 1_900_000]).unwrap();
    brief.texture_px = 512;
    brief.formats = formats.iter().map(|f| (*f).to_owned()).collect();
    brief.delivery = delivery;
    let scene = triangulated(scene, &Progress::new()).unwrap();
    let tier = |n: usize| Tier {
        scene: scene.clone(),
        sheets: 1,
        mark: format!("_LOD{n}"),
    };
    let order = Order {
        collision: None,
        asset: "skerry light".to_owned(),
        brief: &brief,
        notice: Some("By nobody.".to_owned()),
        date: "2026-11-28".to_owned(),
        tiers: vec![tier(0), tier(1)],
        maps: Vec::new(),
        high: None,
    };
    let parcel = order.make(&Progress::new()).unwrap();
    assert!(
        parcel.checks.iter().all(|c| c.passes),
        "{:?}",
        parcel.checks
    );
    parcel
}

fn laid_down(parcel: &Parcel, folder: &Path) {
    for file in &parcel.files {
        std::fs::write(folder.join(&file.name), &file.bytes).unwrap();
    }
}

/// How tiers, objects and pictures are laid out.
type Layout = (TiersIn, Objects, Pictures);

#[rstest]
#[case::bell(ectome_demo::fog_bell())]
#[case::winch(ectome_demo::rope_winch())]
#[case::plate(ectome_demo::tide_plate())]
#[case::kettle(ectome_demo::enamel_kettle())]
fn the_validator_finds_nothing(
    #[case] scene: Scene,
    #[values(Geometry::Plain, Geometry::Quantised, Geometry::Compressed)] geometry: Geometry,
    #[values(
        (TiersIn::Files, Objects::Kept, Pictures::AsMade),
        (TiersIn::OneFile, Objects::One, Pictures::Webp),
        (TiersIn::Lod, Objects::Kept, Pictures::Jpeg),
        (TiersIn::OneFile, Objects::Kept, Pictures::Ktx2)
    )]
    how: Layout,
) {
    finds_nothing(scene, geometry, how);
}

/// The same with the heavy assets of the demo, which takes minutes.
#[rstest]
#[case::figurehead(ectome_demo::figurehead())]
#[case::post(ectome_demo::mooring_post())]
#[case::shelf(ectome_demo::wreck_shelf())]
#[ignore = "takes minutes"]
fn the_validator_finds_nothing_in_heavy_assets(#[case] scene: Scene) {
    let layouts = [
        (TiersIn::Files, Objects::Kept, Pictures::AsMade),
        (TiersIn::OneFile, Objects::One, Pictures::Webp),
        (TiersIn::Lod, Objects::Kept, Pictures::Jpeg),
        (TiersIn::OneFile, Objects::Kept, Pictures::Ktx2),
    ];
    for geometry in [Geometry::Plain, Geometry::Quantised, Geometry::Compressed] {
        for how in layouts {
            finds_nothing(scene.clone(), geometry, how);
        }
    }
}

#[track_caller]
fn finds_nothing(scene: Scene, geometry: Geometry, how: Layout) {
    let delivery = Delivery {
        geometry,
        tiers: how.0,
        objects: how.1,
        pictures: how.2,
        powers_of_two: true,
        ..Delivery::default()
    };
    let parcel = made(scene, delivery, &["glb", "gltf"]);
    let folder = tempfile::tempdir().unwrap();
    laid_down(&parcel, folder.path());
    let mut seen = 0;
    for file in parcel
        .files
        .iter()
        .filter(|f| f.name.ends_with(".glb") || f.name.ends_with(".gltf"))
    {
        let report = validator::validate(&folder.path().join(&file.name));
        let says = &report["messages"];
        assert_eq!(report["errors"], 0, "{}: {says}", file.name);
        let warned = report["warned"].as_array().unwrap();
        // The validator does not know `KHR_texture_basisu` yet, and takes its media type for a mistake.
        let known = |code: &serde_json::Value| {
            how.2 == Pictures::Ktx2 && code.as_str().is_some_and(|c| KTX2_WARNINGS.contains(&c))
        };
        assert!(warned.iter().all(known), "{}: {says} {warned:?}", file.name);
        // A coarser tier beside the scene is counted by nobody.
        assert!(
            report["triangles"].as_u64().unwrap() >= parcel.tiers[0].triangles,
            "{report}"
        );
        seen += 1;
    }
    assert_eq!(seen, if how.0 == TiersIn::Files { 4 } else { 2 });
}

/// OBJ by the crate `obj`, PLY by `ply-rs-bw`, STL by its own arithmetic: the file's length is that of its triangles (the format's
/// specification of 1988).
#[test]
fn the_other_formats_come_back_whole() {
    let parcel = made(
        ectome_demo::rope_winch(),
        Delivery::default(),
        &["obj", "ply", "stl"],
    );
    let folder = tempfile::tempdir().unwrap();
    laid_down(&parcel, folder.path());
    let at = |end: &str| folder.path().join(format!("skerry light_LOD1.{end}"));
    let triangles = parcel.tiers[1].triangles as usize;
    let read = obj::Obj::load(at("obj")).unwrap();
    let polys: usize = read
        .data
        .objects
        .iter()
        .flat_map(|o| &o.groups)
        .flat_map(|g| &g.polys)
        .map(|p| p.0.len() - 2)
        .sum();
    assert_eq!(polys, triangles);
    let mut file = std::io::BufReader::new(std::fs::File::open(at("ply")).unwrap());
    let parser = ply_rs_bw::parser::Parser::<ply_rs_bw::ply::DefaultElement>::new();
    let ply = parser.read_ply(&mut file).unwrap();
    assert!(!ply.payload["face"].is_empty() && ply.payload["face"].len() <= triangles);
    let stl = std::fs::metadata(at("stl")).unwrap().len();
    assert_eq!(stl, 84 + 50 * triangles as u64);
}
