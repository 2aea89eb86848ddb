//! PLY as text and in both byte orders, whole and broken.

use ectome_formats::{FileSet, Scene, read};
use rstest::rstest;

/// A square with colours, as in G. Turk's description of the format: comments, a quad and a triangle.
const TEXT: &str = "ply\nformat ascii 1.0\ncomment TextureFile Side.PNG\nelement vertex 5\n\
    property float x\nproperty float y\nproperty float z\nproperty float s\nproperty float t\n\
    property uchar red\nproperty uchar green\nproperty uchar blue\nelement face 2\n\
    property list uchar int vertex_indices\nend_header\n\
    0 0 0 0 0 255 0 0\n1 0 0 1 0 255 0 0\n1 1 0 1 1 255 0 0\n0 1 0 0 1 255 0 0\n2 0 0 1 0 0 188 0\n\
    4 0 1 2 3\n3 1 4 2\n";
const PNG: &[u8] = b"\x89PNG\r\n\x1a\n";

fn load(files: &[(&str, &[u8])]) -> Result<Scene, String> {
    read(&FileSet::new(files.iter().copied())).map_err(|e| e.to_string())
}

fn binary(little: bool) -> Vec<u8> {
    let order = if little { "little" } else { "big" };
    let mut out = format!(
        "ply\nformat binary_{order}_endian 1.0\nelement vertex 3\nproperty double x\nproperty double y\n\
         property double z\nproperty float nx\nproperty float ny\nproperty float nz\nelement face 1\n\
         property list uchar uint vertex_index\nproperty list uchar float texcoord\nproperty uchar flags\n\
         element edge 1\nproperty int vertex1\nproperty list uchar short marks\nend_header\n"
    )
    .into_bytes();
    let f64s = |out: &mut Vec<u8>, v: f64| {
        if little {
            out.extend(v.to_le_bytes())
        } else {
            out.extend(v.to_be_bytes())
        }
    };
    let f32s = |out: &mut Vec<u8>, v: f32| {
        if little {
            out.extend(v.to_le_bytes())
        } else {
            out.extend(v.to_be_bytes())
        }
    };
    for p in [[0.0, 0.0, 0.0], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0]] {
        p.iter().for_each(|&v| f64s(&mut out, v));
        [0.0, 0.0, 1.0].iter().for_each(|&v| f32s(&mut out, v));
    }
    out.push(3);
    for v in [0u32, 1, 2] {
        out.extend(if little {
            v.to_le_bytes()
        } else {
            v.to_be_bytes()
        });
    }
    out.push(6);
    [0.0, 0.0, 1.0, 0.0, 0.0, 1.0]
        .iter()
        .for_each(|&v| f32s(&mut out, v));
    out.push(7);
    out.extend([0; 4]);
    out.push(2);
    out.extend([0; 4]);
    out
}

#[test]
fn text_with_quads_colours_and_a_texture_arrives() {
    let scene = load(&[("side.ply", TEXT.as_bytes()), ("side.png", PNG)]).unwrap();
    let mesh = &scene.mesh;
    assert!(scene.notes.is_empty(), "{:?}", scene.notes);
    assert_eq!((mesh.face_count(), mesh.triangle_count()), (2, 3));
    assert_eq!((mesh.points.len(), mesh.quads_and_ngons()), (5, (1, 0)));
    assert_eq!(mesh.parts[0].name, "side");
    assert_eq!(scene.library.base_colour_image(0), Some((0, 0)));
    // sRGB 188 is linear 0.503 (IEC 61966-2-1); v counts from the top in a scene.
    let green = mesh.colours.iter().find(|c| c.y > 0.0).unwrap();
    assert!((green.y - 0.503).abs() < 0.002, "{green}");
    assert!(mesh.uv_sets[0].contains(&glam::Vec2::new(0.0, 1.0)));
}

#[rstest]
fn both_byte_orders_normals_and_corner_uvs_arrive(#[values(true, false)] little: bool) {
    let scene = load(&[("tile.ply", &binary(little))]).unwrap();
    let mesh = &scene.mesh;
    assert_eq!((mesh.face_count(), mesh.points.len()), (1, 3));
    assert_eq!(mesh.normals, [glam::Vec3::Z; 3]);
    assert!(mesh.uv_sets[0].contains(&glam::Vec2::new(1.0, 1.0)));
}

#[test]
fn a_texture_that_did_not_come_is_noted() {
    let scene = load(&[("side.ply", TEXT.as_bytes())]).unwrap();
    assert!(scene.notes[0].contains("Side.PNG"), "{:?}", scene.notes);
}

#[rstest]
#[case::cut_short(&TEXT[..TEXT.len() - 8], "cut short in face 2 of 2")]
#[case::no_header("ply\nformat ascii 1.0\nelement vertex", "header")]
#[case::word(
    "ply\nformat ascii 1.0\nelement vertex many\nend_header\n",
    "its header: the line \u{201c}element vertex many\u{201d} cannot be understood."
)]
#[case::not_ply("solid nothing\n", "does not begin with the word ply")]
#[case::index(&TEXT.replace("3 1 4 2", "3 1 9 2"), "refers to vertex 9, but there are only 5")]
#[case::below_zero(&TEXT.replace("3 1 4 2", "3 1 -1 2"), "only 5")]
#[case::not_finite(&TEXT.replace("2 0 0 1 0 0", "nan 0 0 1 0 0"), "vertex 5")]
#[case::points_only(&TEXT.replace("element face 2", "element face 0"), "holds no triangles")]
#[case::huge_count(&TEXT.replace("element face 2", "element face 4000000000"), "lists 4000000000 rows of face")]
#[case::strips(&TEXT.replace("element face", "element tristrips"), "triangle strips")]
fn broken_files_get_a_sentence(#[case] text: &str, #[case] fault: &str) {
    let error = load(&[("wreck.ply", text.as_bytes())]).unwrap_err();
    assert!(
        error.contains("wreck.ply") && format!("{error}.").contains(fault),
        "{error}"
    );
    assert!(
        !error.contains("ParseError") && !error.contains('\t'),
        "{error}"
    );
}

#[test]
fn a_list_that_claims_more_than_the_file_holds_takes_no_memory() {
    let mut bytes = b"ply\nformat binary_little_endian 1.0\nelement vertex 0\nproperty float x\n\
        element face 1\nproperty list uint int vertex_indices\nend_header\n"
        .to_vec();
    bytes.extend(u32::MAX.to_le_bytes());
    bytes.extend([0; 8]);
    let error = load(&[("claims.ply", &bytes)]).unwrap_err();
    assert!(error.contains("cut short"), "{error}");
}
