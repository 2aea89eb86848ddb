//! Maps as recipes make them: textures carried over, parts that are only for the maps, refusals, and what a player will see.

use ectome_formats::{Image, Library, Scene};
use ectome_mesh::{Fate, Mesh, MeshBuilder, Primitive, Progress};
use ectome_recipe::{
    CutSettings, Manner, Recipe, Target, UvStep,
    built::only_built,
    engine,
    maps::{BakeReport, BakeSettings, Channel, From, Kind, Maps, Packed, baked},
};
use glam::{Affine3A, Vec2, Vec3};
use rstest::rstest;
use serde_json::json;

/// A grid over the unit square, lying flat, facing up; `uv` gives each place its UV.
pub fn plate(n: u32, uv: impl Fn(f32, f32) -> Vec2) -> Primitive {
    let mut p = Primitive {
        uv_sets: vec![Vec::new()],
        material: Some(0),
        ..Primitive::default()
    };
    for j in 0..=n {
        for i in 0..=n {
            let (u, v) = (i as f32 / n as f32, j as f32 / n as f32);
            p.positions.push(Vec3::new(u, 0.0, v));
            p.normals.push(Vec3::Y);
            p.uv_sets[0].push(uv(u, v));
        }
    }
    for j in 0..n {
        for i in 0..n {
            let a = j * (n + 1) + i;
            let (b, c, d) = (a + 1, a + n + 2, a + n + 1);
            p.corners.extend([a, d, c, a, c, b]);
        }
    }
    p
}

pub fn mesh(parts: Vec<(&str, Primitive)>) -> Mesh {
    let mut builder = MeshBuilder::new();
    for (name, primitive) in parts {
        builder.part(name, Affine3A::IDENTITY).primitive(primitive);
    }
    builder.finish()
}

/// A picture of `n` × `n` texels.
fn picture(n: u32, colour: impl Fn(f32, f32) -> [u8; 3]) -> Image {
    let picture = image::RgbImage::from_fn(n, n, |x, y| {
        image::Rgb(colour(
            (x as f32 + 0.5) / n as f32,
            (y as f32 + 0.5) / n as f32,
        ))
    });
    let mut bytes = std::io::Cursor::new(Vec::new());
    picture
        .write_to(&mut bytes, image::ImageFormat::Png)
        .unwrap();
    Image {
        name: "paint".to_owned(),
        mime: "image/png".to_owned(),
        bytes: bytes.into_inner(),
    }
}

fn painted(mesh: Mesh, image: Image, slot: serde_json::Value) -> Scene {
    Scene {
        library: Library {
            materials: vec![
                json!({ "name": "paint", "pbrMetallicRoughness": { "baseColorTexture": slot } }),
            ],
            textures: vec![json!({ "source": 0 })],
            images: vec![image],
            ..Library::default()
        },
        ..Scene::from(mesh)
    }
}

pub fn bake(source: &Scene, low: &Scene, settings: &BakeSettings) -> Maps {
    match baked(source, low, settings, None, &Progress::new()) {
        Ok(maps) => maps,
        Err(error) => panic!("{error}"),
    }
}

fn decoded(maps: &Maps, kind: Kind) -> image::RgbImage {
    let bytes = &maps.files.iter().find(|f| f.kind == kind).unwrap().bytes;
    image::load_from_memory(bytes).unwrap().into_rgb8()
}

fn waves(u: f32, v: f32) -> [u8; 3] {
    let wave = |t: f32| (128.0 + 100.0 * (t * 9.0).sin()) as u8;
    [wave(u), wave(v + 0.3), wave(u + v)]
}

