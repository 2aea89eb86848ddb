//! Materials and textures of a scene as the kernel wants them: glTF 2.0's factors, textures, samplers and texture transforms.

use ectome_bake::{Alpha, Kind, Material, Slot, Source};
use ectome_formats::{Scene, material::looked_up_by};
use ectome_raster::Surfaces;
use ectome_texture::{Coding, Texture, Wrap, used::mark_used};
use glam::{Affine2, Vec2, Vec3, Vec4};
use serde_json::Value;

use crate::materials;

/// The most texels along an edge that a texture has in pictures: several for each of their pixels.
const DRAWN: usize = 2048;

/// What a source looks like.
pub struct Looks {
    materials: Vec<Material>,
    textures: Vec<Texture>,
}

/// What is decoded.
struct Wanted {
    /// Base colours and opacity.
    colours: bool,
    /// Normal maps.
    bumps: bool,
    /// Roughness and metalness.
    rough: bool,
    /// Emission.
    light: bool,
    /// Occlusion.
    occlusion: bool,
    /// Of the size that pictures need, and the ground between islands counts. Otherwise only texels that the surface uses do.
    for_pictures: bool,
}

impl Wanted {
    const ALL: Self = Self {
        colours: true,
        bumps: true,
        rough: true,
        light: true,
        occlusion: true,
        for_pictures: false,
    };
}

/// Textures that were decoded, by the number of the glTF texture and how its bytes are meant.
struct Decoded<'a> {
    scene: &'a Scene,
    known: Vec<((usize, Coding), Option<usize>)>,
    textures: Vec<Texture>,
    /// See [`Wanted::for_pictures`].
    for_pictures: bool,
}

impl Looks {
    /// Decodes what maps of these kinds need.
    pub fn of(scene: &Scene, kinds: &[Kind]) -> Self {
        let asks = |list: &[Kind]| kinds.iter().any(|k| list.contains(k));
        Self::decoded(
            scene,
            &Wanted {
                colours: asks(&[Kind::BaseColour, Kind::Opacity]),
                bumps: asks(&[Kind::Normal, Kind::NormalObject]),
                rough: asks(&[Kind::Roughness, Kind::Metalness]),
                light: asks(&[Kind::Emissive]),
                occlusion: asks(&[Kind::Occlusion, Kind::SourceOcclusion]),
                for_pictures: false,
            },
        )
    }

    /// Decodes everything that glTF 2.0 has a texture for.
    pub fn with_occlusion(scene: &Scene) -> Self {
        Self::decoded(scene, &Wanted::ALL)
    }

    /// The same as a renderer has it, with the ground between islands: for pictures that need no larger textures than [`DRAWN`].
    pub fn as_drawn(scene: &Scene) -> Self {
        Self::decoded(
            scene,
            &Wanted {
                for_pictures: true,
                ..Wanted::ALL
            },
        )
    }

    /// What says where cards are clear; `None` where no material with a picture is clear anywhere.
    pub fn of_cards(scene: &Scene) -> Option<Self> {
        let shows_through = |m: &Value| {
            materials::alpha_mode(m) != "OPAQUE"
                && !m["pbrMetallicRoughness"]["baseColorTexture"].is_null()
        };
        let list = &scene.library.materials;
        list.iter().any(shows_through).then(|| {
            Self::decoded(
                scene,
                &Wanted {
                    bumps: false,
                    rough: false,
                    light: false,
                    occlusion: false,
                    for_pictures: true,
                    ..Wanted::ALL
                },
            )
        })
    }

    /// Only what pictures for lists show: base colours, and normal maps.
    pub fn colours(scene: &Scene) -> Self {
        Self::decoded(
            scene,
            &Wanted {
                rough: false,
                light: false,
                occlusion: false,
                for_pictures: true,
                ..Wanted::ALL
            },
        )
    }

    /// A material by its number; what has none is plain (glTF 2.0, section 3.9.6).
    pub fn material(&self, number: Option<u32>) -> Material {
        let found = number.and_then(|m| self.materials.get(m as usize));
        found.copied().unwrap_or_default()
    }

