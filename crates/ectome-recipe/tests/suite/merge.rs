//! Materials merged over one sheet: the same colours at the same places, at one density, and apart what must stay apart.

use ectome_bake::{Material, Source};
use ectome_formats::{Image, Scene};
use ectome_mesh::{MeshBuilder, Primitive, Progress, shapes};
use ectome_recipe::{
    CutSettings, Manner, Recipe, Stacks, Target, UvStep,
    merge::{MergeSettings, groups_of, merged},
};
use ectome_texture::{Coding, Texture};
use glam::{Affine3A, Vec2, Vec3};
use rstest::rstest;
use serde_json::json;

/// A smooth picture: its texels vary over sixteenths of it, so that sampling it elsewhere costs little.
fn picture(tint: [f32; 3], name: &str, size: u32) -> Image {
    let pixels = image::RgbaImage::from_fn(size, size, |x, y| {
        let wave =
            |v: u32, k: f32| 0.5 + 0.4 * (std::f32::consts::TAU * k * v as f32 / size as f32).sin();
        let c = tint.map(|t| (255.0 * t * (0.3 + 0.35 * wave(x, 2.0) + 0.35 * wave(y, 3.0))) as u8);
        image::Rgba([c[0], c[1], c[2], 255])
    });
    let mut bytes = std::io::Cursor::new(Vec::new());
    pixels
        .write_to(&mut bytes, image::ImageFormat::Png)
        .unwrap();
    Image {
        name: name.to_owned(),
        mime: "image/png".to_owned(),
        bytes: bytes.into_inner(),
    }
}

/// A bent strip whose UVs are `scale` times a square, from `origin`.
fn strip(at: Vec3, scale: f32, origin: Vec2, with_uvs: bool, material: u32) -> Primitive {
    let n = 12u32;
    let mut p = Primitive {
        material: Some(material),
        ..Primitive::default()
    };
    let mut uvs = Vec::new();
    for j in 0..=n {
        for i in 0..=n {
            let (u, v) = (i as f32 / n as f32, j as f32 / n as f32);
            p.positions
                .push(at + Vec3::new(u, v, 0.3 * (1.5 * u).sin()));
            uvs.push(origin + scale * Vec2::new(u, 1.0 - v));
        }
    }
    for j in 0..n {
        for i in 0..n {
            let a = j * (n + 1) + i;
            p.corners
                .extend([a, a + 1, a + n + 2, a, a + n + 2, a + n + 1]);
        }
    }
    if with_uvs {
        p.uv_sets = vec![uvs];
    }
    p
}

/// Five materials: two with pictures, one that repeats its picture, one of a plain colour without UVs, one that shines through.
fn kit() -> Scene {
    let mut builder = MeshBuilder::new();
    let parts = [
        ("hull", strip(Vec3::ZERO, 0.8, Vec2::splat(0.1), true, 0)),
        ("deck", strip(Vec3::X * 2.0, 0.3, Vec2::splat(0.5), true, 1)),
        ("net", strip(Vec3::X * 4.0, 2.5, Vec2::splat(-0.7), true, 2)),
        ("cleat", strip(Vec3::X * 6.0, 1.0, Vec2::ZERO, false, 3)),
        ("pane", strip(Vec3::X * 8.0, 0.9, Vec2::ZERO, true, 4)),
    ];
    for (name, primitive) in parts {
        builder.part(name, Affine3A::IDENTITY).primitive(primitive);
    }
    let mut scene = Scene::from(builder.finish());
    let textured = |name: &str, t: u32| json!({ "name": name, "pbrMetallicRoughness": { "baseColorTexture": { "index": t } } });
    scene.library.materials = vec![
        textured("hull", 0),
        json!({ "name": "deck", "pbrMetallicRoughness": {
            "baseColorTexture": { "index": 1 }, "baseColorFactor": [0.5, 0.8, 1.0, 1.0], "roughnessFactor": 0.3 } }),
        textured("net", 0),
        json!({ "name": "cleat", "pbrMetallicRoughness": { "baseColorFactor": [0.6, 0.1, 0.05, 1.0], "metallicFactor": 0.0 } }),
        json!({ "name": "pane", "alphaMode": "BLEND", "pbrMetallicRoughness": { "baseColorFactor": [0.4, 0.5, 0.6, 0.5] } }),
    ];
    scene.library.textures = vec![json!({ "source": 0 }), json!({ "source": 1 })];
    scene.library.images = vec![
        picture([0.9, 0.6, 0.3], "hull", 256),
        picture([0.4, 0.8, 0.9], "deck", 512),
    ];
    scene
}

