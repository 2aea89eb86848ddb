//! A scene with its maps as glTF textures: one material that uses them all.

use ectome_formats::{Image, Library, Scene};
use serde_json::{Value, json};

use super::{Kind, Maps};

/// The scene with the maps in the places that glTF 2.0 has for them: base colour, normal, occlusion, roughness and metalness
/// packed into one picture, emissive. Every face gets the one material. What glTF has no place for stays a file of its own.
#[must_use]
pub fn dressed(mut scene: Scene, maps: &Maps) -> Scene {
    let mut library = Library {
        samplers: vec![json!({ "magFilter": 9729, "minFilter": 9987 })],
        ..Library::default()
    };
    let mut material = json!({ "name": "baked", "pbrMetallicRoughness": {} });
    let mut add = |name: &str, bytes: Vec<u8>| -> Value {
        library.images.push(Image {
            name: name.to_owned(),
            mime: "image/png".to_owned(),
            bytes,
        });
        let texture = json!({ "sampler": 0, "source": library.images.len() - 1 });
        library.textures.push(texture);
        json!({ "index": library.textures.len() - 1 })
    };
    let of = |kind: Kind| maps.files.iter().find(|(k, _)| *k == kind).map(|(_, b)| b);
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
    if packed.iter().any(Option::is_some)
        && let Some(bytes) = pack(packed.map(|p| p.map(Vec::as_slice)))
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
    library.materials.push(material);
    scene.library = library;
    let runs = &mut scene.mesh.runs;
    runs.iter_mut().for_each(|r| r.material = Some(0));
    scene
}

/// Three grey pictures of one size as red, green and blue; white where one is not there. `None` when none can be read.
fn pack(channels: [Option<&[u8]>; 3]) -> Option<Vec<u8>> {
    let grey: Vec<Option<image::GrayImage>> = channels
        .iter()
        .map(|c| Some(image::load_from_memory((*c)?).ok()?.into_luma8()))
        .collect();
    let (w, h) = grey.iter().flatten().next()?.dimensions();
    let value = |k: usize, x, y| grey[k].as_ref().map_or(255, |g| g.get_pixel(x, y).0[0]);
    let rgba: Vec<u8> = (0..h)
        .flat_map(|y| (0..w).map(move |x| (x, y)))
        .flat_map(|(x, y)| [value(0, x, y), value(1, x, y), value(2, x, y), 255])
        .collect();
    Some(crate::picture::encode(w, h, &rgba))
}
