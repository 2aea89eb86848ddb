//! OBJ with its companions, whole and broken.

use ectome_formats::{FileSet, Scene, read};
use rstest::rstest;

const CUBE_SIDE: &str = "mtllib side.mtl\no panel\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 2 0 0\nv 2 1 0\n\
    vt 0 0\nvt 0.5 0\nvt 0.5 1\nvt 0 1\nvt 1 0\nvt 1 1\nvn 0 0 1\nusemtl paint\n\
    f 1/1/1 2/2/1 3/3/1 4/4/1\no strip\nf 2/2/1 5/5/1 6/6/1\nf 2/2/1 6/6/1 3/3/1\n";
const MTL: &str = "newmtl paint\nKd 0.5 0.5 0.5\nmap_Kd textures\\Side.PNG\n";
const PNG: &[u8] = b"\x89PNG\r\n\x1a\n";

fn load(files: &[(&str, &[u8])]) -> Result<Scene, String> {
    read(&FileSet::new(files.iter().copied())).map_err(|e| e.to_string())
}

#[test]
fn objects_quads_materials_and_textures_arrive() {
    let scene = load(&[
        ("side.obj", CUBE_SIDE.as_bytes()),
        ("side.mtl", MTL.as_bytes()),
        ("side.png", PNG),
    ])
    .unwrap();
    let mesh = &scene.mesh;
    assert!(scene.notes.is_empty(), "{:?}", scene.notes);
    let names: Vec<&str> = mesh.parts.iter().map(|p| p.name.as_str()).collect();
    assert_eq!(names, ["panel", "strip"]);
    assert_eq!((mesh.face_count(), mesh.triangle_count()), (3, 4));
    assert_eq!(mesh.quads_and_ngons(), (1, 0));
    assert_eq!(mesh.points.len(), 6, "the objects share two points");
    assert_eq!(scene.library.base_colour_image(0), Some((0, 0)));
    // v counts from the top in a scene: the file's (0, 0) is (0, 1).
    assert!(mesh.uv_sets[0].contains(&glam::Vec2::new(0.0, 1.0)));
}

#[rstest]
#[case::no_mtl(&[], "side.mtl, which was not dropped")]
#[case::no_texture(&[("side.mtl", MTL.as_bytes())], "Side.PNG was not dropped")]
#[case::other_picture(&[("side.mtl", MTL.as_bytes()), ("side.png", b"BM....")], "neither PNG nor JPEG")]
fn what_is_missing_is_noted_and_the_mesh_arrives(
    #[case] others: &[(&str, &[u8])],
    #[case] note: &str,
) {
    let mut files = vec![("side.obj", CUBE_SIDE.as_bytes())];
    files.extend(others);
    let scene = load(&files).unwrap();
    assert_eq!(scene.mesh.triangle_count(), 4);
    assert!(
        scene.notes.iter().any(|n| n.contains(note)),
        "{:?}",
        scene.notes
    );
}

#[rstest]
#[case::missing_vertex("v 0 0 0\nv 1 0 0\nf 1 2 3\n", "a vertex that is not there")]
#[case::not_a_number("v 0 0 nan\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "not a finite number")]
#[case::half_a_line("v 0 0\n", "three numbers")]
#[case::nothing("# empty\n", "holds no triangles")]
fn a_broken_obj_gets_a_sentence(#[case] text: &str, #[case] fault: &str) {
    let error = load(&[("wreck.obj", text.as_bytes())]).unwrap_err();
    assert!(
        error.contains("wreck.obj") && error.contains(fault),
        "{error}"
    );
}

#[test]
fn a_picture_renamed_to_obj_is_found_out() {
    let error = load(&[("fake.obj", PNG)]).unwrap_err();
    assert!(
        error.contains("its content is an image/png picture"),
        "{error}"
    );
}

#[test]
fn sixteen_bit_text_and_empty_material_fields_are_read() {
    let text = "mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl tin\nf 1 2 3\n";
    let wide: Vec<u8> = std::iter::once(0xFEFF)
        .chain(text.encode_utf16())
        .flat_map(u16::to_le_bytes)
        .collect();
    let mtl = b"newmtl tin\nmap_Kd\nNs \nKd 0.5 0.5 0.5\n";
    let scene = read(&FileSet::new([("a.obj", &wide[..]), ("a.mtl", &mtl[..])])).unwrap();
    assert_eq!(scene.mesh.face_count(), 1);
    assert_eq!(scene.library.name(0), "tin");
}

// Found by changed files: numbers that reach back before the first entry wrapped around inside the parser.
#[rstest]
#[case("f 1 2 -4")]
#[case("f 1/-1 2/1 3/1")]
#[case("f 1 2 9223372036854775809")]
fn indices_out_of_any_reach_are_a_sentence(#[case] face: &str) {
    let text = format!("v 0 0 0\nv 1 0 0\nv 0 1 0\n{face}\n");
    let error = load(&[("a.obj", text.as_bytes())]).unwrap_err();
    assert!(error.contains("line 4"), "{error}");
    let fine = b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf -3 -2 -1\n";
    assert!(load(&[("a.obj", fine)]).is_ok());
}
