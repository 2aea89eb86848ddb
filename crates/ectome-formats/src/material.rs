//! Materials as glTF 2.0 writes them.
//!
//! Ectome changes meshes, not materials, so materials, textures and samplers stay the JSON objects
//! they were, extensions and all, and only their indices are renumbered when unused ones are left
//! out. The few properties that pictures need have typed readers.

use std::collections::HashMap;

use glam::{Affine2, Vec2};
use serde_json::{Map, Value, json};

/// A picture in its own file format.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Image {
    /// Its name; may be empty.
    pub name: String,
    /// `image/png`, `image/jpeg` …
    pub mime: String,
    /// The file's bytes.
    pub bytes: Vec<u8>,
}

impl Image {
    /// Width and height in texels, read from the header; `None` if the bytes are no known picture.
    pub fn size(&self) -> Option<(u32, u32)> {
        if let Some([width, height]) = ectome_texture::ktx2::size(&self.bytes) {
            return Some((width, height));
        }
        image::ImageReader::new(std::io::Cursor::new(&self.bytes))
            .with_guessed_format()
            .ok()?
            .into_dimensions()
            .ok()
    }
}

/// Materials and all they refer to. Indices inside the JSON point into these lists.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Library {
    /// glTF material objects.
    pub materials: Vec<Value>,
    /// glTF texture objects; `source` indexes `images`.
    pub textures: Vec<Value>,
    /// glTF sampler objects.
    pub samplers: Vec<Value>,
    /// Pictures.
    pub images: Vec<Image>,
}

/// Further than this no picture is moved, turned or scaled on purpose: `f32` tells texels apart no more there.
const FAR: f64 = 1e5;

/// What UVs are put through before they look a texture up: KHR_texture_transform of a slot, nothing without it: scaled, turned, moved. V runs
/// down, so turning UVs anticlockwise as they are seen leads from +U to −V. A figure out of any reach counts as one that is not there.
pub fn transform(slot: &Value) -> Affine2 {
    let moved = &slot["extensions"]["KHR_texture_transform"];
    let pair = |name: &str, or: f64| {
        let one = |k: usize| within(&moved[name][k]).unwrap_or(or) as f32;
        Vec2::new(one(0), one(1))
    };
    Affine2::from_scale_angle_translation(
        pair("scale", 1.0),
        -within(&moved["rotation"]).unwrap_or(0.0) as f32,
        pair("offset", 0.0),
    )
}

/// By which UV set a slot looks its texture up, and what that is put through.
pub fn looked_up_by(slot: &Value) -> (usize, Affine2) {
    let moved = &slot["extensions"]["KHR_texture_transform"];
    let set = moved["texCoord"].as_u64().or(slot["texCoord"].as_u64());
    (set.unwrap_or(0) as usize, transform(slot))
}

fn within(value: &Value) -> Option<f64> {
    value.as_f64().filter(|v| v.abs() <= FAR)
}

impl Library {
    /// The name of material `index`, or an empty one.
    pub fn name(&self, index: u32) -> &str {
        self.materials
            .get(index as usize)
            .and_then(|m| m["name"].as_str())
            .unwrap_or_default()
    }

    /// Base colour factor, linear RGBA.
    pub fn base_colour(&self, index: u32) -> [f32; 4] {
        let mut rgba = [1.0; 4];
        if let Some(list) = self
            .materials
            .get(index as usize)
            .and_then(|m| m["pbrMetallicRoughness"]["baseColorFactor"].as_array())
        {
            for (slot, v) in rgba.iter_mut().zip(list) {
                *slot = v.as_f64().unwrap_or(1.0) as f32;
            }
        }
        rgba
    }