/// A texture carried to other UVs and looked up there is what it was: at least 40 dB (peak signal to noise).
#[test]
fn a_texture_is_carried_to_other_uvs() {
    let source = painted(
        mesh(vec![("plate", plate(8, Vec2::new))]),
        picture(1024, waves),
        json!({ "index": 0 }),
    );
    // Turned by a quarter and smaller.
    let turned = |u: f32, v: f32| Vec2::new(0.05 + 0.9 * v, 0.05 + 0.9 * u);
    let low = Scene::from(mesh(vec![("plate", plate(2, turned))]));
    let map = decoded(
        &bake(
            &source,
            &low,
            &BakeSettings::of(vec![Kind::BaseColour], 512),
        ),
        Kind::BaseColour,
    );
    let (mut sum, mut n) = (0.0, 0.0);
    for (x, y, p) in map.enumerate_pixels() {
        let at = |t: u32| ((t as f32 + 0.5) / 512.0 - 0.05) / 0.9;
        let (v, u) = (at(x), at(y));
        if !(0.01..0.99).contains(&u) || !(0.01..0.99).contains(&v) {
            continue;
        }
        let want = waves(u, v);
        for (have, want) in p.0.iter().zip(want) {
            sum += (f64::from(*have) - f64::from(want)).powi(2);
            n += 1.0;
        }
    }
    let db = 10.0 * (255.0 * 255.0 / (sum / n)).log10();
    assert!(db >= 40.0, "{db} dB");
}

/// KHR_texture_transform: scale, then rotation, then offset, anticlockwise as the picture is seen, whose V runs down.
#[test]
fn texture_transforms_are_undone() {
    let slot = json!({ "index": 0, "extensions": { "KHR_texture_transform": {
        "offset": [0.25, 0.125], "rotation": 0.5, "scale": [0.5, 0.25]
    } } });
    let source = painted(
        mesh(vec![("plate", plate(4, Vec2::new))]),
        picture(256, waves),
        slot,
    );
    let low = Scene::from(mesh(vec![("plate", plate(1, Vec2::new))]));
    let map = decoded(
        &bake(
            &source,
            &low,
            &BakeSettings::of(vec![Kind::BaseColour], 128),
        ),
        Kind::BaseColour,
    );
    let (sin, cos) = 0.5f32.sin_cos();
    for (x, y) in [(20, 30), (100, 64), (64, 110)] {
        let (u, v) = ((x as f32 + 0.5) / 128.0, (y as f32 + 0.5) / 128.0);
        let (su, sv) = (u * 0.5, v * 0.25);
        let (tu, tv) = (cos * su + sin * sv + 0.25, cos * sv - sin * su + 0.125);
        let want = waves(tu.rem_euclid(1.0), tv.rem_euclid(1.0));
        let have = map.get_pixel(x, y).0;
        let off = have.iter().zip(want).map(|(a, b)| a.abs_diff(b)).max();
        assert!(off <= Some(3), "{have:?} for {want:?}");
    }
}

/// A source of several materials ends in one set, and what lies between its islands does not get in.
#[test]
fn materials_end_in_one_set_without_bleeding() {
    let half = |material: u32, from: f32| {
        let mut p = plate(2, move |u, v| Vec2::new(0.4 * u, 0.4 * v));
        p.positions.iter_mut().for_each(|q| q.x = from + 0.5 * q.x);
        p.material = Some(material);
        p
    };
    let mut source = painted(
        mesh(vec![("left", half(0, 0.0)), ("right", half(1, 0.5))]),
        // Beyond the islands the picture is white.
        picture(64, |u, v| {
            if u < 0.42 && v < 0.42 {
                [200, 20, 20]
            } else {
                [255; 3]
            }
        }),
        json!({ "index": 0 }),
    );
    source.library.materials.push(
        json!({ "name": "tar", "pbrMetallicRoughness": { "baseColorFactor": [0.0, 0.0, 1.0, 1.0] } }),
    );
    let low = Scene::from(mesh(vec![("plate", plate(1, Vec2::new))]));
    let map = decoded(
        &bake(
            &source,
            &low,
            &BakeSettings {
                padding: 2,
                ..BakeSettings::of(vec![Kind::BaseColour], 16)
            },
        ),
        Kind::BaseColour,
    );
    assert_eq!(map.get_pixel(3, 8).0, [200, 20, 20]);
    assert_eq!(map.get_pixel(12, 8).0, [0, 0, 255]);
    for y in 0..16 {
        assert!(map.get_pixel(0, y).0[1] < 40, "white bled in");
    }
}

