//! What materials are beyond their textures is alive in what maps are baked for: cut out, blended, two-sided, bright, of metal.

use ectome_formats::{FileSet, Image, Library, Scene, glb};
use ectome_mesh::{Primitive, Progress, shapes};
use ectome_recipe::{
    Manner, UvStep,
    engine::Stock,
    maps::{BakeSettings, Kind, dressed},
};
use glam::{Vec2, Vec3, Vec4};
use rstest::rstest;
use serde_json::{Value, json};

use crate::maps::{bake, mesh, plate};

/// A plate in cell `at` of four by two, on the sheet too; its material has that number.
fn cell(at: u32) -> Primitive {
    let low = Vec2::new((at % 4) as f32 * 0.25, (at / 4) as f32 * 0.5);
    let mut p = plate(2, move |u, v| {
        low + Vec2::new(0.01 + 0.23 * u, 0.01 + 0.48 * v)
    });
    let place = Vec3::new((at % 4) as f32 * 1.2, 0.0, (at / 4) as f32 * 1.2);
    p.positions.iter_mut().for_each(|q| *q += place);
    p.material = Some(at);
    p
}

/// A leaf: opaque within a disc around the middle of each cell, green; elsewhere clear, and magenta so that it would be seen.
fn leaf() -> Image {
    let n = 256;
    let picture = image::RgbaImage::from_fn(n, n, |x, y| {
        let at = |v: u32, cells: f32| ((v as f32 + 0.5) / n as f32 * cells).fract() - 0.5;
        let (u, v) = (at(x, 4.0), at(y, 2.0));
        if u.hypot(v) < 0.3 {
            image::Rgba([40, 160, 30, 255])
        } else {
            image::Rgba([255, 0, 255, 0])
        }
    });
    let mut bytes = std::io::Cursor::new(Vec::new());
    picture
        .write_to(&mut bytes, image::ImageFormat::Png)
        .unwrap();
    Image {
        name: "leaf".to_owned(),
        mime: "image/png".to_owned(),
        bytes: bytes.into_inner(),
    }
}

/// Eight plates: of oak, a cut-out leaf seen from both sides, a pane, a cloth seen from both sides, a lamp brighter than white, brass,
/// a sign without light and shade, and one in vertex colours.
fn assembly() -> Scene {
    let mut cells: Vec<Primitive> = (0..8).map(cell).collect();
    let painted = &mut cells[7];
    painted.colours = vec![Vec4::new(0.1, 0.2, 0.8, 1.0); painted.positions.len()];
    let names = [
        "oak", "leaf", "pane", "cloth", "lamp", "brass", "sign", "painted",
    ];
    let plain = |base: [f64; 4], metal: f64, rough: f64| json!({ "pbrMetallicRoughness": { "baseColorFactor": base, "metallicFactor": metal, "roughnessFactor": rough } });
    let mut materials = vec![
        plain([0.4, 0.25, 0.1, 1.0], 0.0, 0.9),
        json!({ "pbrMetallicRoughness": { "baseColorTexture": { "index": 0 }, "metallicFactor": 0.0 }, "alphaMode": "MASK", "alphaCutoff": 0.4, "doubleSided": true }),
        plain([0.8, 0.9, 1.0, 0.25], 0.0, 0.1),
        plain([0.7, 0.1, 0.1, 1.0], 0.0, 1.0),
        plain([0.1, 0.1, 0.1, 1.0], 0.0, 0.5),
        plain([0.9, 0.7, 0.3, 1.0], 1.0, 0.3),
        plain([1.0, 1.0, 0.0, 1.0], 0.0, 1.0),
        plain([1.0, 1.0, 1.0, 1.0], 0.0, 0.8),
    ];
    materials[2]["alphaMode"] = json!("BLEND");
    materials[3]["doubleSided"] = json!(true);
    materials[4]["emissiveFactor"] = json!([1.0, 0.5, 0.0]);
    materials[4]["extensions"] =
        json!({ "KHR_materials_emissive_strength": { "emissiveStrength": 4.0 } });
    materials[6]["extensions"] = json!({ "KHR_materials_unlit": {} });
    for (material, name) in materials.iter_mut().zip(names) {
        material["name"] = json!(name);
    }
    Scene {
        library: Library {
            materials,
            textures: vec![json!({ "source": 0 })],
            images: vec![leaf()],
            ..Library::default()
        },
        ..Scene::from(mesh(names.into_iter().zip(cells).collect()))
    }
}

/// Written as a GLB and read back: what is judged is the file.
fn read_back(scene: &Scene) -> Scene {
    let bytes = glb::write(scene, &glb::Options::default()).unwrap();
    FileSet::new([("baked.glb", &bytes[..])])
        .import(&Progress::new())
        .unwrap()
}

/// The material of the faces of a part.
fn material<'a>(scene: &'a Scene, part: &str) -> &'a Value {
    let mesh = &scene.mesh;
    let run = mesh
        .runs
        .iter()
        .find(|r| mesh.parts[r.part as usize].name == part && !r.faces.is_empty());
    &scene.library.materials[run.unwrap().material.unwrap() as usize]
}

