//! The same scene as floats, quantised and compressed, as one file and as several, and several tiers in one.

use ectome_formats::{
    FileSet, Image, Scene, files,
    glb::{self, Coding, Options, Tier},
};
use ectome_mesh::{Mesh, MeshBuilder, Node, Primitive, measure, shapes};
use glam::{Affine3A, Quat, Vec2, Vec3};
use rstest::rstest;
use serde_json::{Value, json};

/// A PNG of one texel (W3C, *Portable Network Graphics*, 3rd edition).
fn texel() -> Vec<u8> {
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, 1, 1);
    encoder.set_color(png::ColorType::Rgb);
    let mut writer = encoder.write_header().unwrap();
    writer.write_image_data(&[90, 120, 60]).unwrap();
    writer.finish().unwrap();
    bytes
}

/// A ball with UVs far from its own pivot, turned and mirrored, beside one that stands on its own, with a normal map.
fn scene() -> Scene {
    let mut builder = MeshBuilder::new();
    for (name, frame) in [
        (
            "float",
            Affine3A::from_scale_rotation_translation(
                Vec3::new(-1.0, 1.0, 1.0),
                Quat::from_rotation_y(0.7),
                Vec3::new(20.0, 3.0, -4.0),
            ),
        ),
        ("buoy", Affine3A::from_translation(Vec3::new(0.3, 0.0, 0.0))),
    ] {
        let ball = shapes::icosphere(0.5, 4);
        let places: Vec<Vec3> = (0..ball.vertex_count() as u32)
            .map(|v| frame.transform_point3(ball.position(v)))
            .collect();
        let normals = ball
            .vertex_point
            .iter()
            .map(|&p| ball.points[p as usize].normalize());
        let turn = glam::Mat3::from(frame.matrix3);
        let uvs = places
            .iter()
            .map(|p| Vec2::new(0.5 + 0.02 * p.x, 0.5 + 0.3 * p.y.sin() * 0.5));
        let mut corners = ball.corners.clone();
        if frame.matrix3.determinant() < 0.0 {
            corners.chunks_exact_mut(3).for_each(|t| t.swap(1, 2));
        }
        builder.part(name, frame).primitive(Primitive {
            normals: normals.map(|n| (turn * n).normalize()).collect(),
            uv_sets: vec![uvs.collect()],
            positions: places,
            corners,
            material: Some(0),
            ..Primitive::default()
        });
    }
    let mut scene = Scene::from(builder.finish());
    scene.library.materials = vec![json!({
        "name": "paint", "normalTexture": { "index": 0 }, "pbrMetallicRoughness": { "baseColorTexture": { "index": 0 } },
    })];
    scene.library.textures = vec![json!({ "source": 0 })];
    scene.library.images = vec![Image {
        name: "paint".to_owned(),
        mime: "image/png".to_owned(),
        bytes: texel(),
    }];
    scene
}

fn options(coding: Coding) -> Options {
    Options {
        coding,
        ordered: true,
        tangents: true,
        ..Options::default()
    }
}

/// The bounds of each part, by its name.
fn bounds_of_parts(mesh: &Mesh) -> Vec<(String, Vec3, Vec3)> {
    let mut list: Vec<(String, Vec3, Vec3)> = (0..mesh.parts.len())
        .map(|p| {
            let runs = mesh.runs.iter().filter(|r| r.part == p as u32);
            let places = runs
                .flat_map(|r| r.faces.clone())
                .flat_map(|f| mesh.triangle(f as usize));
            let (low, high) = places.fold((Vec3::INFINITY, Vec3::NEG_INFINITY), |(a, b), p| {
                (a.min(p), b.max(p))
            });
            (mesh.parts[p].name.clone(), low, high)
        })
        .collect();
    list.sort_by(|a, b| a.0.cmp(&b.0));
    list
}

fn json_of(bytes: &[u8]) -> Value {
    let length = u32::from_le_bytes(bytes[12..16].try_into().unwrap()) as usize;
    serde_json::from_slice(&bytes[20..20 + length]).unwrap()
}

