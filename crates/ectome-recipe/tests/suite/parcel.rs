//! What is handed over: files, names, textures, checks, for what strangers bring.

use std::collections::HashSet;

use ectome_formats::{FileSet, Scene, files, glb};
use ectome_mesh::{Progress, measure};
use ectome_recipe::{
    Brief,
    parcel::{
        ALL_TIERS, Map, Order, PAIR, Parcel, Tier,
        delivery::{Delivery, Geometry, Objects, Pictures, Pivot, TiersIn},
    },
    triangles::triangulated,
};
use glam::Vec3;
use rstest::rstest;

fn brief(delivery: Delivery, formats: &[&str]) -> Brief {
    let mut brief = Brief::from_limits("Quay", &[900_000, 800_000]).unwrap();
    brief.texture_px = 1024;
    brief.formats = formats.iter().map(|f| (*f).to_owned()).collect();
    brief.delivery = delivery;
    brief.check().unwrap();
    brief
}

fn bell() -> Scene {
    triangulated(ectome_demo::once::fog_bell(), &Progress::new()).unwrap()
}

fn made(scene: &Scene, brief: &Brief, tiers: usize) -> Parcel {
    let tiers = (0..tiers).map(|n| Tier {
        scene: scene.clone(),
        sheets: 1,
        mark: format!("_LOD{n}"),
    });
    let order = Order {
        asset: "fog_bell".to_owned(),
        brief,
        notice: Some("By nobody.".to_owned()),
        date: "2026-11-28".to_owned(),
        tiers: tiers.collect(),
        maps: vec![
            Map {
                name: "normal".to_owned(),
                bytes: vec![1],
            },
            Map {
                name: "height".to_owned(),
                bytes: vec![2],
            },
        ],
        high: brief.delivery.pair.then(|| scene.clone()),
        collision: None,
        beside: None,
    };
    order.make(&Progress::new()).unwrap()
}

fn names(parcel: &Parcel) -> Vec<&str> {
    parcel.files.iter().map(|f| f.name.as_str()).collect()
}

fn glb_of(parcel: &Parcel, name: &str) -> Scene {
    let file = parcel.files.iter().find(|f| f.name == name).unwrap();
    glb::read(name, &file.bytes).unwrap()
}

/// Every way to make files holds what importers need, and the notice stands in each mesh.
#[rstest]
fn every_setting_passes_its_own_checks(
    #[values(Geometry::Plain, Geometry::Quantised, Geometry::Compressed)] geometry: Geometry,
    #[values(TiersIn::Files, TiersIn::OneFile, TiersIn::Lod)] tiers: TiersIn,
    #[values(Objects::Kept, Objects::One)] objects: Objects,
) {
    let brief = brief(
        Delivery {
            geometry,
            tiers,
            objects,
            powers_of_two: true,
            pivot: Pivot::Base,
            scale: 2.0,
            ..Delivery::default()
        },
        &["glb", "gltf"],
    );
    // Repeats, mirror halves and quads, and light enough for every setting.
    let scene = triangulated(ectome_demo::once::rope_winch(), &Progress::new()).unwrap();
    let parcel = made(&scene, &brief, 2);
    let faults: Vec<_> = parcel.checks.iter().filter(|c| !c.passes).collect();
    assert!(faults.is_empty(), "{faults:?}");
    assert!(parcel.checks.len() >= 8);
    let held = &parcel.tiers[0];
    assert_eq!(held.triangles, scene.mesh.triangle_count() as u64);
    if objects == Objects::One {
        let materials = scene.library.materials.len();
        assert_eq!((held.objects, held.draw_calls), (1, materials));
    }
    let list = names(&parcel);
    match tiers {
        TiersIn::Files => assert!(list.contains(&"fog_bell_LOD1.glb"), "{list:?}"),
        _ => {
            assert!(list.contains(&"fog_bell.glb"), "{list:?}");
            assert!(parcel.files.iter().any(|f| f.of == ALL_TIERS));
        }
    }
    let first = if tiers == TiersIn::Files {
        "fog_bell_LOD0.glb"
    } else {
        "fog_bell.glb"
    };
    let back = glb_of(&parcel, first);
    assert!(back.copyright.unwrap().contains("By nobody."));
    let bounds = measure::bounds(&back.mesh);
    let source = measure::bounds(&scene.mesh);
    assert!(bounds.min.y.abs() < 1e-3, "it stands on its base");
    let sizes = [bounds, source].map(|b| b.max - b.min);
    assert!(sizes[0].distance(2.0 * sizes[1]) < 1e-3);
}

/// Tiers wear the same pictures: as files of their own they are there once, under the brief's pattern, and a map that glTF has no place
/// for lies beside them.
#[test]
fn pictures_are_files_once() {
    let delivery = Delivery {
        map_names: "T_{asset}_{map}_{size}".to_owned(),
        ..Delivery::default()
    };
    let brief = brief(delivery, &["gltf", "obj"]);
    let parcel = made(&bell(), &brief, 2);
    let list = names(&parcel);
    let unique: HashSet<String> = list.iter().map(|n| n.to_lowercase()).collect();
    assert_eq!(unique.len(), list.len(), "{list:?}");
    let pictures: Vec<_> = list
        .iter()
        .filter(|n| n.ends_with(".png") || n.ends_with(".jpg"))
        .collect();
    assert!(
        pictures.iter().all(|n| n.starts_with("T_fog_bell_")),
        "{pictures:?}"
    );
    assert!(list.contains(&"T_fog_bell_height_0.png"), "{list:?}");
    assert!(!list.contains(&"T_fog_bell_normal_0.png"), "{list:?}");
    for tier in ["fog_bell_LOD0", "fog_bell_LOD1"] {
        let set = parcel.files.iter().filter(|f| {
            !f.name.ends_with(".gltf") && !f.name.ends_with(".obj")
                || f.name == format!("{tier}.gltf")
        });
        let back =
            files::read(&FileSet::new(set.map(|f| (f.name.as_str(), &f.bytes[..])))).unwrap();
        assert!(back.notes.is_empty(), "{:?}", back.notes);
        assert!(!back.library.images.is_empty());
    }
}