/// The base colour at the middle of each face, in sRGB bytes, as glTF 2.0 puts it together.
fn colours(scene: &Scene) -> Vec<[f32; 3]> {
    let library = &scene.library;
    let textures: Vec<Texture> = library
        .textures
        .iter()
        .map(|t| {
            let image = &library.images[t["source"].as_u64().unwrap() as usize];
            let rgba = image::load_from_memory(&image.bytes).unwrap().into_rgba8();
            let size = [rgba.width() as usize, rgba.height() as usize];
            Texture::of(size[0], size[1], rgba.as_raw(), Coding::Srgb, None).unwrap()
        })
        .collect();
    let materials: Vec<Material> = (0..library.materials.len() as u32)
        .map(|m| Material {
            base: library.base_colour(m).into(),
            base_texture: library.materials[m as usize]["pbrMetallicRoughness"]["baseColorTexture"]
                ["index"]
                .as_u64()
                .map(|t| ectome_bake::Slot::of(t as usize)),
            ..Material::default()
        })
        .collect();
    let source = Source {
        mesh: &scene.mesh,
        materials: &materials,
        textures: &textures,
    };
    let run = scene.mesh.run_of_faces();
    (0..scene.mesh.face_count())
        .map(|f| {
            let m = materials[scene.mesh.runs[run[f] as usize].material.unwrap() as usize];
            let texel = m.base_texture.map_or(glam::Vec4::ONE, |s| {
                source.sample(&s, f, Vec3::splat(1.0 / 3.0), 1e-4)
            });
            (m.base * texel)
                .truncate()
                .to_array()
                .map(|v| 255.0 * ectome_texture::srgb::to_coded(v))
        })
        .collect()
}