/// Half a step of the grid is the most that a place moves: balls of half a metre have steps of 1 m / 65 534 and less.
#[rstest]
#[case(Coding::Plain, 1e-5)]
#[case(Coding::Quantised, 2e-5)]
#[case(Coding::Compressed, 2e-5)]
fn every_coding_holds_the_same_surface(#[case] coding: Coding, #[case] near: f32) {
    let scene = scene();
    let bytes = glb::write(&scene, &options(coding)).unwrap();
    let back = glb::read("two.glb", &bytes).unwrap();
    assert_eq!(back.mesh.parts.len(), 2);
    assert!(back.notes.is_empty(), "{:?}", back.notes);
    let (a, b) = (measure::bounds(&scene.mesh), measure::bounds(&back.mesh));
    assert!(a.min.distance(b.min) + a.max.distance(b.max) < 4.0 * near);
    assert_eq!(back.mesh.face_count(), scene.mesh.face_count());
    let volume = |m: &Mesh| -> f64 {
        (0..m.face_count())
            .map(|f| {
                let [a, b, c] = m.triangle(f).map(|p| p.as_dvec3());
                a.dot(b.cross(c)) / 6.0
            })
            .sum()
    };
    // Turned the same way and nowhere torn open: a missing or turned triangle would show in the volume.
    assert!((volume(&scene.mesh) - volume(&back.mesh)).abs() < 1e-3);
    // Every corner is near one of the surface, with its normal and UV.
    let index = ectome_mesh::nearest::SurfaceIndex::of(&scene.mesh);
    for (v, &p) in back.mesh.vertex_point.iter().enumerate().step_by(7) {
        let place = back.mesh.points[p as usize];
        let found = index.nearest(place).unwrap();
        let corners = scene.mesh.face(found.face as usize);
        let own = corners
            .iter()
            .min_by(|a, b| {
                let far = |v: u32| scene.mesh.position(v).distance(place);
                far(**a).total_cmp(&far(**b))
            })
            .copied()
            .unwrap();
        assert!(scene.mesh.position(own).distance(place) < near);
        assert!(scene.mesh.normals[own as usize].distance(back.mesh.normals[v]) < 1e-4);
        assert!(scene.mesh.uv_sets[0][own as usize].distance(back.mesh.uv_sets[0][v]) < 2e-5);
    }
}

#[test]
fn codings_are_smaller_in_turn_and_say_what_they_need() {
    let scene = scene();
    let written = [Coding::Plain, Coding::Quantised, Coding::Compressed]
        .map(|c| glb::write(&scene, &options(c)).unwrap());
    let sizes = written.each_ref().map(Vec::len);
    assert!(sizes[1] < sizes[0] * 7 / 10, "{sizes:?}");
    assert!(sizes[2] < sizes[1] * 6 / 10, "{sizes:?}");
    let needed = written
        .each_ref()
        .map(|b| json_of(b)["extensionsRequired"].clone());
    assert_eq!(needed[0], Value::Null);
    assert_eq!(needed[1], json!(["KHR_mesh_quantization"]));
    assert_eq!(
        needed[2],
        json!(["EXT_meshopt_compression", "KHR_mesh_quantization"])
    );
    // The buffer that stands in for what is compressed has no bytes, and room for all of it.
    let json = json_of(&written[2]);
    assert_eq!(
        json["buffers"][1]["extensions"]["EXT_meshopt_compression"]["fallback"],
        true
    );
}

/// A node that others hang from keeps its frame: its mesh hangs below it in a node of its own.
#[test]
fn quantised_meshes_hang_where_they_hung() {
    let mut scene = scene();
    let arm =
        Affine3A::from_rotation_translation(Quat::from_rotation_z(0.4), Vec3::new(1.0, 2.0, 3.0));
    scene.mesh.nodes = vec![
        Node {
            name: "arm".to_owned(),
            local: arm,
            parent: None,
        },
        Node {
            name: "hook".to_owned(),
            local: Affine3A::from_translation(Vec3::X),
            parent: Some(0),
        },
    ];
    scene.mesh.parts[0].node = Some(0);
    scene.mesh.parts[1].node = Some(1);
    let options = Options {
        hierarchy: true,
        ..options(Coding::Quantised)
    };
    let back = glb::read("two.glb", &glb::write(&scene, &options).unwrap()).unwrap();
    let (a, b) = (bounds_of_parts(&scene.mesh), bounds_of_parts(&back.mesh));
    for (x, y) in a.iter().zip(&b) {
        assert_eq!(x.0, y.0);
        assert!(x.1.distance(y.1) + x.2.distance(y.2) < 1e-3, "{x:?} {y:?}");
    }
    let hook = back.mesh.nodes.iter().find(|n| n.name == "float").unwrap();
    assert!(hook.local.abs_diff_eq(arm, 1e-5), "{:?}", hook.local);
}

