//! A scene with its maps as glTF textures: a material for each sheet and for each way in which surfaces are cut out, blended or seen from
//! both sides. They share the pictures of their sheet.

use std::collections::BTreeMap;

use ectome_formats::{Image, Library, Scene};
use ectome_mesh::edit;
use serde_json::{Value, json};

use super::{
    Kind, MapFile, Maps, on_sheet,
    pack::{Plane, together},
};
use crate::{
    materials::{self, Group},
    picture,
    sheets::{SHEET, sheet_of},
};

/// The scene with the maps in the places that glTF 2.0 has for them: base colour with opacity, normal, occlusion, roughness and metalness
/// packed into one picture, emissive; and with the normals that were set for them. What of the scene's own materials no texture can hold
/// stays: a leaf stays cut out, a pane blended. What glTF has no place for stays a file of its own.
#[must_use]
pub fn dressed(mut scene: Scene, maps: &Maps, sheets: u32) -> Scene {
    let groups = materials::groups_with_baked_light(&scene);
    let mesh = &scene.mesh;
    let (part, run) = (mesh.part_of_faces(), mesh.run_of_faces());
    let of_face = |f: usize| {
        let group = groups.of_material(mesh.runs[run[f] as usize].material);
        let sheet = if sheets < 2 {
            0
        } else {
            sheet_of(mesh, f, sheets)
        };
        (sheet, group)
    };
    let kinds: Vec<(u32, usize)> = (0..mesh.face_count()).map(of_face).collect();
    let mut library = Library {
        samplers: vec![json!({ "magFilter": 9729, "minFilter": 9987 })],
        ..Library::default()
    };
    let mut number: BTreeMap<(u32, usize), u32> = kinds.iter().map(|&kind| (kind, 0)).collect();
    for sheet in 0..sheets {
        let own: Vec<usize> = number
            .keys()
            .filter(|k| k.0 == sheet)
            .map(|k| k.1)
            .collect();
        if own.is_empty() {
            continue;
        }
        let worn = Worn::of(&mut library, maps, sheet);
        let mut names: Vec<String> = Vec::new();
        for group in own {
            number.insert((sheet, group), library.materials.len() as u32);
            let of = &groups.list[group];
            library.materials.push(worn.material(maps, of, &mut names));
        }
    }
    scene.library = library;
    let colours_are_baked = maps.of(Kind::BaseColour, 0).is_some();
    if !maps.normals.is_empty() {
        scene.mesh.normals = maps.normals.clone();
        let runs = &mut scene.mesh.runs;
        runs.iter_mut().for_each(|r| r.channels.normals = true);
    }
    if number.len() == 1 {
        let runs = &mut scene.mesh.runs;
        runs.iter_mut().for_each(|r| r.material = Some(0));
    } else {
        let parts = scene.mesh.parts.clone();
        scene.mesh = edit::rearranged(&scene.mesh, parts, |f| (part[f], Some(number[&kinds[f]])));
    }
    if colours_are_baked {
        // A renderer multiplies base colour with vertex colours: what a map holds must not be there a second time.
        scene.mesh.colours = Vec::new();
        let runs = &mut scene.mesh.runs;
        runs.iter_mut().for_each(|r| r.channels.colours = false);
    }
    scene
}

/// What all materials of a sheet wear.
struct Worn {
    sheet: u32,
    material: Value,
    kinds: Vec<Kind>,
}

