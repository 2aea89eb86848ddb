//! What of a material no texture can hold, and which materials can share one for that reason.
//!
//! A texture says colour, roughness or light for each of its texels. Whether a surface is cut out or blended, seen from both sides or
//! shaded in another way is said by its material for all of it (glTF 2.0, section 3.9). So materials that differ in that stay apart,
//! where textures are merged and where maps take their place.

use ectome_formats::{Library, Scene};
use serde_json::Value;

/// Materials that can share one.
pub(crate) struct Group {
    /// Their numbers; `None` stands for faces without a material.
    pub materials: Vec<Option<u32>>,
    /// What sets the group apart from plain ones, in words; empty for a plain one.
    pub says: String,
    key: Key,
}

/// What all materials of a group agree in.
#[derive(Clone, Debug, PartialEq)]
struct Key {
    /// `OPAQUE`, `MASK`, `BLEND`.
    alpha: String,
    /// Where a cut-out is cut.
    cutoff: Option<f64>,
    both_sides: bool,
    /// Extensions change how a surface is shaded (clear coat, unlit, transmission …): only equal ones are joined.
    extensions: Value,
}

/// The materials in use, in groups.
pub(crate) struct Groups {
    pub list: Vec<Group>,
}

impl Groups {
    /// How many materials there are in use.
    pub fn materials(&self) -> usize {
        self.list.iter().map(|g| g.materials.len()).sum()
    }

    /// The group of a material.
    pub fn of_material(&self, material: Option<u32>) -> usize {
        self.position(material).unwrap_or(0)
    }

    /// The groups of two and more.
    pub fn that_join(self) -> Self {
        let mut list = self.list;
        list.retain(|g| g.materials.len() > 1);
        Self { list }
    }

    /// The group of a material, if it is in any.
    pub fn position(&self, material: Option<u32>) -> Option<usize> {
        self.list
            .iter()
            .position(|g| g.materials.contains(&material))
    }

    /// What is lost where these are baked, in words; empty where nothing is: there is no map of what extensions paint, and their textures lie on
    /// UVs that are replaced.
    pub fn loses(&self) -> String {
        let mut names: Vec<&str> = self
            .list
            .iter()
            .flat_map(Group::loses_textures_of)
            .collect();
        names.sort_unstable();
        names.dedup();
        names.join(", ")
    }

    /// What stays apart, in words: all groups but the plainest.
    pub fn apart(&self) -> String {
        let words = self.list.iter().filter(|g| !g.says.is_empty());
        words
            .map(|g| g.says.as_str())
            .collect::<Vec<_>>()
            .join(", ")
    }
}

/// Materials in classes: those of one differ in their names alone.
pub(crate) fn classes(library: &Library) -> Vec<u32> {
    let mut known: Vec<Value> = Vec::new();
    let class = |material: &Value| {
        let mut bare = material.clone();
        if let Some(map) = bare.as_object_mut() {
            map.remove("name");
            map.remove("extras");
        }
        let found = known.iter().position(|k| *k == bare);
        found.unwrap_or_else(|| {
            known.push(bare);
            known.len() - 1
        }) as u32
    };
    library.materials.iter().map(class).collect()
}

/// How opacity counts (glTF 2.0, section 3.9.4): `MASK`, `BLEND`, or `OPAQUE` for all else.
pub(crate) fn alpha_mode(material: &Value) -> &'static str {
    match material["alphaMode"].as_str() {
        Some("MASK") => "MASK",
        Some("BLEND") => "BLEND",
        _ => "OPAQUE",
    }
}

/// True when a material shows any picture.
pub(crate) fn has_texture(material: &Value) -> bool {
    match material {
        Value::Object(map) => map
            .iter()
            .any(|(key, v)| (key.ends_with("Texture") && v["index"].is_u64()) || has_texture(v)),
        _ => false,
    }
}

/// The extension that says how bright emission is: a figure of the surface, not another shading.
const STRENGTH: &str = "KHR_materials_emissive_strength";

/// The extension of surfaces that take no light (KHR_materials_unlit).
pub(crate) const UNLIT: &str = "KHR_materials_unlit";

/// The groups of a scene's materials.
pub(crate) fn groups(scene: &Scene) -> Groups {
    grouped(scene, &[])
}

/// The same for materials whose light is told by maps: how bright it is does not set them apart.
pub(crate) fn groups_with_baked_light(scene: &Scene) -> Groups {
    grouped(scene, &[STRENGTH])
}

