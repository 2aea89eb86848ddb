//! What MTL can say of materials, written and read back.

use std::io::Cursor;

use ectome_formats::{FileSet, FormatError, Image, Library, Scene, obj_write, read};
use ectome_mesh::{MeshBuilder, Primitive};
use glam::{Affine3A, Vec2, Vec3, Vec4};
use image::{DynamicImage, Rgb, Rgba};
use rstest::rstest;
use serde_json::{Value, json};

fn png(name: &str, picture: DynamicImage) -> Image {
    let mut bytes = Cursor::new(Vec::new());
    picture
        .write_to(&mut bytes, image::ImageFormat::Png)
        .unwrap();
    Image {
        name: name.to_owned(),
        mime: "image/png".to_owned(),
        bytes: bytes.into_inner(),
    }
}

/// A square under a material; pictures 0 a leaf whose left half is clear, 1 light, 2 roughness and metalness.
fn square(material: Value) -> Scene {
    let corners = [Vec2::ZERO, Vec2::X, Vec2::ONE, Vec2::Y];
    let mut builder = MeshBuilder::new();
    builder
        .part("leaf", Affine3A::IDENTITY)
        .primitive(Primitive {
            positions: corners.map(|c| Vec3::new(c.x, c.y, 0.0)).to_vec(),
            uv_sets: vec![corners.to_vec(), corners.map(|c| c * 0.5).to_vec()],
            corners: vec![0, 1, 2, 0, 2, 3],
            material: Some(0),
            ..Primitive::default()
        });
    let leaf = image::RgbaImage::from_fn(8, 8, |x, _| {
        Rgba([200, 100, 50, if x < 4 { 60 } else { 255 }])
    });
    let light = image::RgbImage::from_pixel(4, 4, Rgb([10, 20, 30]));
    let surface = image::RgbImage::from_pixel(4, 4, Rgb([0, 70, 180]));
    Scene {
        library: Library {
            materials: vec![material],
            textures: (0..3).map(|i| json!({ "source": i })).collect(),
            images: vec![
                png("leaf", leaf.into()),
                png("light", light.into()),
                png("surface", surface.into()),
            ],
            ..Library::default()
        },
        ..Scene::from(builder.finish())
    }
}

fn back(scene: &Scene) -> Result<Scene, FormatError> {
    let files = obj_write::write(scene, "leaf").unwrap();
    let files = FileSet::new(files.iter().map(|(n, b)| (n.as_str(), &b[..])));
    read(&files)
}

/// The texel of a slot at a place of its picture.
fn texel(scene: &Scene, slot: &Value, x: u32, y: u32) -> [u8; 4] {
    let texture = &scene.library.textures[slot["index"].as_u64().unwrap() as usize];
    let image = &scene.library.images[texture["source"].as_u64().unwrap() as usize];
    let picture = image::load_from_memory(&image.bytes).unwrap().into_rgba8();
    picture.get_pixel(x, y).0
}

/// Cut out, with a tint: black and white opacity, the tint in the picture.
#[test]
fn a_cut_out_stays_one() {
    let scene = square(
        json!({ "name": "leaf", "alphaMode": "MASK", "alphaCutoff": 0.5,
        "pbrMetallicRoughness": { "baseColorTexture": { "index": 0 }, "baseColorFactor": [1.0, 0.5, 1.0, 1.0] } }),
    );
    let back = back(&scene).unwrap();
    let m = &back.library.materials[0];
    assert_eq!(m["alphaMode"], "MASK");
    let base = &m["pbrMetallicRoughness"]["baseColorTexture"];
    assert_eq!(texel(&back, base, 1, 1)[3], 0);
    // Half of 100 coded as sRGB (IEC 61966-2-1), .127 linear, is 71.
    let [r, g, b, a] = texel(&back, base, 6, 1);
    assert_eq!((r, b, a), (200, 50, 255));
    assert!(g.abs_diff(71) <= 1, "{g}");
}

#[test]
fn what_is_blended_stays_so() {
    let scene = square(json!({ "name": "pane", "alphaMode": "BLEND",
        "pbrMetallicRoughness": { "baseColorTexture": { "index": 0 } } }));
    // One texel in two is between black and white.
    let back = back(&scene).unwrap();
    assert_eq!(back.library.materials[0]["alphaMode"], "BLEND");
    let base = &back.library.materials[0]["pbrMetallicRoughness"]["baseColorTexture"];
    assert_eq!(texel(&back, base, 1, 1)[3], 60);
    // What glTF calls opaque is, whatever its picture says.
    let mut opaque = square(
        json!({ "pbrMetallicRoughness": { "baseColorTexture": { "index": 0 }, "baseColorFactor": [1.0, 1.0, 1.0, 0.2] } }),
    );
    opaque.library.materials[0]["name"] = json!("board");
    let files = obj_write::write(&opaque, "board").unwrap();
    let mtl = String::from_utf8(files[1].1.clone()).unwrap();
    assert!(!mtl.contains("\nd ") && !mtl.contains("map_d"), "{mtl}");
}

