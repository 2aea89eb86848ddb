//! The textures of merged materials: each texel of the new sheet takes what the old textures have at the same place of the surface.

use ectome_bake::{Material, Source};
use ectome_formats::{Image, Library, Scene};
use ectome_mesh::{
    Mesh, Progress,
    scanline::{self, Sides},
};
use ectome_texture::{fill::filled, srgb::to_coded};
use glam::{DVec2, Mat2, Vec2, Vec3, Vec4};
use serde_json::{Value, json};

use super::MergeSettings;
use crate::{
    EngineError,
    maps::Looks,
    materials::{Group, Groups},
    picture,
};

/// A texture of a merged material.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Sheet {
    BaseColour,
    /// Occlusion in red, roughness in green, metalness in blue, as glTF 2.0 has them.
    Surface,
    Normal,
    Emissive,
}

/// The library of the merged scene, and the material of each group.
pub(super) fn library(
    scene: &Scene,
    looks: &Looks,
    laid_out: &Mesh,
    groups: &Groups,
    settings: &MergeSettings,
    progress: &Progress,
) -> Result<(Library, Vec<u32>), EngineError> {
    let mut out = Library {
        samplers: vec![
            json!({ "magFilter": 9729, "minFilter": 9987, "wrapS": 33071, "wrapT": 33071 }),
        ],
        ..Library::default()
    };
    let mut of_group = Vec::new();
    let count = groups.list.len() as f32;
    for (n, group) in groups.list.iter().enumerate() {
        let own = progress.span(n as f32 / count, (n + 1) as f32 / count);
        let material = Atlas {
            scene,
            looks,
            laid_out,
            group,
            settings,
        }
        .material(&mut out, n, &own)?;
        of_group.push(out.materials.len() as u32);
        out.materials.push(material);
    }
    Ok((out, of_group))
}

struct Atlas<'a> {
    scene: &'a Scene,
    looks: &'a Looks,
    laid_out: &'a Mesh,
    group: &'a Group,
    settings: &'a MergeSettings,
}