    /// The same without textures on UV sets from the `keep`th on, which are no more. Factors stay.
    pub fn with_uv_sets(&self, keep: u32) -> Self {
        fn stripped(value: &Value, keep: u32) -> Value {
            let lies_beyond = |v: &Value| {
                let set = v.get("texCoord").and_then(Value::as_u64).unwrap_or(0);
                v.get("index").is_some() && set >= u64::from(keep)
            };
            match value {
                Value::Object(map) => Value::Object(
                    map.iter()
                        .filter(|(_, v)| !lies_beyond(v))
                        .map(|(key, v)| (key.clone(), stripped(v, keep)))
                        .collect(),
                ),
                other => other.clone(),
            }
        }
        Self {
            materials: self.materials.iter().map(|m| stripped(m, keep)).collect(),
            ..self.clone()
        }
    }

    /// The same without textures: their texels lie on UVs that are no more. Factors stay.
    pub fn without_textures(&self) -> Self {
        fn stripped(value: &Value) -> Value {
            match value {
                Value::Object(map) => Value::Object(
                    map.iter()
                        .filter(|(key, _)| !key.ends_with("Texture"))
                        .map(|(key, v)| (key.clone(), stripped(v)))
                        .collect(),
                ),
                other => other.clone(),
            }
        }
        Self {
            materials: self.materials.iter().map(stripped).collect(),
            ..Self::default()
        }
    }

    /// The base colour picture of a material and the UV set it uses.
    pub fn base_colour_image(&self, index: u32) -> Option<(usize, usize)> {
        let material = self.materials.get(index as usize)?;
        self.image_of(&material["pbrMetallicRoughness"]["baseColorTexture"])
    }

    /// The normal map of a material, the UV set it uses and its strength.
    pub fn normal_image(&self, index: u32) -> Option<(usize, usize, f32)> {
        let slot = &self.materials.get(index as usize)?["normalTexture"];
        let (image, set) = self.image_of(slot)?;
        Some((image, set, slot["scale"].as_f64().unwrap_or(1.0) as f32))
    }

    fn image_of(&self, slot: &Value) -> Option<(usize, usize)> {
        let texture = self.textures.get(slot["index"].as_u64()? as usize)?;
        let image = texture["source"].as_u64()? as usize;
        let set = slot["texCoord"].as_u64().unwrap_or(0) as usize;
        (image < self.images.len()).then_some((image, set))
    }

    /// The slots each picture is used in, such as `baseColorTexture`.
    pub fn image_slots(&self) -> Vec<Vec<String>> {
        let mut slots = vec![Vec::new(); self.images.len()];
        for material in &self.materials {
            visit_texture_slots(&mut material.clone(), &mut |name, slot| {
                let texture = slot["index"]
                    .as_u64()
                    .and_then(|i| self.textures.get(i as usize));
                if let Some(list) = texture
                    .and_then(|t| t["source"].as_u64())
                    .and_then(|i| slots.get_mut(i as usize))
                    && !list.iter().any(|s: &String| s == name)
                {
                    list.push(name.to_owned());
                }
            });
        }
        slots
    }

    /// Adds another library behind this one, and says where each of its materials then stands. What is there already, to the last byte,
    /// is not added again: tiers of one asset wear the same pictures.
    pub fn take(&mut self, other: Self) -> Vec<u32> {
        fn place<T: PartialEq>(list: &mut Vec<T>, item: T) -> usize {
            match list.iter().position(|known| *known == item) {
                Some(at) => at,
                None => {
                    list.push(item);
                    list.len() - 1
                }
            }
        }
        let images: Vec<usize> = other
            .images
            .into_iter()
            .map(|image| place(&mut self.images, image))
            .collect();
        let samplers: Vec<usize> = other
            .samplers
            .into_iter()
            .map(|sampler| place(&mut self.samplers, sampler))
            .collect();
        let textures: Vec<usize> = other
            .textures
            .into_iter()
            .map(|mut texture| {
                let mut at: Vec<Option<usize>> = samplers.iter().copied().map(Some).collect();
                renumber_field(&mut texture, "sampler", &mut at, |_| 0);
                let mut at: Vec<Option<usize>> = images.iter().copied().map(Some).collect();
                renumber_sources(&mut texture, &mut at, &mut |_| 0);
                place(&mut self.textures, texture)
            })
            .collect();
        let mut known = HashMap::new();
        for (i, material) in self.materials.iter().enumerate() {
            known.entry(material.to_string()).or_insert(i as u32);
        }
        let mut renumbered = |mut material: Value| {
            visit_texture_slots(&mut material, &mut |_, slot| {
                let old = slot["index"]
                    .as_u64()
                    .and_then(|i| textures.get(i as usize));
                if let Some(new) = old {
                    slot.insert("index".to_owned(), json!(new));
                }
            });
            // By its text: an assembly may have ten thousand.
            *known.entry(material.to_string()).or_insert_with(|| {
                self.materials.push(material);
                self.materials.len() as u32 - 1
            })
        };
        other.materials.into_iter().map(&mut renumbered).collect()
    }