/// A part with the fate imprint is not in the low mesh and shows in its maps all the same.
#[test]
fn what_is_only_for_the_maps_lands_on_what_it_stands_on() {
    let mut bolt = plate(1, Vec2::new);
    bolt.positions
        .iter_mut()
        .for_each(|p| *p = *p * 0.2 + Vec3::new(0.4, 0.01, 0.4));
    let mut source = Scene::from(mesh(vec![("plate", plate(1, Vec2::new)), ("bolt", bolt)]));
    source.mesh.parts[1].fate = Fate::Imprint;
    let low = only_built(source.clone()).unwrap();
    assert_eq!(low.mesh.triangle_count(), 2);
    let mut settings = BakeSettings::of(vec![Kind::PartId, Kind::Height], 64);
    let made = bake(&source, &low, &settings);
    let ids = decoded(&made, Kind::PartId);
    assert_ne!(ids.get_pixel(32, 32), ids.get_pixel(4, 4));
    assert_eq!(made.report.maps["part_id"].legend.len(), 2);
    assert_eq!(made.report.maps["height"].range_m.unwrap()[1], 0.01);
    // What is left out for good shows nowhere.
    source.mesh.parts[1].fate = Fate::Omit;
    settings.kinds = vec![Kind::PartId];
    let ids = decoded(&bake(&source, &low, &settings), Kind::PartId);
    assert_eq!(ids.get_pixel(32, 32), ids.get_pixel(4, 4));
}

/// UVs on two sheets get maps for each, a material for each, and files say which is which.
#[test]
fn each_sheet_gets_maps_of_its_own() {
    let half = |name: &'static str, x: f32, sheet: f32| {
        let mut p = plate(2, move |u, v| {
            Vec2::new(sheet + 0.05 + 0.9 * u, 0.05 + 0.9 * v)
        });
        p.positions.iter_mut().for_each(|q| q.x = x + 0.5 * q.x);
        (name, p)
    };
    let both = || mesh(vec![half("left", 0.0, 0.0), half("right", 0.5, 1.0)]);
    let mut source = painted(
        both(),
        picture(64, |_, _| [200, 20, 20]),
        json!({ "index": 0 }),
    );
    source.library.materials.push(
        json!({ "name": "tar", "pbrMetallicRoughness": { "baseColorFactor": [0.0, 0.0, 1.0, 1.0] } }),
    );
    source.mesh.runs[1].material = Some(1);
    let low = Scene::from(both());
    let settings = BakeSettings {
        sheets: 2,
        padding: 2,
        packed: vec![packed("rough")],
        ..BakeSettings::of(vec![Kind::BaseColour, Kind::Height], 32)
    };
    let made = bake(&source, &low, &settings);
    let names: Vec<String> = made.files.iter().map(|f| f.name()).collect();
    assert_eq!(
        names,
        ["base_colour", "height", "base_colour_2", "height_2"]
    );
    let packs: Vec<&str> = made.packed.iter().map(|p| p.0.as_str()).collect();
    assert_eq!(packs, ["rough", "rough_2"]);
    let middle = |sheet: u32| {
        let file = made
            .files
            .iter()
            .find(|f| f.kind == Kind::BaseColour && f.sheet == sheet);
        let picture = image::load_from_memory(&file.unwrap().bytes)
            .unwrap()
            .into_rgb8();
        picture.get_pixel(16, 16).0
    };
    assert_eq!((middle(0), middle(1)), ([200, 20, 20], [0, 0, 255]));
    assert!(made.report.maps.contains_key("base_colour_2"));
    let dressed = ectome_recipe::maps::dressed(low, &made, 2);
    assert_eq!(dressed.library.materials.len(), 2);
    assert_eq!(dressed.mesh.material_count(), 2);
    // Handed over, each sheet lies in the square from 0 to 1 with the material it was baked for.
    let handed = ectome_recipe::sheets::delivered(dressed, 2, ectome_recipe::SheetsAs::Materials);
    assert_eq!(handed.library.materials.len(), 2);
    assert!(
        handed.mesh.uv_sets[0]
            .iter()
            .all(|uv| (0.0..=1.0).contains(&uv.x))
    );
    let names: Vec<&str> = (0..2).map(|m| handed.library.name(m)).collect();
    assert_eq!(names, ["baked", "baked sheet 2"]);
}