#[rstest]
#[case(Coding::Plain)]
#[case(Coding::Compressed)]
fn a_document_lies_beside_its_numbers_and_pictures(#[case] coding: Coding) {
    let scene = scene();
    let mut pictures = Vec::new();
    let document = glb::document(&scene, &options(coding)).unwrap();
    let (text, numbers) = document.into_text("two balls.bin", &mut |image| {
        let name = format!("{} 1.png", image.name);
        pictures.push((name.clone(), image.bytes.clone()));
        name
    });
    let json: Value = serde_json::from_slice(&text).unwrap();
    assert_eq!(json["buffers"][0]["uri"], "two%20balls.bin");
    assert_eq!(json["images"][0]["uri"], "paint%201.png");
    let mut all = vec![("two.gltf", &text[..]), ("two balls.bin", &numbers[..])];
    all.extend(pictures.iter().map(|(n, b)| (n.as_str(), &b[..])));
    let back = files::read(&FileSet::new(all)).unwrap();
    assert_eq!(back.mesh.face_count(), scene.mesh.face_count());
    assert_eq!(back.library.images[0].bytes, texel());
}

#[test]
fn tiers_share_what_is_the_same_and_say_when_they_take_over() {
    let (near, mut far) = (scene(), scene());
    far.mesh = shapes::icosphere(0.5, 1);
    far.mesh.runs[0].material = Some(0);
    let tier = |scene, name: &str, coverage| Tier {
        scene,
        name: name.to_owned(),
        coverage,
    };
    let list = [
        tier(&near, "buoy_LOD0", Some(0.4)),
        tier(&far, "buoy_LOD1", Some(0.0)),
    ];
    let bytes = glb::tiers(&list, &options(Coding::Plain))
        .unwrap()
        .into_glb()
        .unwrap();
    let json = json_of(&bytes);
    assert_eq!(json["images"].as_array().unwrap().len(), 1);
    assert_eq!(json["materials"].as_array().unwrap().len(), 1);
    let top = json["scenes"][0]["nodes"][0].as_u64().unwrap() as usize;
    assert_eq!(json["scenes"][0]["nodes"].as_array().unwrap().len(), 1);
    let node = &json["nodes"][top];
    assert_eq!(node["name"], "buoy_LOD0");
    let next = node["extensions"]["MSFT_lod"]["ids"][0].as_u64().unwrap() as usize;
    assert_eq!(json["nodes"][next]["name"], "buoy_LOD1");
    assert_eq!(node["extras"]["MSFT_screencoverage"], json!([0.4, 0.0]));
    // Whoever does not know the extension shows the nearest tier; without it both are there.
    let back = glb::read("buoy.glb", &bytes).unwrap();
    assert_eq!(back.mesh.face_count(), near.mesh.face_count());
    let plain = [tier(&near, "a", None), tier(&far, "b", None)];
    let bytes = glb::tiers(&plain, &options(Coding::Plain))
        .unwrap()
        .into_glb()
        .unwrap();
    let back = glb::read("buoy.glb", &bytes).unwrap();
    assert_eq!(
        back.mesh.face_count(),
        near.mesh.face_count() + far.mesh.face_count()
    );
    assert!(glb::tiers(&[], &options(Coding::Plain)).is_err());
}

/// Claims that its bytes cannot bear are refused before memory is taken, whatever they are.
#[test]
fn what_is_packed_wrongly_is_refused() {
    let bytes = glb::write(&scene(), &options(Coding::Compressed)).unwrap();
    let json = json_of(&bytes).to_string();
    let packed = |text: String| {
        let length = u32::from_le_bytes(bytes[12..16].try_into().unwrap()) as usize;
        let mut out = bytes[..12].to_vec();
        let mut text = text.into_bytes();
        text.resize(text.len().next_multiple_of(4), b' ');
        out.extend((text.len() as u32).to_le_bytes());
        out.extend(&bytes[16..20]);
        out.extend(text);
        out.extend(&bytes[20 + length..]);
        let all = out.len() as u32;
        out[8..12].copy_from_slice(&all.to_le_bytes());
        out
    };
    assert!(glb::read("x.glb", &packed(json.clone())).is_ok());
    let first = &json_of(&bytes)["bufferViews"][0]["extensions"]["EXT_meshopt_compression"];
    let count = first["count"].as_u64().unwrap();
    let counted = |n: u64| format!("\"count\":{n},\"mode\"");
    let text = str::to_owned;
    for (from, to, says) in [
        (
            text("\"mode\":\"ATTRIBUTES\""),
            text("\"mode\":\"OTHERS\""),
            "mode that is not known",
        ),
        (
            text("\"byteStride\":8,\"count\""),
            text("\"byteStride\":7,\"count\""),
            "size that attributes cannot have",
        ),
        (
            counted(count),
            counted(99_999_999),
            "more elements than its bytes can hold",
        ),
        (counted(count), counted(count - 1), ""),
    ] {
        assert!(json.contains(&from), "{from} in {json}");
        let error = glb::read("x.glb", &packed(json.replacen(&from, &to, 1)));
        let error = error.unwrap_err().to_string();
        assert!(error.contains(says), "{error}");
    }
}