/// Colours within 2 of 255, densities within 5 % (bars of the issue on delivery), five materials two, the surface as it was.
#[test]
fn merged_materials_look_as_they_did() {
    let scene = kit();
    assert_eq!(groups_of(&scene), 2);
    let settings = MergeSettings {
        size: 1024,
        padding: 4,
        by_sight: false,
    };
    let (out, report) = merged(scene.clone(), &settings, &Progress::new()).unwrap();
    out.mesh.check().unwrap();
    assert!(
        report
            .sentence
            .starts_with("5 materials became 2 at 1024 texels; apart stay pane (shines through)"),
        "{}",
        report.sentence
    );
    assert_eq!(out.library.materials.len(), 2);
    assert_eq!(out.mesh.material_count(), 2);
    // Faces are put in order by material: they are found again by their places.
    let middle = |s: &Scene, f: usize| s.mesh.triangle(f).iter().sum::<Vec3>();
    let (before, after) = (colours(&scene), colours(&out));
    let mut worst = 0.0f32;
    for (f, colour) in after.iter().enumerate() {
        let own = (0..before.len())
            .find(|&g| middle(&scene, g) == middle(&out, f))
            .unwrap();
        for k in 0..3 {
            worst = worst.max((colour[k] - before[own][k]).abs());
        }
    }
    println!("colours differ by {worst:.2} of 255 at most");
    assert!(worst <= 2.0, "{worst}");
    let densities: Vec<f64> = (0..out.mesh.face_count())
        .map(|f| {
            let face = out.mesh.face(f);
            let uv = [0, 1, 2].map(|k| out.mesh.uv_sets[0][face[k] as usize]);
            let [a, b, c] = out.mesh.triangle(f);
            let metres = f64::from((b - a).cross(c - a).length());
            f64::from((uv[1] - uv[0]).perp_dot(uv[2] - uv[0]).abs()) / metres
        })
        .collect();
    // Of the flat parts: a bent one cannot have one density on a sheet, merged or not.
    let mean = |part: usize| {
        let run = out.mesh.run_of_faces();
        let own =
            (0..densities.len()).filter(|&f| out.mesh.runs[run[f] as usize].part as usize == part);
        let list: Vec<f64> = own.map(|f| densities[f]).collect();
        (list.iter().sum::<f64>() / list.len() as f64).sqrt()
    };
    // The pane joins none and keeps the UVs it had.
    let all: Vec<f64> = (0..4).map(mean).collect();
    assert!((mean(4) - 0.9).abs() < 0.05, "{}", mean(4));
    let (low, high) = all
        .iter()
        .fold((f64::MAX, 0.0f64), |(l, h), &d| (l.min(d), h.max(d)));
    println!(
        "texel densities spread by {:.1} %",
        (high / low - 1.0) * 100.0
    );
    assert!(high / low <= 1.05, "{all:?}");
    // Roughness and metalness differed, so they are texels now.
    let pbr = &out.library.materials[0]["pbrMetallicRoughness"];
    assert!(pbr["metallicRoughnessTexture"]["index"].is_u64());
    assert_eq!(pbr["baseColorFactor"], json!([1.0, 1.0, 1.0, 1.0]));
    assert_eq!(out.library.materials[1]["alphaMode"], "BLEND");
    assert_eq!(out.library.materials[1]["name"], "pane");
}

/// Four crates in one place of their sheets, each under a picture of its own: each keeps its colours. What stays apart keeps its picture to
/// the byte, and the sheet of the others is no larger than what they show.
#[test]
fn equal_uvs_under_different_pictures_are_no_copies() {
    let tints = [
        [0.9, 0.1, 0.1],
        [0.1, 0.9, 0.1],
        [0.1, 0.2, 0.9],
        [0.8, 0.8, 0.1],
    ];
    let mut builder = MeshBuilder::new();
    for (i, _) in tints.iter().enumerate() {
        let at = Vec3::X * 2.0 * i as f32;
        builder
            .part(&format!("crate {i}"), Affine3A::IDENTITY)
            .primitive(strip(at, 0.8, Vec2::splat(0.1), true, i as u32));
    }
    builder.part("net", Affine3A::IDENTITY).primitive(strip(
        Vec3::Y * 3.0,
        4.0,
        Vec2::ZERO,
        true,
        4,
    ));
    let mut scene = Scene::from(builder.finish());
    scene.library.materials = (0..5)
        .map(|t| json!({ "name": format!("paint {t}"), "pbrMetallicRoughness": { "baseColorTexture": { "index": t } } }))
        .collect();
    scene.library.materials[4]["alphaMode"] = json!("MASK");
    scene.library.textures = (0..5).map(|t| json!({ "source": t })).collect();
    scene.library.images = (tints.into_iter().chain([[0.5; 3]]))
        .map(|tint| picture(tint, "paint", 128))
        .collect();
    let (out, report) = merged(scene.clone(), &MergeSettings::default(), &Progress::new()).unwrap();
    let middle = |s: &Scene, f: usize| s.mesh.triangle(f).iter().sum::<Vec3>();
    let (before, after) = (colours(&scene), colours(&out));
    for (f, colour) in after.iter().enumerate() {
        let own = (0..before.len()).find(|&g| middle(&scene, g) == middle(&out, f));
        for k in 0..3 {
            let (have, want) = (colour[k], before[own.unwrap()][k]);
            assert!((have - want).abs() <= 3.0, "{have} for {want}");
        }
    }
    // Four times .8² of 128² texels fill .6 of 265²: the sheet has 512 where 2 048 were allowed.
    assert!(
        report.sentence.contains("at 512 texels"),
        "{}",
        report.sentence
    );
    let images = &out.library.images;
    assert_eq!(images.len(), 2);
    assert!(
        images
            .iter()
            .any(|i| i.bytes == scene.library.images[4].bytes)
    );
}