/// Two sheets were asked for, and all islands found room on one of them: that one is baked, whichever it is.
#[rstest]
#[case(0.0, "height")]
#[case(1.0, "height_2")]
fn a_sheet_without_islands_is_passed_over(#[case] sheet: f32, #[case] name: &str) {
    let own = move |u: f32, v: f32| Vec2::new(sheet + 0.05 + 0.9 * u, 0.05 + 0.9 * v);
    let scene = Scene::from(mesh(vec![("plate", plate(2, own))]));
    let settings = BakeSettings {
        sheets: 2,
        padding: 2,
        ..BakeSettings::of(vec![Kind::Height], 32)
    };
    let made = bake(&scene, &scene, &settings);
    let names: Vec<String> = made.files.iter().map(|f| f.name()).collect();
    assert_eq!(names, [name]);
    assert!(made.report.maps.contains_key(name));
}

/// Two plates share their texels, one of them a hand's breadth beside: the first is what is baked, everywhere.
#[rstest]
#[case::exactly(0.0)]
#[case::by_hand(1e-4)]
fn stacked_copies_are_baked_from_the_first(#[case] off: f32) {
    let at = |x: f32, off: f32| {
        let mut p = plate(1, move |u, v| Vec2::new(0.2 + 0.5 * u + off, 0.2 + 0.5 * v));
        p.positions.iter_mut().for_each(|q| q.x += x);
        p
    };
    let low = Scene::from(mesh(vec![("first", at(0.0, 0.0)), ("copy", at(2.0, off))]));
    let settings = BakeSettings {
        padding: 2,
        ..BakeSettings::of(vec![Kind::PartId, Kind::Position], 2048)
    };
    let made = bake(&low, &low, &settings);
    let ids = decoded(&made, Kind::PartId);
    let first = ids.get_pixel(1000, 1000);
    assert!(ids.pixels().all(|p| p == first));
    assert_eq!(made.report.parts_with_misses.len(), 0);
}

fn packed(name: &str) -> Packed {
    Packed {
        name: name.to_owned(),
        red: Some(Channel::of(Kind::Occlusion)),
        green: Some(Channel::of(Kind::Roughness)),
        blue: None,
        alpha: Some(Channel::of(Kind::Metalness)),
    }
}

/// A picture of several maps holds each in its channel as its own file does, in 8 and in 16 bits.
#[rstest]
#[case(false)]
#[case(true)]
fn several_maps_share_one_picture(#[case] deep: bool) {
    let mut source = painted(
        mesh(vec![("plate", plate(4, Vec2::new))]),
        picture(8, |_, _| [9, 9, 9]),
        json!({ "index": 0 }),
    );
    source.library.materials[0]["pbrMetallicRoughness"]["roughnessFactor"] = json!(0.25);
    source.library.materials[0]["pbrMetallicRoughness"]["metallicFactor"] = json!(0.75);
    let low = Scene::from(mesh(vec![("plate", plate(1, Vec2::new))]));
    let settings = BakeSettings {
        deep,
        packed: vec![packed("surface")],
        ..BakeSettings::of(vec![Kind::Roughness], 64)
    };
    let made = bake(&source, &low, &settings);
    // What only the picture needs is no file of its own.
    assert_eq!(made.files.len(), 1);
    let [(name, bytes)] = &made.packed[..] else {
        panic!("one picture")
    };
    assert_eq!(name, "surface");
    let picture = image::load_from_memory(bytes).unwrap();
    assert_eq!(picture.color().bits_per_pixel(), if deep { 64 } else { 32 });
    let [occlusion, roughness, blue, metalness] = picture.into_rgba16().get_pixel(32, 32).0;
    let near = |have: u16, want: f32| (f32::from(have) / 65_535.0 - want).abs() < 0.005;
    assert!(near(occlusion, 1.0) && near(roughness, 0.25) && blue == 0 && near(metalness, 0.75));
}

