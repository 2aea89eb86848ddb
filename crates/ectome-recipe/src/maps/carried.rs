//! What of the source's looks goes with a bake though nobody asked for a map of it: where materials differ in a figure, a map says which
//! surface has which; where they agree, the new material says it once.

use ectome_bake::Kind;
use ectome_formats::Scene;
use ectome_mesh::Fate;
use serde_json::Value;

use crate::materials::{Groups, UNLIT};

/// Figures of a material that maps can take the place of.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Figures {
    base: [f64; 4],
    roughness: f64,
    metalness: f64,
    /// With its strength.
    emission: [f64; 3],
}

/// Figures of what has no material: roughness of a plain coat, no metal. glTF 2.0 takes 1 for both where a material does not say, but a
/// surface without any, as scans bring it, is no mirror.
const PLAIN: Figures = Figures {
    base: [1.0; 4],
    roughness: 0.8,
    metalness: 0.0,
    emission: [0.0; 3],
};

/// No light is brighter: what a half float holds.
const BRIGHTEST: f64 = 65_504.0;

/// What goes with a bake.
#[derive(Clone, Debug, PartialEq)]
pub struct Carried {
    /// Maps that the new materials need, asked for or not.
    pub kinds: Vec<Kind>,
    /// Figures that all materials of the source share.
    shared: Figures,
    /// The brightest emission there is, where it is above 1: maps of emission hold shares of it.
    pub brightest: f64,
}

impl Carried {
    /// What `source` has to hand on to a low mesh whose materials fall into `groups`.
    pub fn of(source: &Scene, groups: &Groups) -> Self {
        let mesh = &source.mesh;
        let mut used: Vec<Option<u32>> = mesh
            .runs
            .iter()
            .filter(|r| !r.faces.is_empty() && mesh.parts[r.part as usize].fate != Fate::Omit)
            .map(|r| r.material)
            .collect();
        used.sort_unstable();
        used.dedup();
        let json = |m: Option<u32>| source.library.materials.get(m? as usize);
        let figures: Vec<Figures> = used.iter().map(|&m| figures(source, m)).collect();
        let shared = figures.first().copied().unwrap_or(PLAIN);
        let textured =
            |slot: &dyn Fn(&Value) -> bool| used.iter().any(|&m| json(m).is_some_and(slot));
        let differ = |f: &dyn Fn(&Figures) -> Vec<f64>| figures.iter().any(|x| f(x) != f(&shared));
        let is_there = |v: &Value| v["index"].is_u64();
        let mut kinds = Vec::new();
        let transparent = groups.list.iter().any(|g| g.is_transparent());
        let coloured = mesh
            .runs
            .iter()
            .any(|r| r.channels.colours && !mesh.colours.is_empty());
        if transparent
            || coloured
            || textured(&|m| is_there(&m["pbrMetallicRoughness"]["baseColorTexture"]))
            || differ(&|f| f.base.to_vec())
        {
            kinds.push(Kind::BaseColour);
        }
        if transparent {
            kinds.push(Kind::Opacity);
        }
        let surface =
            textured(&|m| is_there(&m["pbrMetallicRoughness"]["metallicRoughnessTexture"]));
        if surface || differ(&|f| vec![f.roughness]) {
            kinds.push(Kind::Roughness);
        }
        if surface || differ(&|f| vec![f.metalness]) {
            kinds.push(Kind::Metalness);
        }
        if textured(&|m| is_there(&m["occlusionTexture"])) {
            kinds.push(Kind::SourceOcclusion);
        }
        let shines = figures.iter().any(|f| f.emission != [0.0; 3]);
        if shines
            && (textured(&|m| is_there(&m["emissiveTexture"])) || differ(&|f| f.emission.to_vec()))
        {
            kinds.push(Kind::Emissive);
        }
        let brightest = figures.iter().flat_map(|f| f.emission).fold(1.0, f64::max);
        Self {
            kinds,
            shared,
            brightest,
        }
    }

    /// Writes the base colour that no map says into a material that takes no light: nothing else of it is seen.
    pub fn write_unlit(&self, material: &mut Value, has_base_colour: bool) {
        let mut pbr = material["pbrMetallicRoughness"].take();
        let texture = pbr["baseColorTexture"].take();
        let mut own = serde_json::json!({ "metallicFactor": 0.0, "roughnessFactor": 1.0 });
        if !texture.is_null() {
            own["baseColorTexture"] = texture;
        }
        if !has_base_colour && self.shared.base != [1.0; 4] {
            own["baseColorFactor"] = Value::from(self.shared.base.to_vec());
        }
        material["pbrMetallicRoughness"] = own;
        if let Some(map) = material.as_object_mut() {
            map.retain(|key, _| {
                ![
                    "normalTexture",
                    "occlusionTexture",
                    "emissiveTexture",
                    "emissiveFactor",
                ]
                .contains(&key.as_str())
            });
        }
        // No other extension goes with it (glTF validator, MULTIPLE_EXTENSIONS).
        let unlit = UNLIT.to_owned();
        material["extensions"] = serde_json::json!({ unlit: {} });
    }

    /// Writes what no map says into a material. `has` says which maps it wears.
    pub fn write(&self, material: &mut Value, has: impl Fn(Kind) -> bool) {
        let Figures {
            base,
            roughness,
            metalness,
            emission,
        } = self.shared;
        let pbr = &mut material["pbrMetallicRoughness"];
        let factor = |kind, own| if has(kind) { 1.0 } else { own };
        pbr["metallicFactor"] = Value::from(factor(Kind::Metalness, metalness));
        pbr["roughnessFactor"] = Value::from(factor(Kind::Roughness, roughness));
        if !has(Kind::BaseColour) && base != [1.0; 4] {
            pbr["baseColorFactor"] = Value::from(base.to_vec());
        }
        let emission = if has(Kind::Emissive) {
            [self.brightest; 3]
        } else {
            emission
        };
        let most = emission.into_iter().fold(1.0, f64::max);
        if emission != [0.0; 3] {
            material["emissiveFactor"] = Value::from(emission.map(|v| v / most).to_vec());
        }
        if most > 1.0 {
            material["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"] =
                Value::from(most);
        }
    }
}

/// The figures of a material of a scene.
fn figures(scene: &Scene, number: Option<u32>) -> Figures {
    let Some(m) = number.and_then(|m| scene.library.materials.get(m as usize)) else {
        return PLAIN;
    };
    let pbr = &m["pbrMetallicRoughness"];
    let strength = &m["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"];
    let strength = strength.as_f64().unwrap_or(1.0);
    let light = |k: usize| {
        let own = m["emissiveFactor"][k].as_f64().unwrap_or(0.0) * strength;
        own.clamp(0.0, BRIGHTEST)
    };
    let share = |v: &Value| v.as_f64().unwrap_or(1.0).clamp(0.0, 1.0);
    Figures {
        base: std::array::from_fn(|k| share(&pbr["baseColorFactor"][k])),
        roughness: share(&pbr["roughnessFactor"]),
        metalness: share(&pbr["metallicFactor"]),
        emission: std::array::from_fn(light),
    }
}