#[test]
fn light_roughness_and_metalness_come_through() {
    let scene = square(
        json!({ "name": "lamp", "emissiveTexture": { "index": 1 }, "emissiveFactor": [1.0, 0.5, 0.25],
        "extensions": { "KHR_materials_emissive_strength": { "emissiveStrength": 3.0 } },
        "pbrMetallicRoughness": { "metallicRoughnessTexture": { "index": 2 }, "roughnessFactor": 0.5, "metallicFactor": 1.0 } }),
    );
    let back = back(&scene).unwrap();
    let m = &back.library.materials[0];
    assert_eq!(m["emissiveFactor"], json!([1.0, 0.5, 0.25]));
    assert_eq!(
        m["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"],
        json!(3.0)
    );
    assert_eq!(texel(&back, &m["emissiveTexture"], 0, 0)[..3], [10, 20, 30]);
    let pbr = &m["pbrMetallicRoughness"];
    assert_eq!(
        (&pbr["roughnessFactor"], &pbr["metallicFactor"]),
        (&json!(0.5), &json!(1.0))
    );
    assert_eq!(
        texel(&back, &pbr["metallicRoughnessTexture"], 0, 0)[1..3],
        [70, 180]
    );
}

/// A texture transform and a second UV set are in the UVs that are written.
#[rstest]
#[case::moved(json!({ "index": 0, "extensions": { "KHR_texture_transform": { "scale": [2.0, 3.0], "offset": [0.25, 0.5] } } }), Vec2::new(2.25, 3.5))]
#[case::another_set(json!({ "index": 0, "texCoord": 1 }), Vec2::splat(0.5))]
fn uvs_are_written_as_pictures_lie(#[case] slot: Value, #[case] far: Vec2) {
    let scene =
        square(json!({ "name": "leaf", "pbrMetallicRoughness": { "baseColorTexture": slot } }));
    let back = back(&scene).unwrap();
    let at = (0..4)
        .find(|&v| back.mesh.position(v) == Vec3::new(1.0, 1.0, 0.0))
        .unwrap();
    let uv = back.mesh.uv_sets[0][at as usize];
    assert!(uv.distance(far) < 1e-6, "{uv}");
}

#[test]
fn two_materials_of_one_name_stay_two() {
    let mut scene = square(
        json!({ "name": "paint", "pbrMetallicRoughness": { "baseColorFactor": [1.0, 0.0, 0.0, 1.0] } }),
    );
    scene.library.materials.push(json!({ "name": "paint", "pbrMetallicRoughness": { "baseColorFactor": [0.0, 0.0, 1.0, 1.0] } }));
    let mut second = scene.mesh.runs[0].clone();
    scene.mesh.runs[0].faces = 0..1;
    second.faces = 1..2;
    second.material = Some(1);
    scene.mesh.runs.push(second);
    let back = back(&scene).unwrap();
    assert_eq!(back.library.materials.len(), 2);
    let colours: Vec<[f32; 4]> = (0..2).map(|m| back.library.base_colour(m)).collect();
    assert_eq!(colours, [[1.0, 0.0, 0.0, 1.0], [0.0, 0.0, 1.0, 1.0]]);
}

/// Vertex colours stand behind the position (common practice, no published source).
#[test]
fn vertex_colours_come_through() {
    let mut scene = square(json!({ "name": "paint" }));
    scene.mesh.colours = vec![Vec4::new(0.25, 0.5, 0.75, 1.0); 4];
    scene.mesh.runs[0].channels.colours = true;
    let back = back(&scene).unwrap();
    assert!(back.mesh.runs.iter().all(|r| r.channels.colours));
    let colour = back.mesh.colours[0];
    assert!(
        (colour - Vec4::new(0.25, 0.5, 0.75, 1.0))
            .abs()
            .max_element()
            < 1e-3,
        "{colour}"
    );
}

/// As other writers leave them: options before the file, a picture of opacity that is not there, figures that are none.
#[test]
fn what_other_writers_leave_is_read() {
    let scene = square(json!({ "name": "x" }));
    let mut files = obj_write::write(&scene, "leaf").unwrap();
    files[1].1 = b"newmtl x\nKd 1 1 1\nmap_Kd -s 1 1 1 leaf.png\nmap_d gone.png\nKe nan 0 0\nPr rough\nPm 7\nmap_Ke leaf.png\n".to_vec();
    files.push(("leaf.png".to_owned(), scene.library.images[0].bytes.clone()));
    let files = FileSet::new(files.iter().map(|(n, b)| (n.as_str(), &b[..])));
    let back = read(&files).unwrap();
    let m = &back.library.materials[0];
    assert_eq!(back.library.images.len(), 1, "one picture, used twice");
    assert_eq!(m["emissiveFactor"], json!([1.0, 1.0, 1.0]));
    assert_eq!(m["pbrMetallicRoughness"]["metallicFactor"], json!(1.0));
    assert!(
        back.notes
            .iter()
            .any(|n| n.contains("gone.png was not dropped")),
        "{:?}",
        back.notes
    );
}