/// What is packed is worn by the materials too, with factors that leave it as it is; other layouts, constants and what is turned about are
/// pictures beside.
#[test]
fn packed_pictures_are_worn() {
    let mut source = painted(
        mesh(vec![("plate", plate(4, Vec2::new))]),
        picture(8, |_, _| [200, 100, 50]),
        json!({ "index": 0 }),
    );
    source.library.materials[0]["pbrMetallicRoughness"]["roughnessFactor"] = json!(0.25);
    source.library.materials[0]["pbrMetallicRoughness"]["metallicFactor"] = json!(0.75);
    let low = Scene::from(mesh(vec![("plate", plate(1, Vec2::new))]));
    let channel = |text: &str| Some(text.parse::<Channel>().unwrap());
    let settings = BakeSettings {
        packed: vec![
            Packed {
                name: "orm".to_owned(),
                red: channel("occlusion"),
                green: channel("roughness"),
                blue: channel("metalness"),
                alpha: None,
            },
            Packed {
                name: "gloss".to_owned(),
                red: channel("base_colour red"),
                green: channel("0.5"),
                blue: channel("1"),
                alpha: channel("inverted roughness"),
            },
        ],
        ..BakeSettings::of(vec![Kind::BaseColour], 64)
    };
    let made = bake(&source, &low, &settings);
    let rgba = |bytes: &[u8]| {
        image::load_from_memory(bytes)
            .unwrap()
            .into_rgba8()
            .get_pixel(32, 32)
            .0
    };
    let gloss = rgba(&made.packed[1].1);
    for (have, want) in gloss.into_iter().zip([200, 128, 255, 191]) {
        assert!(have.abs_diff(want) <= 1, "{gloss:?}");
    }
    let dressed = ectome_recipe::maps::dressed(low, &made, 1);
    let material = &dressed.library.materials[0];
    let pbr = &material["pbrMetallicRoughness"];
    assert_eq!(
        (&pbr["roughnessFactor"], &pbr["metallicFactor"]),
        (&json!(1.0), &json!(1.0))
    );
    let texture = &pbr["metallicRoughnessTexture"]["index"];
    assert_eq!(texture, &material["occlusionTexture"]["index"]);
    let image = &dressed.library.textures[texture.as_u64().unwrap() as usize]["source"];
    let image = &dressed.library.images[image.as_u64().unwrap() as usize];
    assert_eq!(image.name, "orm");
    let [_, roughness, metalness, _] = rgba(&image.bytes);
    assert!(roughness.abs_diff(64) <= 1 && metalness.abs_diff(191) <= 1);
}

/// The heavy and the low object of a pair are told by the name before their mark: each is baked from its own, however near the
/// other is.
#[test]
fn pairs_are_baked_from_their_own() {
    let at = |height: f32, material: u32| {
        let mut p = plate(2, Vec2::new);
        p.positions.iter_mut().for_each(|q| q.y = height);
        p.material = Some(material);
        p
    };
    // The lid lies a millimetre above the box.
    let mut source = painted(
        mesh(vec![("box_high", at(0.0, 0)), ("lid_high", at(0.001, 1))]),
        picture(4, |_, _| [255, 0, 0]),
        json!({ "index": 0 }),
    );
    source.library.materials.push(
        json!({ "name": "lid", "pbrMetallicRoughness": { "baseColorFactor": [0.0, 0.0, 1.0, 1.0] } }),
    );
    let low = Scene::from(mesh(vec![("box_low", at(0.0, 0))]));
    let of = |from: From| {
        let settings = BakeSettings {
            from,
            ..BakeSettings::of(vec![Kind::BaseColour, Kind::PartId], 64)
        };
        let made = bake(&source, &low, &settings);
        assert!(made.legends[0].1.contains("lid_high"));
        decoded(&made, Kind::BaseColour).get_pixel(32, 32).0
    };
    assert_eq!(of(From::SameName), [255, 0, 0]);
    assert_eq!(of(From::Everything), [0, 0, 255]);
}