impl Worn {
    /// Puts the pictures of a sheet into the library.
    fn of(library: &mut Library, maps: &Maps, sheet: u32) -> Self {
        let mut material = json!({ "pbrMetallicRoughness": {} });
        if sheet > 0 {
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
        let of = |kind: Kind| maps.of(kind, sheet);
        let mut kinds = Vec::new();
        let mut wears = |kind: Kind| kinds.push(kind);
        if let Some(bytes) = of(Kind::BaseColour) {
            let with_opacity = of(Kind::Opacity)
                .filter(|_| maps.transparent)
                .and_then(|opacity| with_opacity(bytes, opacity));
            let bytes = with_opacity.unwrap_or_else(|| bytes.to_vec());
            material["pbrMetallicRoughness"]["baseColorTexture"] = add("base_colour", bytes);
            wears(Kind::BaseColour);
        }
        if let Some(bytes) = of(Kind::Normal) {
            // Inside a glTF file green is up, whatever files beside it hold.
            let bytes = if maps.green_up {
                None
            } else {
                turned_up(bytes)
            }
            .unwrap_or_else(|| bytes.to_vec());
            material["normalTexture"] = add("normal", bytes);
        }
        if let Some(bytes) = of(Kind::Emissive) {
            material["emissiveTexture"] = add("emissive", bytes.to_vec());
            wears(Kind::Emissive);
        }
        let occlusion = of(Kind::Occlusion).or_else(|| of(Kind::SourceOcclusion));
        let [roughness, metalness] = [Kind::Roughness, Kind::Metalness].map(of);
        let plane = |map: Option<&[u8]>| Plane::of(map?, 0, false);
        let planes = [plane(occlusion), plane(roughness), plane(metalness), None];
        if let Some(bytes) = together(planes, 255, false) {
            let texture = add(&maps.surface_name, bytes);
            if occlusion.is_some() {
                material["occlusionTexture"] = texture.clone();
            }
            if roughness.is_some() || metalness.is_some() {
                material["pbrMetallicRoughness"]["metallicRoughnessTexture"] = texture;
            }
        }
        [(roughness, Kind::Roughness), (metalness, Kind::Metalness)]
            .into_iter()
            .filter(|(map, _)| map.is_some())
            .for_each(|(_, kind)| wears(kind));
        Self {
            sheet,
            material,
            kinds,
        }
    }

    /// The material of a group, under a name that none of `taken` is.
    fn material(&self, maps: &Maps, group: &Group, taken: &mut Vec<String>) -> Value {
        let mut material = self.material.clone();
        let mut name = "baked".to_owned();
        let apart = group.named();
        if !apart.is_empty() {
            name += &format!(" {apart}");
        }
        if self.sheet > 0 {
            name += &format!(" sheet {}", self.sheet + 1);
        }
        let plain = name.clone();
        while taken.contains(&name) {
            name = format!("{plain} {}", taken.len() + 1);
        }
        taken.push(name.clone());
        material["name"] = Value::from(name);
        group.write(&mut material);
        if group.is_unlit() {
            let coloured = self.kinds.contains(&Kind::BaseColour);
            maps.carried.write_unlit(&mut material, coloured);
        } else {
            maps.carried
                .write(&mut material, |kind| self.kinds.contains(&kind));
        }
        material
    }
}

impl Maps {
    /// The PNG of a map, asked for or carried.
    fn of(&self, kind: Kind, sheet: u32) -> Option<&[u8]> {
        let is_it = |f: &&MapFile| f.kind == kind && f.sheet == sheet;
        let found = self.files.iter().chain(&self.worn).find(is_it);
        found.map(|f| f.bytes.as_slice())
    }
}

/// A picture in colour with a grey one as its opacity. `None` where one cannot be read.
fn with_opacity(colour: &[u8], opacity: &[u8]) -> Option<Vec<u8>> {
    let colour = image::load_from_memory(colour).ok()?.into_rgb8();
    let opacity = image::load_from_memory(opacity).ok()?.into_luma8();
    if colour.dimensions() != opacity.dimensions() {
        return None;
    }
    let rgba: Vec<u8> = colour
        .pixels()
        .zip(opacity.pixels())
        .flat_map(|(c, a)| [c[0], c[1], c[2], a[0]])
        .collect();
    Some(picture::encode(colour.width(), colour.height(), &rgba))
}

/// A normal map whose green is down with green up. `None` where it cannot be read.
fn turned_up(normal: &[u8]) -> Option<Vec<u8>> {
    use image::DynamicImage as D;
    let mut picture = match image::load_from_memory(normal).ok()? {
        D::ImageRgb16(picture) => D::ImageRgb16(picture),
        other => D::ImageRgb8(other.into_rgb8()),
    };
    match &mut picture {
        D::ImageRgb16(p) => p.pixels_mut().for_each(|p| p[1] = u16::MAX - p[1]),
        D::ImageRgb8(p) => p.pixels_mut().for_each(|p| p[1] = u8::MAX - p[1]),
        _ => {}
    }
    let mut out = std::io::Cursor::new(Vec::new());
    picture.write_to(&mut out, image::ImageFormat::Png).ok()?;
    Some(out.into_inner())
}