fn grouped(scene: &Scene, but: &[&str]) -> Groups {
    let mut used: Vec<Option<u32>> = scene
        .mesh
        .runs
        .iter()
        .filter(|r| !r.faces.is_empty())
        .map(|r| r.material)
        .collect();
    used.sort_unstable();
    used.dedup();
    let mut list: Vec<Group> = Vec::new();
    for material in used {
        let none = Value::Null;
        let json = material
            .and_then(|m| scene.library.materials.get(m as usize))
            .unwrap_or(&none);
        let key = key(json, but);
        match list.iter_mut().find(|g| g.key == key) {
            Some(group) => group.materials.push(material),
            None => list.push(Group {
                materials: vec![material],
                says: says(scene, material, &key),
                key,
            }),
        }
    }
    Groups { list }
}

impl Group {
    /// The opacity of its surface counts.
    pub fn is_transparent(&self) -> bool {
        self.key.alpha != "OPAQUE"
    }

    /// Its surface takes no light.
    pub fn is_unlit(&self) -> bool {
        !self.key.extensions[UNLIT].is_null()
    }

    /// The extensions whose textures are left out where a material of the group is baked.
    fn loses_textures_of(&self) -> Vec<&str> {
        let list = self.key.extensions.as_object();
        let named = list.iter().flat_map(|map| map.iter());
        named
            .filter(|(_, v)| has_texture(v))
            .map(|(name, _)| name.as_str())
            .collect()
    }

    /// What sets it apart, in the words of a name; empty for a plain one.
    pub fn named(&self) -> String {
        let mut words = Vec::new();
        match self.key.alpha.as_str() {
            "BLEND" => words.push("blended"),
            "MASK" => words.push("cut-out"),
            _ => {}
        }
        if self.key.both_sides {
            words.push("two-sided");
        }
        if let Some(extensions) = self.key.extensions.as_object() {
            let names = extensions.keys().map(|name| {
                let name = name.strip_prefix("KHR_materials_").unwrap_or(name);
                name.trim_start_matches(|c: char| !c.is_lowercase())
            });
            words.extend(names);
        }
        words.join(" ").replace('_', " ")
    }

    /// Writes into a material what all of the group agree in. Textures of extensions lie on UVs of before and are left out; their factors
    /// stay.
    pub fn write(&self, material: &mut Value) {
        if self.is_transparent() {
            material["alphaMode"] = Value::from(self.key.alpha.as_str());
        }
        if let Some(cutoff) = self.key.cutoff {
            material["alphaCutoff"] = Value::from(cutoff);
        }
        if self.key.both_sides {
            material["doubleSided"] = Value::from(true);
        }
        if self.key.extensions.is_object() {
            let bare = Library {
                materials: vec![self.key.extensions.clone()],
                ..Library::default()
            };
            material["extensions"] = bare.without_textures().materials.remove(0);
        }
    }
}

fn key(material: &Value, but: &[&str]) -> Key {
    let alpha = alpha_mode(material);
    let mut extensions = material["extensions"].clone();
    if let Some(map) = extensions.as_object_mut() {
        map.retain(|name, _| !but.contains(&name.as_str()));
    }
    if extensions
        .as_object()
        .is_some_and(serde_json::Map::is_empty)
    {
        extensions = Value::Null;
    }
    Key {
        cutoff: (alpha == "MASK").then(|| material["alphaCutoff"].as_f64().unwrap_or(0.5).max(0.0)),
        alpha: alpha.to_owned(),
        both_sides: material["doubleSided"].as_bool().unwrap_or(false),
        extensions,
    }
}

/// What sets a material apart.
fn says(scene: &Scene, material: Option<u32>, key: &Key) -> String {
    let mut why = Vec::new();
    match key.alpha.as_str() {
        "BLEND" => why.push("shines through".to_owned()),
        "MASK" => why.push("is cut out".to_owned()),
        _ => {}
    }
    if key.both_sides {
        why.push("has two sides".to_owned());
    }
    if let Some(extensions) = key.extensions.as_object() {
        let names: Vec<&str> = extensions.keys().map(String::as_str).collect();
        why.push(format!("has {}", names.join(", ")));
    }
    if why.is_empty() {
        return String::new();
    }
    let name = material.map_or("", |m| scene.library.name(m));
    let name = if name.is_empty() { "a material" } else { name };
    format!("{name} ({})", why.join(", "))
}