#[rstest]
#[case::no_uvs(|low: &mut Scene| {
    low.mesh.uv_sets.clear();
    low.mesh.runs.iter_mut().for_each(|r| r.channels.uv_sets = 0);
}, "no UVs: unwrap it first")]
#[case::elsewhere(|low: &mut Scene| low.mesh.points.iter_mut().for_each(|p| p.x += 5.0), "lies 5.00 m off")]
#[case::scaled(|low: &mut Scene| low.mesh.points.iter_mut().for_each(|p| *p *= 100.0), "100.000 times as large")]
#[case::turned(|low: &mut Scene| low.mesh.points.iter_mut().for_each(|p| std::mem::swap(&mut p.y, &mut p.z)), "y and z are exchanged")]
#[case::overlapping(|low: &mut Scene| {
    let n = low.mesh.uv_sets[0].len();
    low.mesh.uv_sets[0][n / 2..].iter_mut().for_each(|uv| uv.x -= 0.3);
}, "overlap")]
fn what_would_come_to_nothing_is_refused(#[case] spoil: fn(&mut Scene), #[case] says: &str) {
    let two = || {
        let (mut a, mut b) = (
            plate(2, |u, v| Vec2::new(0.02 + 0.4 * u, v * 0.9)),
            plate(2, |u, v| Vec2::new(0.52 + 0.4 * u, v * 0.9)),
        );
        a.positions.iter_mut().for_each(|p| p.x *= 0.5);
        b.positions.iter_mut().for_each(|p| p.x = 0.5 + p.x * 0.5);
        mesh(vec![("a", a), ("b", b)])
    };
    let source = Scene::from(two());
    let mut low = Scene::from(two());
    spoil(&mut low);
    let settings = BakeSettings::of(vec![Kind::Normal], 64);
    let error = match baked(&source, &low, &settings, None, &Progress::new()) {
        Ok(_) => panic!("it was baked"),
        Err(error) => error,
    };
    assert!(error.to_string().contains(says), "{error}");
}

/// The whole way as a recipe: cut, unwrap, bake; the result carries its maps as glTF textures, and a tier cut from it keeps
/// them.
#[test]
fn a_recipe_bakes_and_its_chain_keeps_the_maps() {
    let files = ectome_demo::ASSETS
        .iter()
        .find(|a| a.file == "enamel_kettle")
        .unwrap()
        .files()
        .unwrap();
    let set = ectome_formats::FileSet::new(files.iter().map(|(n, b)| (n.as_str(), &b[..])));
    let settings = CutSettings::default();
    let recipe = Recipe::cut("kettle", &[], Target::Triangles(4000), settings.clone())
        .with_uvs(UvStep::unwrap(Manner::Soft))
        .with_maps(BakeSettings::of(
            vec![Kind::Normal, Kind::BaseColour, Kind::Occlusion],
            256,
        ));
    assert_eq!(recipe.wish(), "Bake 3 maps at 256");
    let made = engine::run(&recipe, &set, &Progress::new()).unwrap();
    let maps = made.artefacts.iter().filter(|a| a.kind == "map").count();
    assert_eq!(maps, 3);
    let report: BakeReport = made
        .artefacts
        .iter()
        .find(|a| a.kind == "bake")
        .map(|a| serde_json::from_slice(&a.bytes).unwrap())
        .unwrap();
    assert!(report.misses_percent <= 0.1, "{report:?}");
    assert!(report.shading_with > report.shading_without, "{report:?}");
    // The proof of what was baked is made with the maps, and says what they give back.
    let proof = made.proof.as_ref().unwrap();
    let maps = proof.maps.unwrap();
    let with = report.shading_with.unwrap();
    assert!((maps.with() - (1.0 - with)).abs() < 1e-6);
    assert!((proof.shading_mean() - with).abs() < 1e-6);
    assert!(maps.with() < maps.without && maps.at_outlines > 0.0 && maps.inside > 0.0);
    assert_eq!(made.scene.library.materials.len(), 1);
    assert_eq!(made.scene.library.images.len(), 3);
    let tier = recipe.continued(Target::Triangles(2000), settings);
    let tier = engine::run(&tier, &set, &Progress::new()).unwrap();
    assert_eq!(tier.scene.library.images.len(), 3);
    let proof = tier.proof.unwrap();
    let maps = proof.maps.unwrap();
    assert!(
        proof.shading_mean() > 0.5 && maps.with() < maps.without,
        "{maps:?}"
    );
}