impl Atlas<'_> {
    /// The merged material, its textures in the library.
    fn material(
        &self,
        library: &mut Library,
        number: usize,
        progress: &Progress,
    ) -> Result<Value, EngineError> {
        let json_of =
            |m: &Option<u32>| m.and_then(|m| self.scene.library.materials.get(m as usize));
        let mut json = self
            .group
            .materials
            .iter()
            .find_map(json_of)
            .cloned()
            .unwrap_or_else(|| json!({}));
        if self.group.materials.len() == 1 && json_of(&self.group.materials[0]).is_none() {
            return Ok(json);
        }
        // Textures of extensions lie on UVs that are no more; their factors stay.
        let bare = Library {
            materials: vec![json],
            ..Library::default()
        };
        json = bare.without_textures().materials.remove(0);
        // The extension stays, and multiplies what the texture holds.
        let strength = &json["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"];
        let strength = strength.as_f64().filter(|s| *s > 0.0).unwrap_or(1.0) as f32;
        let dimmed = |mut m: Material| {
            m.emissive /= strength;
            m
        };
        let looks: Vec<Material> = self
            .group
            .materials
            .iter()
            .map(|m| dimmed(self.looks.material(*m)))
            .collect();
        let differs = |f: &dyn Fn(&Material) -> Vec4| looks.iter().any(|m| f(m) != f(&looks[0]));
        let base = looks.iter().any(|m| m.base_texture.is_some()) || differs(&|m| m.base);
        let rough = looks.iter().any(|m| m.rough_metal_texture.is_some())
            || differs(&|m| Vec4::new(m.roughness, m.metalness, 0.0, 0.0));
        let occluded = looks.iter().any(|m| m.occlusion_texture.is_some());
        let bumped = looks.iter().any(|m| m.normal_texture.is_some());
        let lit = looks.iter().any(|m| m.emissive_texture.is_some())
            || differs(&|m| m.emissive.extend(0.0));
        let name = match number {
            0 => "merged".to_owned(),
            n => format!("merged {}", n + 1),
        };
        json["name"] = json!(name);
        let first = looks[0];
        json["pbrMetallicRoughness"] = json!({
            "baseColorFactor": if base { [1.0; 4] } else { first.base.to_array() },
            "roughnessFactor": if rough { 1.0 } else { first.roughness },
            "metallicFactor": if rough { 1.0 } else { first.metalness },
        });
        let mut add = |what: &str, sheet: Sheet, part: f32| -> Result<Value, EngineError> {
            progress.at(part)?;
            let bytes = self.texture(sheet, strength);
            library.images.push(Image {
                name: if number == 0 {
                    what.to_owned()
                } else {
                    format!("{what}_{}", number + 1)
                },
                mime: "image/png".to_owned(),
                bytes,
            });
            library
                .textures
                .push(json!({ "sampler": 0, "source": library.images.len() - 1 }));
            Ok(json!({ "index": library.textures.len() - 1 }))
        };
        if base {
            json["pbrMetallicRoughness"]["baseColorTexture"] =
                add("base_colour", Sheet::BaseColour, 0.0)?;
        }
        if rough || occluded {
            let texture = add("occlusion_roughness_metalness", Sheet::Surface, 0.25)?;
            if rough {
                json["pbrMetallicRoughness"]["metallicRoughnessTexture"] = texture.clone();
            }
            if occluded {
                json["occlusionTexture"] = texture;
            }
        }
        if bumped {
            json["normalTexture"] = add("normal", Sheet::Normal, 0.5)?;
        }
        if lit {
            json["emissiveTexture"] = add("emissive", Sheet::Emissive, 0.75)?;
            json["emissiveFactor"] = json!([1.0, 1.0, 1.0]);
        } else {
            json["emissiveFactor"] = json!(first.emissive.to_array().map(|v| v.min(1.0)));
        }
        Ok(json)
    }

    /// A texture of the group's surface, as PNG.
    fn texture(&self, sheet: Sheet, strength: f32) -> Vec<u8> {
        let side = self.settings.size as usize;
        let mut texels = vec![[0u16; 4]; side * side];
        let mut covered = vec![false; side * side];
        let source = self.looks.source(self.scene);
        let mesh = &self.scene.mesh;
        for run in mesh
            .runs
            .iter()
            .filter(|r| self.group.materials.contains(&r.material))
        {
            let mut material = self.looks.material(run.material);
            material.emissive /= strength;
            for f in run.faces.clone() {
                self.face(f as usize, &source, &material, sheet, &mut |at, texel| {
                    texels[at] = texel;
                    covered[at] = true;
                });
            }
        }
        filled(&mut texels, &covered, side, side);
        let rgba: Vec<u8> = texels
            .iter()
            .flatten()
            .map(|v| ((u32::from(*v) + 128) / 257) as u8)
            .collect();
        picture::encode(side as u32, side as u32, &rgba)
    }

    /// Every texel whose middle a face covers.
    fn face(
        &self,
        f: usize,
        source: &Source<'_>,
        material: &Material,
        sheet: Sheet,
        put: &mut dyn FnMut(usize, [u16; 4]),
    ) {
        let side = self.settings.size as usize;
        let new = &self.laid_out.uv_sets[0];
        let corners = self.laid_out.face(f);
        let uv: [DVec2; 3] =
            std::array::from_fn(|k| new[corners[k] as usize].as_dvec2() * side as f64);
        let area = (uv[1] - uv[0]).perp_dot(uv[2] - uv[0]);
        if area == 0.0 || !area.is_finite() {
            return;
        }
        // What a texel of the new sheet stands for, in metres.
        let [a, b, c] = self.scene.mesh.triangle(f);
        let metres = (b - a).cross(c - a).length();
        let footprint = (f64::from(metres) / area.abs()).sqrt() as f32;
        let turn = material
            .normal_texture
            .map(|(slot, _)| self.turn(f, slot.uv_set, &uv));
        scanline::rows(uv, [side, side], Sides::Whole, |y, columns| {
            for x in columns {
                let p = DVec2::new(x as f64 + 0.5, y as f64 + 0.5);
                let w1 = (p - uv[0]).perp_dot(uv[2] - uv[0]) / area;
                let w2 = (uv[1] - uv[0]).perp_dot(p - uv[0]) / area;
                let weights = glam::DVec3::new(1.0 - w1 - w2, w1, w2).as_vec3();
                let colour = of(source, material, sheet, f, weights, footprint, turn);
                put(
                    y * side + x,
                    colour
                        .to_array()
                        .map(|v| (v.clamp(0.0, 1.0) * 65_535.0 + 0.5) as u16),
                );
            }
        });
    }

    /// How directions on the old sheet lie on the new one: the turn, and perhaps the mirroring, between a face's places on both.
    fn turn(&self, f: usize, set: usize, new: &[DVec2; 3]) -> Mat2 {
        let Some(old) = self.scene.mesh.uv_sets.get(set) else {
            return Mat2::IDENTITY;
        };
        let corners = self.scene.mesh.face(f);
        let old: [Vec2; 3] = std::array::from_fn(|k| old[corners[k] as usize]);
        let [p, q] = [old[1] - old[0], old[2] - old[0]];
        let [r, s] = [(new[1] - new[0]).as_vec2(), (new[2] - new[0]).as_vec2()];
        let from = Mat2::from_cols(p, q);
        if from.determinant() == 0.0 {
            return Mat2::IDENTITY;
        }
        let map = Mat2::from_cols(r, s) * from.inverse();
        // Islands keep their shape, so this is a turn and a scale, after a mirroring or none.
        let u = map.x_axis.normalize_or(Vec2::X);
        let v = Vec2::new(-u.y, u.x) * map.determinant().signum();
        Mat2::from_cols(u, v)
    }
}