    /// A library of only what `used` materials need, and the new index of each old material.
    pub fn pruned(&self, used: &[bool]) -> (Self, Vec<u32>) {
        let mut out = Self::default();
        let mut textures = vec![None; self.textures.len()];
        let mut images = vec![None; self.images.len()];
        let mut samplers = vec![None; self.samplers.len()];
        let mut renumber = Vec::with_capacity(self.materials.len());
        for (i, material) in self.materials.iter().enumerate() {
            renumber.push(out.materials.len() as u32);
            if !used.get(i).copied().unwrap_or(false) {
                continue;
            }
            let mut material = material.clone();
            visit_texture_slots(&mut material, &mut |_, slot| {
                let Some(old) = slot["index"].as_u64().map(|i| i as usize) else {
                    return;
                };
                let Some(texture) = self.textures.get(old) else {
                    return;
                };
                let new = *textures[old].get_or_insert_with(|| {
                    let mut texture = texture.clone();
                    renumber_field(&mut texture, "sampler", &mut samplers, |s| {
                        out.samplers.push(self.samplers[s].clone());
                        out.samplers.len() - 1
                    });
                    renumber_sources(&mut texture, &mut images, &mut |s| {
                        out.images.push(self.images[s].clone());
                        out.images.len() - 1
                    });
                    out.textures.push(texture);
                    out.textures.len() - 1
                });
                slot.insert("index".to_owned(), json!(new));
            });
            out.materials.push(material);
        }
        (out, renumber)
    }
}

/// Calls `visit` for each texture slot of a material: an object with an `index`, under a key that
/// ends in "Texture", as the core specification and its extensions name them.
pub(crate) fn visit_texture_slots(
    value: &mut Value,
    visit: &mut impl FnMut(&str, &mut Map<String, Value>),
) {
    match value {
        Value::Object(fields) => {
            for (name, field) in fields {
                if name.ends_with("Texture")
                    && let Value::Object(slot) = field
                    && slot.contains_key("index")
                {
                    visit(name, slot);
                } else {
                    visit_texture_slots(field, visit);
                }
            }
        }
        Value::Array(items) => items
            .iter_mut()
            .for_each(|item| visit_texture_slots(item, visit)),
        _ => {}
    }
}

/// Renumbers `source` in a texture and in its extensions; drops it where the picture is missing.
fn renumber_sources(
    value: &mut Value,
    new: &mut [Option<usize>],
    add: &mut impl FnMut(usize) -> usize,
) {
    renumber_field(value, "source", new, &mut *add);
    if let Some(extensions) = value.get_mut("extensions").and_then(Value::as_object_mut) {
        for extension in extensions.values_mut() {
            renumber_field(extension, "source", new, &mut *add);
        }
    }
}

fn renumber_field(
    value: &mut Value,
    field: &str,
    new: &mut [Option<usize>],
    add: impl FnOnce(usize) -> usize,
) {
    let Some(object) = value.as_object_mut() else {
        return;
    };
    let Some(old) = object.get(field).and_then(Value::as_u64) else {
        return;
    };
    match new.get_mut(old as usize) {
        Some(slot) => {
            let index = *slot.get_or_insert_with(|| add(old as usize));
            object.insert(field.to_owned(), json!(index));
        }
        None => {
            object.remove(field);
        }
    }
}

