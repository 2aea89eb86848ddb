//! A scene through every format that is written and read, and STL and zip in.

use ectome_formats::{
    FileSet, FormatError, Reading, Scene, archive, glb, gltf, obj_write, ply_write, read,
};
use ectome_mesh::{MeshBuilder, Primitive, measure, topology::Topology};
use glam::{Affine3A, Vec2, Vec3};
use rstest::rstest;
use serde_json::json;
use std::io::Write;

/// Two named parts, three materials, a seam, a quad and a pentagon.
fn scene(polygons: bool) -> Scene {
    let mut builder = MeshBuilder::new();
    let ring = |n: u32, x: f32| -> (Vec<Vec3>, Vec<Vec2>) {
        (0..n)
            .map(|i| {
                let (s, c) = (std::f32::consts::TAU * i as f32 / n as f32).sin_cos();
                let uv = Vec2::new(0.3 + 0.2 * c, 0.4 + 0.217 * s);
                (Vec3::new(c + x, s * 1.3, 0.1 * c), uv)
            })
            .unzip()
    };
    let mut add = |n: u32, x: f32, material: u32| {
        let (positions, uvs) = ring(n, x);
        let fan: Vec<u32> = (1..n - 1).flat_map(|k| [0, k, k + 1]).collect();
        builder.primitive(Primitive {
            normals: vec![Vec3::Z; n as usize],
            uv_sets: vec![uvs],
            corners: if polygons { (0..n).collect() } else { fan },
            face_sizes: if polygons { vec![n] } else { Vec::new() },
            positions,
            material: Some(material),
            ..Primitive::default()
        });
    };
    add(4, 0.0, 0);
    add(5, 3.0, 1);
    let mut scene = Scene::from(builder.finish());
    scene.mesh = {
        let parts = vec![
            ectome_mesh::Part::new("upper deck", Affine3A::IDENTITY),
            ectome_mesh::Part::new("keel", Affine3A::IDENTITY),
        ];
        let quad = if polygons { 1 } else { 2 };
        ectome_mesh::edit::regrouped(&scene.mesh, parts, |f| u32::from(f >= quad))
    };
    scene.library.materials = vec![json!({"name": "oak"}), json!({"name": "copper sheet"})];
    scene
}

fn names(scene: &Scene) -> Vec<(String, usize, Vec<String>)> {
    let counts = scene.mesh.triangles_per_part();
    scene
        .mesh
        .parts
        .iter()
        .enumerate()
        .map(|(p, part)| {
            let runs = scene.mesh.runs.iter().filter(|r| r.part as usize == p);
            let materials = runs.filter_map(|r| r.material);
            let names = materials
                .map(|m| scene.library.name(m).to_owned())
                .collect();
            (part.name.clone(), counts[p], names)
        })
        .collect()
}

fn through_obj(scene: &Scene) -> Scene {
    let files = obj_write::write(scene, "part").unwrap();
    read(&FileSet::new(
        files.iter().map(|(n, b)| (n.as_str(), &b[..])),
    ))
    .unwrap()
}

fn through_ply(scene: &Scene) -> Scene {
    let bytes = ply_write::write(scene).unwrap();
    read(&FileSet::new([("part.ply", &bytes[..])])).unwrap()
}

fn through_glb(scene: &Scene) -> Scene {
    glb::read(
        "part.glb",
        &glb::write(scene, &glb::Options::default()).unwrap(),
    )
    .unwrap()
}

/// Each vertex of `a` has one of `b` with the same place and, to 1e-6, the same UV.
fn assert_same(a: &Scene, b: &Scene) {
    assert_eq!(names(a), names(b));
    assert_eq!(a.mesh.vertex_count(), b.mesh.vertex_count());
    assert_eq!(a.mesh.points.len(), b.mesh.points.len());
    assert_eq!(a.mesh.quads_and_ngons(), b.mesh.quads_and_ngons());
    for v in 0..a.mesh.vertex_count() as u32 {
        let (p, uv) = (a.mesh.position(v), a.mesh.uv_sets[0][v as usize]);
        let found = (0..b.mesh.vertex_count() as u32).any(|w| {
            let off = (b.mesh.uv_sets[0][w as usize] - uv).abs().max_element();
            b.mesh.position(w) == p && off <= 1e-6
        });
        assert!(found, "vertex {v} at {p} is not there any more");
    }
}

#[test]
fn glb_to_obj_to_ply_to_glb_keeps_counts_names_and_uvs() {
    let first = through_glb(&scene(false));
    let last = through_glb(&through_ply(&through_obj(&first)));
    assert_same(&first, &last);
}

#[test]
fn polygons_survive_obj_and_ply() {
    let first = scene(true);
    assert_eq!(first.mesh.quads_and_ngons(), (1, 1));
    assert_same(&first, &through_ply(&through_obj(&first)));
}

#[test]
fn demo_like_names_with_blanks_survive() {
    let back = through_obj(&scene(true));
    assert_eq!(back.mesh.parts[0].name, "upper deck");
    assert_eq!(back.library.name(1), "copper sheet");
}

/// A tetrahedron as text, two solids.
fn stl_text() -> String {
    let solid = |name: &str, x: f32| {
        let p = [[0., 0., 0.], [1., 0., 0.], [0., 1., 0.], [0., 0., 1.]];
        let faces = [[0, 2, 1], [0, 1, 3], [1, 2, 3], [0, 3, 2]];
        let mut out = format!("solid {name}\n");
        for f in faces {
            out += "  facet normal 0 0 0\n    outer loop\n";
            for i in f {
                let [a, b, c]: [f32; 3] = p[i];
                out += &format!("      vertex {} {b} {c}\n", a + x);
            }
            out += "    endloop\n  endfacet\n";
        }
        out + &format!("endsolid {name}\n")
    };
    solid("left lamp", 0.0) + &solid("right lamp", 5.0)
}

