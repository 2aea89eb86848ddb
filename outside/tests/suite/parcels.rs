//! Parcels read by readers that are not ours, in every setting that changes what files hold: the Khronos glTF validator finds neither
//! error nor warning, and OBJ, PLY and STL come back whole.

use ectome_demo::once;
use ectome_formats::Scene;
use ectome_outside::parcels::{LAYOUTS, finds_nothing, laid_down, made};
use ectome_recipe::parcel::delivery::{Delivery, Geometry};
use rstest::rstest;

/// Every setting on the winch, which has repeats, mirror halves and quads.
#[rstest]
fn the_validator_finds_nothing(
    #[values(Geometry::Plain, Geometry::Quantised, Geometry::Compressed)] geometry: Geometry,
    #[values(0, 1, 2, 3)] layout: usize,
) {
    finds_nothing(once::rope_winch(), geometry, LAYOUTS[layout]);
}

/// The others once each; the heavy ones of the demo take minutes, `cargo bench -p ectome-outside` asks for them.
#[rstest]
#[case::bell(once::fog_bell(), Geometry::Quantised, 0)]
#[case::plate(once::tide_plate(), Geometry::Compressed, 2)]
#[case::kettle(once::enamel_kettle(), Geometry::Plain, 3)]
fn the_validator_finds_nothing_in_other_assets(
    #[case] scene: Scene,
    #[case] geometry: Geometry,
    #[case] layout: usize,
) {
    finds_nothing(scene, geometry, LAYOUTS[layout]);
}

/// OBJ by the crate `obj`, PLY by `ply-rs-bw`, STL by its own arithmetic: the file's length is that of its triangles (the format's
/// specification of 1988).
#[test]
fn the_other_formats_come_back_whole() {
    let parcel = made(
        once::rope_winch(),
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