/// The names of all extensions used anywhere in `value`.
pub(crate) fn extensions_in(value: &Value, into: &mut Vec<String>) {
    match value {
        Value::Object(fields) => {
            for (name, field) in fields {
                if name == "extensions"
                    && let Value::Object(extensions) = field
                {
                    into.extend(extensions.keys().cloned());
                }
                extensions_in(field, into);
            }
        }
        Value::Array(items) => items.iter().for_each(|i| extensions_in(i, into)),
        _ => {}
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn library() -> Library {
        let image = |name: &str| Image {
            name: name.to_owned(),
            mime: "image/png".to_owned(),
            bytes: vec![],
        };
        Library {
            materials: vec![
                json!({"name": "rope"}),
                json!({"name": "brass", "normalTexture": {"index": 1, "scale": 0.5},
                       "extensions": {"KHR_materials_clearcoat": {"clearcoatTexture": {"index": 0}}}}),
            ],
            textures: vec![json!({"source": 1, "sampler": 0}), json!({"source": 0})],
            samplers: vec![json!({"wrapS": 33071})],
            images: vec![image("bumps"), image("lacquer")],
        }
    }

    #[test]
    fn pruning_renumbers_through_extensions() {
        let (pruned, renumber) = library().pruned(&[false, true]);
        assert_eq!(renumber[1], 0);
        assert_eq!(pruned.materials.len(), 1);
        let m = &pruned.materials[0];
        let image_of = |slot: &Value| {
            let t = slot["index"].as_u64().unwrap() as usize;
            let i = pruned.textures[t]["source"].as_u64().unwrap() as usize;
            pruned.images[i].name.clone()
        };
        assert_eq!(image_of(&m["normalTexture"]), "bumps");
        let coat = &m["extensions"]["KHR_materials_clearcoat"]["clearcoatTexture"];
        assert_eq!(image_of(coat), "lacquer");
        assert_eq!(m["normalTexture"]["scale"], 0.5);
    }

    /// The same library twice is there once; another picture is added with all that leads to it.
    #[test]
    fn taking_a_library_adds_only_what_is_not_there() {
        let mut all = library();
        assert_eq!(all.take(library()), [0, 1]);
        assert_eq!(all, library());
        let mut other = library();
        other.images[0].bytes = vec![1];
        assert_eq!(all.take(other), [0, 2]);
        assert_eq!((all.images.len(), all.textures.len()), (3, 3));
        let texture = all.materials[2]["normalTexture"]["index"].as_u64().unwrap();
        let image = all.textures[texture as usize]["source"].as_u64().unwrap();
        assert_eq!(all.images[image as usize].bytes, [1]);
        let coat = &all.materials[2]["extensions"]["KHR_materials_clearcoat"]["clearcoatTexture"];
        assert_eq!(coat["index"], 0);
    }

    #[test]
    fn unused_pictures_are_left_out() {
        let (pruned, _) = library().pruned(&[true, false]);
        assert!(pruned.images.is_empty() && pruned.textures.is_empty());
    }

    #[test]
    fn extensions_are_found_at_any_depth() {
        let mut names = Vec::new();
        extensions_in(&library().materials[1], &mut names);
        assert_eq!(names, ["KHR_materials_clearcoat"]);
    }

    #[test]
    fn without_textures_factors_stay() {
        let bare = library().without_textures();
        assert_eq!(bare.materials.len(), library().materials.len());
        assert_eq!(
            (bare.name(1), bare.images.len(), bare.textures.len()),
            ("brass", 0, 0)
        );
        assert_eq!(bare.normal_image(1), None);
        assert!(!bare.materials[1].to_string().contains("clearcoatTexture"));
    }
}