fn stl_binary(head: &[u8]) -> Vec<u8> {
    let mut out = head.to_vec();
    out.resize(80, b' ');
    out.extend(4u32.to_le_bytes());
    let p = [[0., 0., 0.], [1., 0., 0.], [0., 1., 0.], [0., 0., 1f32]];
    for f in [[0, 2, 1], [0, 1, 3], [1, 2, 3], [0, 3, 2]] {
        out.extend([0u8; 12]);
        f.iter()
            .flat_map(|&i: &usize| p[i])
            .for_each(|v| out.extend(v.to_le_bytes()));
        out.extend([0, 0]);
    }
    out
}

#[rstest]
#[case::tab("solid\tpart")]
#[case::nothing("solid")]
#[case::indented("  solid part")]
fn a_text_stl_is_known_whatever_follows_its_first_word(#[case] first: &str) {
    let text = stl_text();
    let rest = text.split_once('\n').unwrap().1;
    let text = format!("{first}\n{rest}");
    let set = FileSet::new([("a.stl", text.as_bytes())]);
    let plain = stl_text();
    let plain = FileSet::new([("a.stl", plain.as_bytes())]);
    let count = |set| read(&set).unwrap().mesh.triangle_count();
    assert_eq!(count(set), count(plain));
}

#[test]
fn every_solid_of_a_text_is_an_object() {
    let scene = read(&FileSet::new([("lamps.stl", stl_text().as_bytes())])).unwrap();
    let parts: Vec<&str> = scene.mesh.parts.iter().map(|p| p.name.as_str()).collect();
    assert_eq!(parts, ["left lamp", "right lamp"]);
    assert_eq!(scene.mesh.triangles_per_part(), [4, 4]);
    let t = Topology::of(&scene.mesh);
    assert_eq!(
        (t.open_edges, t.components, t.euler_characteristic),
        (0, 2, 4)
    );
    assert!((measure::volume(&scene.mesh) - 2.0 / 6.0).abs() < 1e-6);
}

#[rstest]
#[case::plain(b"made by hand")]
#[case::looks_like_text(b"solid but binary all the same")]
fn a_binary_stl_is_known_by_its_size(#[case] head: &[u8]) {
    let bytes = stl_binary(head);
    let scene = read(&FileSet::new([("lamp.stl", &bytes[..])])).unwrap();
    assert_eq!(scene.mesh.parts[0].name, "lamp");
    assert_eq!((scene.mesh.face_count(), scene.mesh.points.len()), (4, 4));
    let cut = &bytes[..bytes.len() - 7];
    let error = read(&FileSet::new([("lamp.stl", cut)]))
        .unwrap_err()
        .to_string();
    assert!(error.contains("lamp.stl"), "{error}");
}

/// A glTF as text with its buffer in a file of its own.
fn loose_gltf() -> (String, Vec<u8>) {
    let bytes = glb::write(&scene(false), &glb::Options::default()).unwrap();
    let json_size = u32::from_le_bytes(bytes[12..16].try_into().unwrap()) as usize;
    let mut json: serde_json::Value = serde_json::from_slice(&bytes[20..20 + json_size]).unwrap();
    json["buffers"][0]["uri"] = json!("keel%20data.bin");
    (json.to_string(), bytes[28 + json_size..].to_vec())
}

#[test]
fn a_gltf_with_its_files_is_the_glb_again() {
    let (json, bin) = loose_gltf();
    assert_eq!(gltf::references(json.as_bytes()), ["keel data.bin"]);
    let files = [("keel.gltf", json.as_bytes()), ("keel data.bin", &bin[..])];
    assert_same(
        &through_glb(&scene(false)),
        &read(&FileSet::new(files)).unwrap(),
    );
    let alone = read(&FileSet::new([("keel.gltf", json.as_bytes())])).unwrap_err();
    assert!(alone.to_string().contains("keel data.bin"), "{alone}");
}

fn zipped(files: &[(&str, &[u8])]) -> Vec<u8> {
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for (name, bytes) in files {
        zip.start_file(*name, zip::write::SimpleFileOptions::default())
            .unwrap();
        zip.write_all(bytes).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

#[test]
fn a_zip_is_read_by_what_is_in_it() {
    let (json, bin) = loose_gltf();
    let bytes = zipped(&[
        ("__MACOSX/._keel.gltf", b"rubbish"),
        ("props/keel.gltf", json.as_bytes()),
        ("other/keel data.bin", b"not this one"),
        ("props/keel data.bin", &bin),
    ]);
    let scene = read(&FileSet::new([("keel.zip", &bytes[..])])).unwrap();
    assert_eq!(scene.mesh.parts.len(), 2);
    let none = zipped(&[("read me.txt", b"hello")]);
    let error = read(&FileSet::new([("keel.zip", &none[..])])).unwrap_err();
    assert!(matches!(error, FormatError::NoMesh { .. }), "{error}");
}

#[test]
fn a_zip_larger_than_the_limit_is_turned_down() {
    let bomb = zipped(&[("zeros.stl", &vec![0; 1 << 20][..])]);
    let limits = archive::Limits {
        bytes: 1 << 16,
        members: 8,
    };
    let error = archive::files("bomb.zip", &bomb, limits, &Reading::default())
        .unwrap_err()
        .to_string();
    assert!(error.contains("larger than 65536"), "{error}");
}