    fn decoded(scene: &Scene, wanted: &Wanted) -> Self {
        let library = &scene.library;
        // Rays ask what is transparent, whatever is baked.
        let shines_through = |m: &Value| materials::alpha_mode(m) != "OPAQUE";
        let colours = wanted.colours || library.materials.iter().any(shines_through);
        let (bumps, rough, light) = (wanted.bumps, wanted.rough, wanted.light);
        let occlusion = wanted.occlusion;
        let mut decoded = Decoded {
            scene,
            known: Vec::new(),
            textures: Vec::new(),
            for_pictures: wanted.for_pictures,
        };
        let materials = library
            .materials
            .iter()
            .enumerate()
            .map(|(number, m)| {
                let pbr = &m["pbrMetallicRoughness"];
                let factor = |v: &Value, or: f64| v.as_f64().unwrap_or(or) as f32;
                let list = |v: &Value| -> Option<Vec3> {
                    let list = v.as_array()?;
                    let one = |k: usize| list.get(k).and_then(Value::as_f64).unwrap_or(0.0) as f32;
                    Some(Vec3::new(one(0), one(1), one(2)))
                };
                let mut slot = |wanted: bool, v: &Value, coding| {
                    wanted.then(|| decoded.slot(v, coding)).flatten()
                };
                let strength = &m["extensions"]["KHR_materials_emissive_strength"];
                Material {
                    base: Vec4::from_array(library.base_colour(number as u32)),
                    base_texture: slot(colours, &pbr["baseColorTexture"], Coding::Srgb),
                    alpha: match materials::alpha_mode(m) {
                        "MASK" => Alpha::Cut(factor(&m["alphaCutoff"], 0.5)),
                        "BLEND" => Alpha::Blended,
                        _ => Alpha::Opaque,
                    },
                    two_sided: m["doubleSided"].as_bool() == Some(true),
                    unlit: !m["extensions"]["KHR_materials_unlit"].is_null(),
                    roughness: factor(&pbr["roughnessFactor"], 1.0),
                    metalness: factor(&pbr["metallicFactor"], 1.0),
                    rough_metal_texture: slot(
                        rough,
                        &pbr["metallicRoughnessTexture"],
                        Coding::Linear,
                    ),
                    emissive: list(&m["emissiveFactor"]).unwrap_or(Vec3::ZERO)
                        * factor(&strength["emissiveStrength"], 1.0),
                    emissive_texture: slot(light, &m["emissiveTexture"], Coding::Srgb),
                    normal_texture: slot(bumps, &m["normalTexture"], Coding::Linear)
                        .map(|s| (s, factor(&m["normalTexture"]["scale"], 1.0))),
                    occlusion_texture: slot(occlusion, &m["occlusionTexture"], Coding::Linear)
                        .map(|s| (s, factor(&m["occlusionTexture"]["strength"], 1.0))),
                }
            })
            .collect();
        Self {
            materials,
            textures: decoded.textures,
        }
    }

    /// The same with emission in shares of the brightest, so that a map can hold it.
    pub fn dimmed(mut self, brightest: f32) -> Self {
        self.materials
            .iter_mut()
            .for_each(|m| m.emissive /= brightest);
        self
    }

    /// As a picture is drawn; see [`Surfaces::either_side`].
    pub fn surfaces<'a>(&'a self, either_side: &'a [bool]) -> Surfaces<'a> {
        Surfaces {
            materials: &self.materials,
            textures: &self.textures,
            either_side,
        }
    }

    /// True where any material has a normal map that can be read.
    pub fn has_relief(&self) -> bool {
        self.materials.iter().any(|m| m.normal_texture.is_some())
    }

    /// The source of a bake.
    pub fn source<'a>(&'a self, scene: &'a Scene) -> Source<'a> {
        Source {
            mesh: &scene.mesh,
            materials: &self.materials,
            textures: &self.textures,
        }
    }
}

