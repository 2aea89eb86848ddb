//! GLB there and back, and every way a file can be broken.

use ectome_formats::{FileSet, FormatError, Image, Library, Scene, glb, read};
use ectome_mesh::{MeshBuilder, Primitive, measure, shapes};
use glam::{Affine3A, Quat, Vec2, Vec3};
use proptest::prelude::*;
use rstest::rstest;
use serde_json::{Value, json};

fn quad_scene(frame: Affine3A) -> Scene {
    let mut builder = MeshBuilder::new();
    builder.part("hatch", frame).primitive(Primitive {
        positions: [[0., 0.], [1., 0.], [1., 1.], [0., 1.]]
            .map(|[x, y]| Vec3::new(x, y, 0.0))
            .to_vec(),
        normals: vec![Vec3::Z; 4],
        uv_sets: vec![vec![
            Vec2::new(0.0, 1.0),
            Vec2::ONE,
            Vec2::new(1.0, 0.0),
            Vec2::ZERO,
        ]],
        corners: vec![0, 1, 2, 0, 2, 3],
        material: Some(0),
        ..Primitive::default()
    });
    let mut png = Vec::new();
    image::RgbImage::from_pixel(2, 2, image::Rgb([200, 30, 10]))
        .write_to(&mut std::io::Cursor::new(&mut png), image::ImageFormat::Png)
        .unwrap();
    Scene {
        mesh: builder.finish(),
        library: Library {
            materials: vec![json!({"name": "paint", "pbrMetallicRoughness": {
                "baseColorTexture": {"index": 0}, "roughnessFactor": 0.4}})],
            textures: vec![json!({"source": 0})],
            samplers: vec![],
            images: vec![Image {
                name: "paint".into(),
                mime: "image/png".into(),
                bytes: png,
            }],
        },
        copyright: Some("invented".into()),
        copies: vec![],
        notes: vec![],
    }
}

#[rstest]
#[case::plain(Affine3A::IDENTITY)]
#[case::placed(Affine3A::from_scale_rotation_translation(
    Vec3::new(2.0, 0.5, 1.0), Quat::from_rotation_y(0.7), Vec3::new(3.0, -1.0, 4.0)))]
#[case::mirrored(Affine3A::from_scale(Vec3::new(-1.0, 1.0, 1.0)))]
#[case::sheared(Affine3A::from_mat3(glam::Mat3::from_cols(
    Vec3::X,
    Vec3::new(0.8, 1.0, 0.0),
    Vec3::Z
)))]
fn a_scene_comes_back_as_it_went(#[case] frame: Affine3A) {
    let scene = quad_scene(frame);
    let bytes = glb::write(
        &scene,
        &glb::Naming {
            suffix: "_LOD2".into(),
            ..glb::Naming::default()
        },
    )
    .unwrap();
    let back = glb::read("hatch.glb", &bytes).unwrap();
    assert_eq!(back.mesh.parts[0].name, "hatch_LOD2");
    // A mirrored frame swaps windings on the way, so vertices may be renumbered: compare by corner.
    assert_eq!(back.mesh.corners.len(), scene.mesh.corners.len());
    for (&a, &b) in back.mesh.corners.iter().zip(&scene.mesh.corners) {
        assert!(back.mesh.position(a).distance(scene.mesh.position(b)) < 1e-5);
        let (a, b) = (a as usize, b as usize);
        assert_eq!(back.mesh.uv_sets[0][a], scene.mesh.uv_sets[0][b]);
        assert!(back.mesh.normals[a].distance(scene.mesh.normals[b]) < 1e-5);
    }
    assert_eq!(back.library, scene.library);
    assert_eq!(back.copyright, scene.copyright);
    let facing = |s: &Scene| measure::area_vector(s.mesh.triangle(0));
    assert!(facing(&back).dot(facing(&scene)) > 0.0);
}

fn edited(edit: impl FnOnce(&mut Value, &mut Vec<u8>)) -> Vec<u8> {
    let bytes = glb::write(&quad_scene(Affine3A::IDENTITY), &glb::Naming::default()).unwrap();
    let json_size = u32::from_le_bytes(bytes[12..16].try_into().unwrap()) as usize;
    let mut json: Value = serde_json::from_slice(&bytes[20..20 + json_size]).unwrap();
    let mut bin = bytes[28 + json_size..].to_vec();
    edit(&mut json, &mut bin);
    let mut text = json.to_string().into_bytes();
    text.resize(text.len().next_multiple_of(4), b' ');
    let mut out = Vec::new();
    let total = 12 + 8 + text.len() + 8 + bin.len();
    for word in [0x4654_6C67, 2, total as u32, text.len() as u32, 0x4E4F_534A] {
        out.extend(word.to_le_bytes());
    }
    out.extend(text);
    out.extend((bin.len() as u32).to_le_bytes());
    out.extend(0x004E_4942u32.to_le_bytes());
    out.extend(bin);
    out
}

