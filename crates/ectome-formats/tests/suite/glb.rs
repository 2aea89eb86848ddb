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
        &glb::Options {
            suffix: "_LOD2".into(),
            ..glb::Options::default()
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
    let bytes = glb::write(&quad_scene(Affine3A::IDENTITY), &glb::Options::default()).unwrap();
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
#[case::draco(edited(|j, _| {
    j["meshes"][0]["primitives"][0]["extensions"] = json!({ "KHR_draco_mesh_compression": { "bufferView": 0, "attributes": { "POSITION": 0 } } });
}), "the packed geometry of primitive 0 of hatch breaks off")]
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
        let mut bytes = glb::write(&quad_scene(Affine3A::IDENTITY), &glb::Options::default()).unwrap();
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
        &glb::write(&scene, &glb::Options::default()).unwrap(),
    )
    .unwrap();
    assert_eq!(back.mesh.triangle_count(), 20 * 4usize.pow(7));
    assert_eq!(back.mesh.points.len(), 10 * 4usize.pow(7) + 2);
}

/// A crane as other programs write it: an arm that carries a hook in a node of its own, a locator, a bolt used twice, once
/// mirrored, under a node that is itself scaled and turned.
fn crane() -> Scene {
    let mut builder = MeshBuilder::new();
    let turn = |a: f32, at: Vec3| Affine3A::from_rotation_translation(Quat::from_rotation_z(a), at);
    let squeezed = Affine3A::from_scale(Vec3::new(2.0, 0.5, 1.0));
    let mast = builder.node("mast", turn(0.3, Vec3::Y), None);
    let arm = builder.node("arm", turn(0.8, Vec3::X) * squeezed, Some(mast));
    let bolt = builder.node("bolt", turn(1.0, Vec3::Z), Some(arm));
    let flip = Affine3A::from_scale(Vec3::new(-1.0, 1.0, 1.0));
    let other = builder.node("bolt mirrored", flip * turn(-0.4, Vec3::X * 2.0), Some(arm));
    builder.node("hook here", turn(0.0, -Vec3::Y), Some(arm));
    let worlds: Vec<Affine3A> = {
        let local = [
            turn(0.3, Vec3::Y),
            turn(0.8, Vec3::X) * squeezed,
            turn(1.0, Vec3::Z),
            flip * turn(-0.4, Vec3::X * 2.0),
        ];
        let arm = local[0] * local[1];
        vec![local[0], arm, arm * local[2], arm * local[3]]
    };
    let mut ball = shapes::icosphere(0.3, 1);
    ball.points.iter_mut().for_each(|p| p.x += 0.4 * p.y * p.y);
    for (name, node, world) in [
        ("arm", arm, worlds[1]),
        ("bolt", bolt, worlds[2]),
        ("bolt mirrored", other, worlds[3]),
    ] {
        builder
            .part(name, world)
            .hang(Some(node))
            .primitive(Primitive {
                positions: ball.points.clone(),
                corners: ball
                    .corners
                    .iter()
                    .map(|&v| ball.vertex_point[v as usize])
                    .collect(),
                ..Primitive::default()
            });
    }
    Scene {
        copies: vec![ectome_formats::Copy {
            of: 1,
            part: 2,
            motion: worlds[3] * worlds[2].inverse(),
        }],
        ..Scene::from(builder.finish())
    }
}

fn json_of(glb: &[u8]) -> Value {
    let size = u32::from_le_bytes(glb[12..16].try_into().unwrap()) as usize;
    serde_json::from_slice(&glb[20..20 + size]).unwrap()
}

