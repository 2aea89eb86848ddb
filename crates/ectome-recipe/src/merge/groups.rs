//! Which materials can share one.

use ectome_formats::Scene;
use serde_json::Value;

/// Materials that can share one.
pub(super) struct Group {
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
pub(super) struct Groups {
    pub list: Vec<Group>,
}

impl Groups {
    /// How many materials there are in use.
    pub fn materials(&self) -> usize {
        self.list.iter().map(|g| g.materials.len()).sum()
    }

    /// The group of a material.
    pub fn of_material(&self, material: Option<u32>) -> usize {
        let found = self
            .list
            .iter()
            .position(|g| g.materials.contains(&material));
        found.unwrap_or(0)
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

/// The groups of a scene's materials.
pub(super) fn of(scene: &Scene) -> Groups {
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
        let key = key(json);
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

fn key(material: &Value) -> Key {
    let alpha = material["alphaMode"].as_str().unwrap_or("OPAQUE");
    let mut extensions = material["extensions"].clone();
    if extensions
        .as_object()
        .is_some_and(serde_json::Map::is_empty)
    {
        extensions = Value::Null;
    }
    Key {
        cutoff: (alpha == "MASK").then(|| material["alphaCutoff"].as_f64().unwrap_or(0.5)),
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
