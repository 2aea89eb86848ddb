//! A scene with its maps as glTF textures: one material that uses them all.

use ectome_formats::{Image, Library, Scene};
use ectome_mesh::edit;
use serde_json::{Value, json};

use super::{Kind, Maps, on_sheet, pack::together};
use crate::sheets::{SHEET, sheet_of};

/// The scene with the maps in the places that glTF 2.0 has for them: base colour, normal, occlusion, roughness and metalness
/// packed into one picture, emissive; and with the normals that were set for them. Every face gets the one material of its sheet. What glTF has no place for stays a file of
/// its own.
#[must_use]
pub fn dressed(mut scene: Scene, maps: &Maps, sheets: u32) -> Scene {
    let mut library = Library {
        samplers: vec![json!({ "magFilter": 9729, "minFilter": 9987 })],
        ..Library::default()
    };
    for sheet in 0..sheets {
        let material = material(&mut library, maps, sheet);
        library.materials.push(material);
    }
    scene.library = library;
    if !maps.normals.is_empty() {
        scene.mesh.normals = maps.normals.clone();
        let runs = &mut scene.mesh.runs;
        runs.iter_mut().for_each(|r| r.channels.normals = true);
    }
    if sheets < 2 {
        let runs = &mut scene.mesh.runs;
        runs.iter_mut().for_each(|r| r.material = Some(0));
        return scene;
    }
    let parts = scene.mesh.parts.clone();
    let part = scene.mesh.part_of_faces();
    scene.mesh = edit::rearranged(&scene.mesh, parts, |f| {
        (part[f], Some(sheet_of(&scene.mesh, f, sheets)))
    });
    scene
}

/// The material of a sheet, its pictures and textures in the library.
fn material(library: &mut Library, maps: &Maps, sheet: u32) -> Value {
    let mut material = json!({ "name": "baked", "pbrMetallicRoughness": {} });
    if sheet > 0 {
        material["name"] = json!(format!("baked sheet {}", sheet + 1));
        material["extras"] = json!({ SHEET: sheet + 1 });
    }
    let mut add = |name: &str, bytes: Vec<u8>| -> Value {
        library.images.push(Image {
            name: on_sheet(name, sheet),
            mime: "image/png".to_owned(),
            bytes,
        });
        let texture = json!({ "sampler": 0, "source": library.images.len() - 1 });
        library.textures.push(texture);
        json!({ "index": library.textures.len() - 1 })
    };
    let of = |kind: Kind| {
        let mut files = maps.files.iter();
        let found = files.find(|f| f.kind == kind && f.sheet == sheet);
        found.map(|f| &f.bytes)
    };
    if let Some(bytes) = of(Kind::BaseColour) {
        material["pbrMetallicRoughness"]["baseColorTexture"] = add("base_colour", bytes.clone());
    }
    if let Some(bytes) = of(Kind::Normal) {
        material["normalTexture"] = add("normal", bytes.clone());
    }
    if let Some(bytes) = of(Kind::Emissive) {
        material["emissiveTexture"] = add("emissive", bytes.clone());
        material["emissiveFactor"] = json!([1.0, 1.0, 1.0]);
    }
    let packed = [Kind::Occlusion, Kind::Roughness, Kind::Metalness].map(of);
    let [occlusion, roughness, metalness] = packed;
    let channels = packed.map(|p| p.map(Vec::as_slice));
    if packed.iter().any(Option::is_some)
        && let Some(bytes) = together([channels[0], channels[1], channels[2], None], 255, false)
    {
        let texture = add("occlusion_roughness_metalness", bytes);
        if occlusion.is_some() {
            material["occlusionTexture"] = texture.clone();
        }
        if roughness.is_some() || metalness.is_some() {
            material["pbrMetallicRoughness"]["metallicRoughnessTexture"] = texture;
        }
    }
    let pbr = &mut material["pbrMetallicRoughness"];
    pbr["metallicFactor"] = json!(if metalness.is_some() { 1.0 } else { 0.0 });
    pbr["roughnessFactor"] = json!(if roughness.is_some() { 1.0 } else { 0.8 });
    material
}