/// Node for node: names, parents, frames, and a mesh that two nodes share stays one mesh.
#[test]
fn the_tree_comes_back_where_it_is_asked_for() {
    let scene = crane();
    let naming = glb::Options {
        hierarchy: true,
        ..glb::Options::default()
    };
    let bytes = glb::write(&scene, &naming).unwrap();
    let json = json_of(&bytes);
    assert_eq!(json["meshes"].as_array().unwrap().len(), 2);
    assert_eq!(json["nodes"].as_array().unwrap().len(), 5);
    assert_eq!(json["scenes"][0]["nodes"], json!([0]));
    let back = glb::read("crane.glb", &bytes).unwrap();
    assert_eq!(back.copies.len(), 1);
    assert_eq!(back.mesh.nodes.len(), 5);
    for (a, b) in back.mesh.nodes.iter().zip(&scene.mesh.nodes) {
        assert_eq!((&a.name, a.parent), (&b.name, b.parent));
        assert!(a.local.abs_diff_eq(b.local, 1e-5), "{}", a.name);
    }
    for (p, q) in back.mesh.parts.iter().zip(&scene.mesh.parts) {
        assert_eq!((&p.name, p.node), (&q.name, q.node));
        assert!(p.frame.abs_diff_eq(q.frame, 1e-4), "{}", p.name);
    }
    let (a, b) = (measure::bounds(&back.mesh), measure::bounds(&scene.mesh));
    assert!(a.min.distance(b.min) < 1e-4 && a.max.distance(b.max) < 1e-4);
    assert!((measure::volume(&back.mesh) - measure::volume(&scene.mesh)).abs() < 1e-4);
    // Not asked for, everything stands beside everything and is where it was.
    let flat = glb::read(
        "crane.glb",
        &glb::write(&scene, &glb::Options::default()).unwrap(),
    )
    .unwrap();
    assert!(flat.mesh.nodes.is_empty());
    assert!(measure::bounds(&flat.mesh).max.distance(b.max) < 1e-4);
}

/// What was left out leaves no empty node behind, a split object hangs below the node of the whole, and a locator stays.
#[test]
fn nodes_follow_what_becomes_of_their_objects() {
    let mut scene = crane();
    let part = scene.mesh.part_of_faces();
    scene.mesh = ectome_mesh::edit::kept(&scene.mesh, |f| part[f] != 1);
    // The other bolt falls apart in two.
    let half = scene.mesh.face_count() - 40;
    let mut parts = scene.mesh.parts.clone();
    parts.push(ectome_mesh::Part {
        name: "bolt mirrored 2".into(),
        ..parts[2].clone()
    });
    let of = scene.mesh.part_of_faces();
    scene.mesh =
        ectome_mesh::edit::regrouped(&scene.mesh, parts, |f| if f >= half { 3 } else { of[f] });
    let naming = glb::Options {
        hierarchy: true,
        ..glb::Options::default()
    };
    let json = json_of(&glb::write(&scene, &naming).unwrap());
    let names: Vec<&str> = json["nodes"]
        .as_array()
        .unwrap()
        .iter()
        .map(|n| n["name"].as_str().unwrap())
        .collect();
    assert!(
        !names.contains(&"bolt") && names.contains(&"hook here"),
        "{names:?}"
    );
    let whole = json["nodes"]
        .as_array()
        .unwrap()
        .iter()
        .find(|n| n["name"] == "bolt mirrored" && n["children"].is_array());
    assert_eq!(whole.unwrap()["children"].as_array().unwrap().len(), 2);
}

/// Another unit and axis turn the tree with its objects.
#[test]
fn a_tree_in_another_unit_holds_its_objects_still() {
    let scene = crane();
    let space = ectome_formats::Space {
        unit_m: 0.01,
        up: ectome_formats::Up::Z,
    };
    let turned = Scene {
        mesh: space.applied(&scene.mesh),
        ..Scene::default()
    };
    let naming = glb::Options {
        hierarchy: true,
        ..glb::Options::default()
    };
    let back = glb::read("crane.glb", &glb::write(&turned, &naming).unwrap()).unwrap();
    let (a, b) = (measure::bounds(&back.mesh), measure::bounds(&turned.mesh));
    assert!(a.min.distance(b.min) < 1e-6 && a.max.distance(b.max) < 1e-6);
    for (p, q) in back.mesh.parts.iter().zip(&turned.mesh.parts) {
        assert!(p.frame.abs_diff_eq(q.frame, 1e-4), "{}", p.name);
    }
}