/// What a sheet holds at a place of a face, coded as its file holds it.
fn of(
    source: &Source<'_>,
    material: &Material,
    sheet: Sheet,
    f: usize,
    weights: Vec3,
    footprint: f32,
    turn: Option<Mat2>,
) -> Vec4 {
    let sample = |slot: &Option<ectome_bake::Slot>| {
        slot.as_ref()
            .map_or(Vec4::ONE, |slot| source.sample(slot, f, weights, footprint))
    };
    match sheet {
        Sheet::BaseColour => {
            let c = material.base * sample(&material.base_texture);
            Vec4::new(to_coded(c.x), to_coded(c.y), to_coded(c.z), c.w)
        }
        Sheet::Emissive => {
            let c = material.emissive.extend(1.0) * sample(&material.emissive_texture);
            Vec4::new(to_coded(c.x), to_coded(c.y), to_coded(c.z), 1.0)
        }
        Sheet::Surface => {
            let c = sample(&material.rough_metal_texture);
            let occlusion = material.occlusion_texture.map_or(1.0, |(slot, strength)| {
                1.0 + strength * (source.sample(&slot, f, weights, footprint).x - 1.0)
            });
            Vec4::new(
                occlusion,
                material.roughness * c.y,
                material.metalness * c.z,
                1.0,
            )
        }
        Sheet::Normal => {
            let flat = Vec3::Z;
            let n = match (&material.normal_texture, turn) {
                (Some((slot, strength)), Some(turn)) => {
                    let d = source.sample(slot, f, weights, footprint).truncate() * 2.0 - 1.0;
                    // V runs down, green up.
                    let along = turn * Vec2::new(d.x * strength, -d.y * strength);
                    Vec3::new(along.x, -along.y, d.z).normalize_or(flat)
                }
                _ => flat,
            };
            (n * 0.5 + 0.5).extend(1.0)
        }
    }
}
