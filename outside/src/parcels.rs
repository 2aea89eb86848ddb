//! Parcels made of a scene, and what the Khronos glTF validator says of them.

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

/// What the validator warns of in every file that holds KTX2.
const KTX2_WARNINGS: [&str; 2] = ["VALUE_NOT_IN_LIST", "IMAGE_UNRECOGNIZED_FORMAT"];

/// A parcel of two tiers of the same scene in some formats; all its own checks pass.
///
/// # Panics
/// When one does not.
pub fn made(scene: Scene, delivery: Delivery, formats: &[&str]) -> Parcel {
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
        beside: None,
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

/// Writes its files.
///
/// # Panics
/// When they cannot be written.
pub fn laid_down(parcel: &Parcel, folder: &Path) {
    for file in &parcel.files {
        std::fs::write(folder.join(&file.name), &file.bytes).unwrap();
    }
}

/// How tiers, objects and pictures are laid out.
pub type Layout = (TiersIn, Objects, Pictures);

/// All of them that differ in what files hold.
pub const LAYOUTS: [Layout; 4] = [
    (TiersIn::Files, Objects::Kept, Pictures::AsMade),
    (TiersIn::OneFile, Objects::One, Pictures::Webp),
    (TiersIn::Lod, Objects::Kept, Pictures::Jpeg),
    (TiersIn::OneFile, Objects::Kept, Pictures::Ktx2),
];

/// The validator finds neither error nor warning in a scene written so.
///
/// # Panics
/// When it finds one.
#[track_caller]
pub fn finds_nothing(scene: Scene, geometry: Geometry, how: Layout) {
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