impl Decoded<'_> {
    /// The slot of a texture; `None` when there is none or its picture cannot be read.
    fn slot(&mut self, slot: &Value, coding: Coding) -> Option<Slot> {
        let texture = slot["index"].as_u64()? as usize;
        let number = match self.known.iter().find(|(key, _)| *key == (texture, coding)) {
            Some((_, number)) => *number,
            None => {
                let number = self.decode(texture, coding).map(|t| {
                    self.textures.push(t);
                    self.textures.len() - 1
                });
                self.known.push(((texture, coding), number));
                number
            }
        };
        let (uv_set, transform) = looked_up_by(slot);
        Some(Slot {
            texture: number?,
            uv_set,
            transform,
        })
    }

    fn decode(&self, texture: usize, coding: Coding) -> Option<Texture> {
        let library = &self.scene.library;
        let given = library.textures.get(texture)?;
        let image = library.images.get(given["source"].as_u64()? as usize)?;
        let rgba = image::load_from_memory(&image.bytes).ok()?.into_rgba8();
        let (width, height) = (rgba.width() as usize, rgba.height() as usize);
        let mask = (!self.for_pictures)
            .then(|| self.mask(texture, width, height))
            .flatten();
        let mut texture = Texture::of(width, height, rgba.as_raw(), coding, mask.as_deref())?;
        let sampler = given["sampler"].as_u64();
        let sampler = sampler.and_then(|s| library.samplers.get(s as usize));
        let wrap = |name: &str| match sampler.and_then(|s| s[name].as_u64()) {
            Some(33_071) => Wrap::Clamp,
            Some(33_648) => Wrap::Mirror,
            _ => Wrap::Repeat,
        };
        texture.wrap = [wrap("wrapS"), wrap("wrapT")];
        Some(if self.for_pictures {
            texture.within(DRAWN)
        } else {
            texture
        })
    }

    /// The texels that faces with this texture use, and those beside them; `None` where faces go beyond the picture, so that all
    /// of it counts. Without this the ground between islands would bleed into what is averaged.
    fn mask(&self, texture: usize, width: usize, height: usize) -> Option<Vec<bool>> {
        let mesh = &self.scene.mesh;
        let mut triangles = Vec::new();
        let size = Vec2::new(width as f32, height as f32);
        for run in &mesh.runs {
            for (uv_set, transform) in run.material.iter().flat_map(|&m| self.uses_of(m, texture)) {
                let uvs = mesh.uv_sets.get(uv_set)?;
                for f in run.faces.clone() {
                    let face = mesh.face(f as usize);
                    let p =
                        [0, 1, 2].map(|k| transform.transform_point2(uvs[face[k] as usize]) * size);
                    let (low, high) = (p[0].min(p[1]).min(p[2]), p[0].max(p[1]).max(p[2]));
                    let room = Vec2::splat(2.0);
                    if low.cmplt(-room).any() || high.cmpgt(size + room).any() || !low.is_finite() {
                        return None;
                    }
                    triangles.push(p);
                }
            }
        }
        let mut mask = vec![false; width * height];
        mark_used(&mut mask, [width, height], &triangles);
        Some(mask)
    }

    /// Where a material uses a texture: the UV set and the transform of each slot that names it.
    fn uses_of(&self, material: u32, texture: usize) -> Vec<(usize, Affine2)> {
        let Some(m) = self.scene.library.materials.get(material as usize) else {
            return Vec::new();
        };
        let pbr = &m["pbrMetallicRoughness"];
        let slots = [
            &pbr["baseColorTexture"],
            &pbr["metallicRoughnessTexture"],
            &m["emissiveTexture"],
            &m["normalTexture"],
            &m["occlusionTexture"],
        ];
        let names = |s: &&&Value| s["index"].as_u64() == Some(texture as u64);
        slots
            .iter()
            .filter(names)
            .map(|s| looked_up_by(s))
            .collect()
    }
}