/// The texel of a slot of a part's material in the middle of its cell, or at `off` from there in cells.
fn texel(scene: &Scene, part: &str, slot: &Value, at: u32, off: f32) -> [u8; 4] {
    assert!(slot["index"].is_u64(), "{part} lacks a texture");
    let texture = &scene.library.textures[slot["index"].as_u64().unwrap() as usize];
    let image = &scene.library.images[texture["source"].as_u64().unwrap() as usize];
    let picture = image::load_from_memory(&image.bytes).unwrap().into_rgba8();
    let side = picture.width() as f32;
    let u = (at % 4) as f32 * 0.25 + 0.125 + 0.25 * off;
    let v = (at / 4) as f32 * 0.5 + 0.25;
    picture.get_pixel((u * side) as u32, (v * side) as u32).0
}

/// Each kind of material is there in the file, whatever was asked for; the maps of all are one set.
#[rstest]
#[case::what_a_brief_asks(vec![Kind::BaseColour, Kind::Normal])]
#[case::normals_alone(vec![Kind::Normal])]
fn every_kind_of_material_is_alive_in_the_file(#[case] kinds: Vec<Kind>) {
    let source = assembly();
    let settings = BakeSettings {
        padding: 2,
        ..BakeSettings::of(kinds.clone(), 256)
    };
    let made = bake(&source, &source, &settings);
    let asked: Vec<Kind> = made.files.iter().map(|f| f.kind).collect();
    assert_eq!(asked, kinds, "what nobody asked for is no file of its own");
    let scene = read_back(&dressed(source.clone(), &made, 1));
    assert_eq!(
        scene.library.images.len(),
        4,
        "base colour, normal, surface, emission"
    );

    let (leaf, pane, cloth) = (
        material(&scene, "leaf"),
        material(&scene, "pane"),
        material(&scene, "cloth"),
    );
    assert_eq!(
        (
            &leaf["alphaMode"],
            &leaf["alphaCutoff"],
            &leaf["doubleSided"]
        ),
        (&json!("MASK"), &json!(0.4), &json!(true))
    );
    assert_eq!(pane["alphaMode"], json!("BLEND"));
    assert_eq!(cloth["doubleSided"], json!(true));
    assert!(cloth["alphaMode"].is_null());
    // What takes no light has no other extension and no map of light.
    let sign = material(&scene, "sign");
    assert_eq!(sign["extensions"], json!({ "KHR_materials_unlit": {} }));
    assert!(sign["normalTexture"].is_null() && sign["emissiveTexture"].is_null());
    assert!(material(&scene, "oak")["doubleSided"].is_null());

    let base = |part, at, off| {
        let slot = &material(&scene, part)["pbrMetallicRoughness"]["baseColorTexture"];
        texel(&scene, part, slot, at, off)
    };
    assert_eq!(base("leaf", 1, 0.0), [40, 160, 30, 255]);
    assert_eq!(base("leaf", 1, 0.4)[3], 0);
    assert!(base("pane", 2, 0.0)[3].abs_diff(64) <= 1);
    // Linear .1, .2, .8 coded as sRGB (IEC 61966-2-1): 89, 124, 231.
    let blue = base("painted", 7, 0.0);
    assert!(
        blue.iter()
            .zip([89, 124, 231, 255])
            .all(|(a, b)| a.abs_diff(b) <= 1),
        "{blue:?}"
    );
    assert!(
        scene.mesh.runs.iter().all(|r| !r.channels.colours),
        "colours count twice"
    );

    let surface = |part, at| {
        let slot = &material(&scene, part)["pbrMetallicRoughness"]["metallicRoughnessTexture"];
        texel(&scene, part, slot, at, 0.0)
    };
    let [_, rough, metal, _] = surface("brass", 5);
    assert!(rough.abs_diff(77) <= 1 && metal == 255, "{rough} {metal}");
    assert_eq!(surface("oak", 0)[2], 0);

    let lamp = material(&scene, "lamp");
    let strength =
        lamp["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"].as_f64();
    assert_eq!(strength, Some(4.0));
    let light = texel(&scene, "lamp", &lamp["emissiveTexture"], 4, 0.0);
    // A half, linear, is 188 in sRGB.
    assert!(
        light[0] == 255 && light[1].abs_diff(188) <= 1 && light[2] == 0,
        "{light:?}"
    );
    assert_eq!(
        texel(
            &scene,
            "oak",
            &material(&scene, "oak")["emissiveTexture"],
            0,
            0.0
        )[..3],
        [0; 3]
    );
}