/// Equal parts share texels only where they show the same: under another material, or another place of a picture, they do not.
#[rstest]
#[case::alike(|_: &mut Scene| {}, true)]
#[case::another_name(|s: &mut Scene| s.library.materials[1] = json!({ "name": "deck.001", "pbrMetallicRoughness": { "baseColorTexture": { "index": 0 } } }), true)]
#[case::another_picture(|s: &mut Scene| s.library.materials[1] = json!({ "pbrMetallicRoughness": { "baseColorTexture": { "index": 1 } } }), false)]
#[case::another_place(|s: &mut Scene| s.mesh.uv_sets[0].iter_mut().skip(169).for_each(|uv| uv.x += 0.1), false)]
fn repeats_share_texels_where_they_show_the_same(
    #[case] change: fn(&mut Scene),
    #[case] shared: bool,
) {
    let mut builder = MeshBuilder::new();
    for i in 0..2 {
        let at = Vec3::X * 3.0 * i as f32;
        builder.part("cleat", Affine3A::IDENTITY).primitive(strip(
            at,
            0.5,
            Vec2::splat(0.1),
            true,
            i,
        ));
    }
    let mut scene = Scene::from(builder.finish());
    scene.library.materials = vec![
        json!({ "name": "deck", "pbrMetallicRoughness": { "baseColorTexture": { "index": 0 } } }),
        json!({ "name": "deck", "pbrMetallicRoughness": { "baseColorTexture": { "index": 0 } } }),
    ];
    scene.library.textures = vec![json!({ "source": 0 }), json!({ "source": 1 })];
    scene.library.images = vec![picture([0.9; 3], "a", 64), picture([0.2; 3], "b", 64)];
    change(&mut scene);
    let mut step = UvStep::unwrap(Manner::Soft);
    step.packing.stacks = Stacks::Repeats;
    let (out, _) = step.apply(scene, &Progress::new()).unwrap();
    let half = out.mesh.face_count() / 2;
    let uvs = |f: usize| {
        out.mesh
            .face(f)
            .iter()
            .map(|&v| out.mesh.uv_sets[0][v as usize])
            .sum::<Vec2>()
    };
    let together = (0..half)
        .filter(|&f| uvs(f).distance(uvs(f + half)) < 1e-3)
        .count();
    assert_eq!(together, if shared { half } else { 0 });
}