#[rstest]
#[case::nan_position(edited(|_, bin| bin[0..4].copy_from_slice(&f32::NAN.to_le_bytes())), "position 0 in primitive 0 of hatch is not a finite number")]
#[case::index_out_of_range(edited(|j, bin| {
    let view = j["accessors"][3]["bufferView"].as_u64().unwrap() as usize;
    let at = j["bufferViews"][view]["byteOffset"].as_u64().unwrap() as usize;
    bin[at] = 77;
}), "refers to vertex 77, but there are only 4")]
#[case::four_billion(edited(|j, _| j["accessors"][0]["count"] = json!(4_294_967_295u64)), "4294967295 elements")]
#[case::huge_stride(edited(|j, _| j["bufferViews"][0]["byteStride"] = json!(u64::MAX)), "is cut short")]
#[case::no_such_accessor(edited(|j, _| j["meshes"][0]["primitives"][0]["attributes"]["POSITION"] = json!(99)), "accessor 99 does not exist")]
#[case::no_such_mesh(edited(|j, _| j["nodes"][0]["mesh"] = json!(9)), "mesh 9 does not exist")]
#[case::circular(edited(|j, _| j["nodes"][0]["children"] = json!([0])), "its own ancestor")]
#[case::no_such_material(edited(|j, _| j["meshes"][0]["primitives"][0]["material"] = json!(5)), "a material that does not exist")]
#[case::draco(edited(|j, _| j["extensionsRequired"] = json!(["KHR_draco_mesh_compression"])), "compressed geometry")]
#[case::sparse_from_nothing(edited(|j, _| {
    j["accessors"][0].as_object_mut().unwrap().remove("bufferView");
    j["accessors"][0]["count"] = json!(4_000_000_000u64);
    j["accessors"][0]["sparse"] = json!({"count": 0});
}), "more elements than")]
// Found by changed files: an empty UV set beside positions ended in a panic.
#[case::empty_uvs(edited(|j, _| {
    let uv = j["meshes"][0]["primitives"][0]["attributes"]["TEXCOORD_0"].as_u64().unwrap() as usize;
    j["accessors"][uv]["count"] = json!(0);
}), "4 positions but 0 texture coordinates")]
#[case::picture(b"\x89PNG\r\n\x1a\n....".to_vec(), "its content is a PNG picture")]
#[case::empty(vec![], "it is empty")]
#[case::header_only(b"glTF\x02\0\0\0\xff\xff\xff\xff".to_vec(), "is cut short")]
fn a_broken_file_gets_a_sentence_with_its_name(#[case] bytes: Vec<u8>, #[case] fault: &str) {
    let error = glb::read("wreck.glb", &bytes).unwrap_err().to_string();
    assert!(
        error.contains("wreck.glb") && error.contains(fault),
        "{error}"
    );
}

#[test]
fn what_is_left_out_is_said() {
    let bytes = edited(|json, _| {
        json["meshes"][0]["primitives"][0]["targets"] = json!([{ "POSITION": 0 }]);
        json["cameras"] = json!([{ "type": "perspective" }, { "type": "orthographic" }]);
        json["extensions"] = json!({ "KHR_lights_punctual": { "lights": [{ "type": "point" }] } });
        let nodes = json["nodes"].as_array_mut().unwrap();
        nodes.push(json!({ "name": "stand", "children": [0] }));
        json["scenes"][0]["nodes"] = json!([json["nodes"].as_array().unwrap().len() - 1]);
    });
    let notes = glb::read("rig.glb", &bytes).unwrap().notes.join(" ");
    for said in [
        "Morph targets of 1 mesh",
        "2 cameras",
        "1 light ",
        "1 object in rig.glb hangs below",
    ] {
        assert!(notes.contains(said), "{said}: {notes}");
    }
}

#[test]
fn an_unknown_kind_of_file_says_what_to_drop() {
    let set = FileSet::new([("notes.txt", &b"hello"[..])]);
    let error = read(&set).unwrap_err();
    assert!(matches!(error, FormatError::NoMesh { .. }), "{error}");
}

#[test]
fn strips_and_fans_become_triangles() {
    for (mode, listed) in [(5, [0u16, 1, 3, 2, 0, 0]), (6, [0, 1, 2, 3, 0, 0])] {
        let bytes = edited(|j, bin| {
            j["meshes"][0]["primitives"][0]["mode"] = json!(mode);
            j["accessors"][3]["count"] = json!(4);
            let view = j["accessors"][3]["bufferView"].as_u64().unwrap() as usize;
            let at = j["bufferViews"][view]["byteOffset"].as_u64().unwrap() as usize;
            for (k, i) in listed.iter().enumerate() {
                bin[at + 2 * k..at + 2 * k + 2].copy_from_slice(&i.to_le_bytes());
            }
        });
        let mesh = glb::read("strip.glb", &bytes).unwrap().mesh;
        assert_eq!(mesh.triangle_count(), 2);
        for f in 0..2 {
            assert!(
                measure::area_vector(mesh.triangle(f)).z > 0.0,
                "mode {mode}"
            );
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]
    // A reader of hostile bytes may refuse, but never panics and never takes memory at their word.
    #[test]
    fn random_damage_never_panics(at in 0usize..1400, byte: u8, cut in 0usize..1400) {
        let mut bytes = glb::write(&quad_scene(Affine3A::IDENTITY), &glb::Naming::default()).unwrap();
        let at = at % bytes.len();
        bytes[at] = byte;
        let _ = glb::read("damaged.glb", &bytes);
        let _ = glb::read("short.glb", &bytes[..cut % bytes.len()]);
    }
}

#[test]
fn a_large_mesh_uses_wide_indices() {
    let scene = Scene::from(shapes::icosphere(1.0, 7));
    let back = glb::read(
        "b.glb",
        &glb::write(&scene, &glb::Naming::default()).unwrap(),
    )
    .unwrap();
    assert_eq!(back.mesh.triangle_count(), 20 * 4usize.pow(7));
    assert_eq!(back.mesh.points.len(), 10 * 4usize.pow(7) + 2);
}