/// A skin over a leaf that lies on oak is opaque: it shows the leaf where there is one and oak where the leaf is clear. An oak board
/// that stays a board beside its leaf is oak all over.
#[rstest]
#[case::skin(true, [40, 160, 30])]
#[case::board_beside_its_leaf(false, [170, 137, 89])]
fn rays_go_on_through_what_is_clear(#[case] skin: bool, #[case] beneath: [u8; 3]) {
    let mut above = plate(1, |u, v| Vec2::new(0.25 + 0.25 * u, 0.5 * v));
    above.positions.iter_mut().for_each(|p| p.y = 0.002);
    above.material = Some(1);
    let board = plate(1, |u, v| Vec2::new(0.05 + 0.4 * u, 0.05 + 0.9 * v));
    let source = Scene {
        library: assembly().library,
        ..Scene::from(mesh(vec![
            ("board", board.clone()),
            ("board", above.clone()),
        ]))
    };
    let mut own = above;
    own.uv_sets[0].iter_mut().for_each(|uv| uv.x += 0.3);
    let parts = if skin {
        vec![("board", board)]
    } else {
        vec![("board", board), ("board", own)]
    };
    let low = Scene {
        library: if skin {
            Library::default()
        } else {
            assembly().library
        },
        ..Scene::from(mesh(parts))
    };
    let settings = BakeSettings {
        padding: 2,
        reach: ectome_recipe::maps::Reach::Metres(0.01),
        ..BakeSettings::of(vec![Kind::BaseColour, Kind::Occlusion], 128)
    };
    let made = bake(&source, &low, &settings);
    let decoded = |kind| {
        let file = made.files.iter().find(|f| f.kind == kind).unwrap();
        image::load_from_memory(&file.bytes).unwrap().into_rgb8()
    };
    let map = decoded(Kind::BaseColour);
    let near =
        |have: [u8; 3], want: [u8; 3]| have.iter().zip(want).all(|(a, b)| a.abs_diff(b) <= 2);
    let middle = map.get_pixel(32, 64).0;
    assert!(near(middle, beneath), "{middle:?} in the middle");
    let corner = map.get_pixel(9, 10).0;
    assert!(
        near(corner, [170, 137, 89]),
        "{corner:?} where the leaf is clear"
    );
    // And light comes in there: the clear corner is open, the board under the leaf is not.
    if !skin {
        let light = decoded(Kind::Occlusion);
        let [open, covered] = [(9, 10), (32, 64)].map(|(x, y)| light.get_pixel(x, y).0[0]);
        assert!(open > 200 && covered < 40, "{open} and {covered}");
    }
}

/// Green of a normal map is up inside a glTF file, whatever files beside it hold (glTF 2.0, section 3.9.3).
#[test]
fn green_is_up_inside_whatever_lies_beside() {
    let mut source = assembly();
    // A slope that leans towards -z.
    for p in &mut source.mesh.points {
        p.y = 0.2 * (p.z % 1.2);
    }
    source.mesh.normals.clear();
    source
        .mesh
        .runs
        .iter_mut()
        .for_each(|r| r.channels.normals = false);
    let low = assembly();
    let inside = |green_up: bool| {
        let settings = BakeSettings {
            green_up,
            reach: ectome_recipe::maps::Reach::Metres(0.3),
            ..BakeSettings::of(vec![Kind::Normal], 64)
        };
        let made = bake(&source, &low, &settings);
        let scene = dressed(low.clone(), &made, 1);
        let slot = &scene.library.materials[0]["normalTexture"];
        (
            texel(&scene, "oak", slot, 0, 0.0),
            made.files[0].bytes.clone(),
        )
    };
    let (up, beside_up) = inside(true);
    let (down, beside_down) = inside(false);
    assert!(
        up.iter().zip(down).all(|(a, b)| a.abs_diff(b) <= 1),
        "{up:?} and {down:?}"
    );
    assert!(up[1].abs_diff(128) > 8, "no slope: {up:?}");
    assert_ne!(beside_up, beside_down);
}

/// A ball that is wound inwards under a skin that looks outward, as after a rebuild: no texel misses, and normals are the ball's.
#[test]
fn a_source_inside_out_is_baked_as_if_turned() {
    let ball = shapes::icosphere(1.0, 4);
    let mut inward = ball.clone();
    inward
        .corners
        .chunks_exact_mut(3)
        .for_each(|c| c.swap(1, 2));
    let (low, _) = UvStep::unwrap(Manner::Soft)
        .apply(Scene::from(shapes::icosphere(1.0, 2)), &Progress::new())
        .unwrap();
    let maps = [Scene::from(ball), Scene::from(inward)].map(|source| {
        let settings = BakeSettings::of(vec![Kind::NormalObject], 128);
        let made = bake(&source, &low, &settings);
        assert_eq!(made.report.misses_percent, 0.0);
        (made.files[0].bytes.clone(), made.report.pieces_inside_out)
    });
    let [(as_it_is, none), (turned, one)] = maps;
    assert_eq!((none, one), (0, 1));
    let [a, b] =
        [as_it_is, turned].map(|bytes| image::load_from_memory(&bytes).unwrap().into_rgb8());
    let off = a
        .pixels()
        .zip(b.pixels())
        .flat_map(|(a, b)| (0..3).map(move |k| a[k].abs_diff(b[k])));
    assert!(off.max() <= Some(2));
}