/// A normal map is turned with its island: the directions it stands for on the surface stay, wherever its island is laid and however
/// it is turned or mirrored.
#[test]
fn normals_turn_with_their_islands() {
    let mut scene = kit();
    // Tilted along U by 0.4, everywhere.
    let n = Vec3::new(0.4, 0.2, 0.0);
    let n = n.with_z((1.0 - n.length_squared()).sqrt());
    let c = n.to_array().map(|v| (127.5 * v + 127.5).round() as u8);
    let flat = image::RgbaImage::from_pixel(64, 64, image::Rgba([c[0], c[1], c[2], 255]));
    let mut bytes = std::io::Cursor::new(Vec::new());
    flat.write_to(&mut bytes, image::ImageFormat::Png).unwrap();
    scene.library.images.push(Image {
        name: "tilt".to_owned(),
        mime: "image/png".to_owned(),
        bytes: bytes.into_inner(),
    });
    scene.library.textures.push(json!({ "source": 2 }));
    scene.library.materials[0]["normalTexture"] = json!({ "index": 2 });
    // One is mirrored: its U runs the other way.
    scene.library.materials[1]["normalTexture"] = json!({ "index": 2 });
    let run = scene
        .mesh
        .runs
        .iter()
        .find(|r| r.part == 1)
        .unwrap()
        .clone();
    let used: std::collections::HashSet<u32> = run
        .faces
        .clone()
        .flat_map(|f| scene.mesh.face(f as usize).to_vec())
        .collect();
    for v in used {
        scene.mesh.uv_sets[0][v as usize].x *= -1.0;
    }
    // The world direction of the map at each face, by the tangents of MikkTSpace.
    let world = |s: &Scene| -> Vec<(Vec3, Vec3)> {
        let mesh = &s.mesh;
        let normals = ectome_mesh::tangents::shading_normals(mesh);
        let tangents = ectome_mesh::tangents::of(mesh, &normals);
        let run = mesh.run_of_faces();
        let pictures: Vec<image::RgbaImage> = (s.library.images.iter())
            .map(|i| image::load_from_memory(&i.bytes).unwrap().into_rgba8())
            .collect();
        (0..mesh.face_count())
            .filter(|&f| mesh.runs[run[f] as usize].part < 2)
            .map(|f| {
                let m = mesh.runs[run[f] as usize].material.unwrap();
                let (image, set, _) = s.library.normal_image(m).unwrap();
                let rgba = &pictures[image];
                let face = mesh.face(f);
                let uv: Vec2 = (0..3)
                    .map(|k| mesh.uv_sets[set][face[k] as usize])
                    .sum::<Vec2>()
                    / 3.0;
                let at = |v: f32, n: u32| ((v.rem_euclid(1.0) * n as f32) as u32).min(n - 1);
                let t = rgba
                    .get_pixel(at(uv.x, rgba.width()), at(uv.y, rgba.height()))
                    .0;
                let d = Vec3::from_array([0, 1, 2].map(|k| f32::from(t[k]) / 127.5 - 1.0));
                let (n, t) = (normals[3 * f], tangents[3 * f]);
                let along = t.truncate();
                let bitangent = t.w * n.cross(along);
                let [a, b, c] = mesh.triangle(f);
                (
                    (a + b + c),
                    (along * d.x + bitangent * d.y + n * d.z).normalize(),
                )
            })
            .collect()
    };
    let before = world(&scene);
    let (out, _) = merged(scene, &MergeSettings::default(), &Progress::new()).unwrap();
    for (place, direction) in world(&out) {
        let own = before.iter().find(|(p, _)| *p == place).unwrap();
        assert!(own.1.dot(direction) > 0.999, "{} {}", own.1, direction);
    }
}

#[test]
fn what_cannot_be_merged_says_why() {
    let mut scene = kit();
    for m in &mut scene.library.materials {
        m["pbrMetallicRoughness"] = json!({});
    }
    for (m, both) in scene
        .library
        .materials
        .iter_mut()
        .zip([false, true, false, true, false])
    {
        m["doubleSided"] = json!(both);
        m["name"] = json!("sail");
    }
    // Five by name, three that differ.
    assert_eq!(groups_of(&scene), 3);
    let plain = Scene::from(shapes::icosphere(1.0, 1));
    let error = merged(plain, &MergeSettings::default(), &Progress::new()).unwrap_err();
    assert!(
        error.to_string().contains("there is one material already"),
        "{error}"
    );
}

/// The step is part of a recipe like any other: what is cut from it wears the merged textures.
#[test]
fn a_recipe_merges_and_goes_on() {
    let recipe = Recipe::whole("3f2a", &[]).with_merged_materials(MergeSettings::default());
    let further = recipe
        .clone()
        .continued(Target::Triangles(100), CutSettings::default());
    assert_ne!(recipe.key(), further.key());
    assert!(recipe.dresses());
    assert_eq!(ectome_recipe::sheets::count(&recipe), 1);
    let text = serde_json::to_string(&recipe).unwrap();
    assert_eq!(serde_json::from_str::<Recipe>(&text).unwrap(), recipe);
}