#[test]
fn units_axes_and_the_pair_come_as_the_brief_says() {
    let delivery = Delivery {
        unit: "cm".to_owned(),
        up: ectome_recipe::parcel::delivery::UpAxis::Z,
        pair: true,
        ..Delivery::default()
    };
    let brief = brief(delivery, &["stl", "ply", "obj"]);
    let scene = bell();
    let parcel = made(&scene, &brief, 1);
    assert!(
        parcel.checks.iter().all(|c| c.passes),
        "{:?}",
        parcel.checks
    );
    let stl = parcel
        .files
        .iter()
        .find(|f| f.name.ends_with(".stl"))
        .unwrap();
    let back = files::read(&FileSet::new([("x.stl", &stl.bytes[..])])).unwrap();
    let size = |s: &Scene| {
        let b = measure::bounds(&s.mesh);
        b.max - b.min
    };
    let (m, cm) = (size(&scene), size(&back));
    assert!(
        (cm - 100.0 * Vec3::new(m.x, m.z, m.y)).length() < 0.01,
        "{m} {cm}"
    );
    let pair: Vec<&str> = parcel
        .files
        .iter()
        .filter(|f| f.of == PAIR)
        .map(|f| f.name.as_str())
        .collect();
    assert_eq!(pair, ["fog_bell_high.glb", "fog_bell_low.glb"]);
    let stems = |name: &str, end: &str| -> HashSet<String> {
        let parts = glb_of(&parcel, name).mesh.parts;
        parts
            .into_iter()
            .map(|p| p.name.strip_suffix(end).unwrap().to_owned())
            .collect()
    };
    assert_eq!(stems(pair[0], "_high"), stems(pair[1], "_low"));
}

/// Names of no file system, equal names, none at all; triangles of two corners; vertices that nothing uses; textures too large.
#[test]
fn what_strangers_bring_is_put_right() {
    let mut scene = bell();
    for (p, name) in ["../../etc", "bolt", "Bolt", "", "con"]
        .into_iter()
        .enumerate()
    {
        scene.mesh.parts[p].name = name.to_owned();
    }
    scene.mesh.corners[1] = scene.mesh.corners[0];
    let lonely = scene.mesh.points.len() as u32;
    scene.mesh.points.push(Vec3::splat(900.0));
    scene.mesh.copy_vertex(0, lonely);
    for m in &mut scene.library.materials {
        m["name"] = "paint".into();
    }
    let brief = brief(Delivery::default(), &["glb", "obj", "ply", "stl"]);
    let before = scene.mesh.triangle_count() as u64;
    let parcel = made(&scene, &brief, 1);
    assert!(
        parcel.checks.iter().all(|c| c.passes),
        "{:?}",
        parcel.checks
    );
    assert_eq!(parcel.tiers[0].triangles, before - 1);
    let back = glb_of(&parcel, "fog_bell_LOD0.glb");
    let names: HashSet<String> = back
        .mesh
        .parts
        .iter()
        .map(|p| p.name.to_lowercase())
        .collect();
    assert_eq!(names.len(), back.mesh.parts.len());
    assert!(
        back.mesh.parts.iter().any(|p| p.name == "Bolt_LOD0_2"),
        "{names:?}"
    );
}

/// A brief for devices with indices of 16 bits, and a shape of a kilometre: the checks can fail, and say what to do.
#[test]
fn what_trips_an_importer_is_said() {
    let delivery = Delivery {
        index_bits: 16,
        scale: 5000.0,
        objects: Objects::One,
        ..Delivery::default()
    };
    let mut brief = brief(delivery, &["glb"]);
    brief.materials = 1;
    brief.uv_sets = 0;
    let parcel = made(&bell(), &brief, 1);
    let failed: Vec<&str> = parcel
        .checks
        .iter()
        .filter(|c| !c.passes)
        .map(|c| c.what.as_str())
        .collect();
    for what in ["Size", "UV sets", "Materials", "Index width"] {
        assert!(failed.contains(&what), "{failed:?}");
    }
}

#[test]
fn webp_holds_what_png_does() {
    let delivery = Delivery {
        pictures: Pictures::Webp,
        ..Delivery::default()
    };
    let brief = brief(delivery, &["glb"]);
    let parcel = made(&bell(), &brief, 1);
    let file = &parcel.files[0];
    let text = String::from_utf8_lossy(&file.bytes);
    assert!(text.contains("EXT_texture_webp"));
    let back = glb_of(&parcel, "fog_bell_LOD0.glb");
    assert!(
        back.library
            .images
            .iter()
            .all(|i| i.mime == "image/webp" && i.size().is_some())
    );
    // Readers here find the picture where any other would be.
    let textured = (0..back.library.materials.len() as u32)
        .filter(|&m| back.library.base_colour_image(m).is_some());
    assert!(textured.count() > 0);
}
