//! Materials that can share become one: over UVs laid out anew at one texel density, with the textures of all slots brought along.
//!
//! ```text
//! materials ─▶ groups that can share        UVs ─▶ one density ─▶ packed
//!                  └──▶ atlas: each texel of the new sheet from the old textures ◀──┘
//! ```
//!
//! What shines through, what is cut out, what is seen from both sides and what is shaded in another way stay apart: a material says
//! it for all of its surface. Factors without textures become texels.

mod atlas;

use std::collections::HashMap;

use ectome_formats::{Library, Scene};
use ectome_mesh::{Mesh, Progress, edit};
use serde::{Deserialize, Serialize};
use serde_json::Value;

use crate::{
    EngineError, Packing, UvReport, UvStep,
    figures::counted,
    maps::Looks,
    materials::{self, Groups},
    triangles::triangulated,
    uv::change::{Density, SuggestPriorities},
};
use ectome_uv::unwrap::Manner;

/// How materials are merged.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct MergeSettings {
    /// Side of the textures, in texels.
    pub size: u32,
    /// Least distance between islands, in texels.
    pub padding: u32,
    /// Islands get as many texels as they are seen, instead of one density.
    pub by_sight: bool,
}

impl Default for MergeSettings {
    fn default() -> Self {
        Self {
            size: 2048,
            padding: 8,
            by_sight: false,
        }
    }
}

/// How many materials the scene of triangles would have at least.
pub fn groups_of(scene: &Scene) -> usize {
    materials::groups(scene).list.len()
}

/// Merges the materials of a scene, and says what was done. The surface, its parts and the order of its triangles stay.
///
/// # Errors
/// [`EngineError::Bake`] where there is nothing to merge, [`EngineError::Uv`], [`EngineError::Pack`], [`EngineError::Cancelled`].
pub fn merged(
    scene: Scene,
    settings: &MergeSettings,
    progress: &Progress,
) -> Result<(Scene, UvReport), EngineError> {
    let scene = triangulated(scene, progress)?;
    let groups = materials::groups(&scene);
    let before = groups.materials();
    if before < 2 || groups.list.len() == before {
        let why = match before {
            0 | 1 => "there is one material already".to_owned(),
            n => format!(
                "none of the {n} materials can share with another: {}",
                groups.apart()
            ),
        };
        return Err(EngineError::Merge(why));
    }
    let apart = groups.apart();
    let kinds = groups.list.len();
    let joined: Groups = groups.that_join();
    let run = scene.mesh.run_of_faces();
    let material = |f: usize| scene.mesh.runs[run[f] as usize].material;
    let of_face: Vec<Option<usize>> = (0..scene.mesh.face_count())
        .map(|f| joined.position(material(f)))
        .collect();
    // What joins none keeps its UVs and its pictures.
    let own = Scene {
        mesh: edit::kept(&scene.mesh, |f| of_face[f].is_some()),
        library: scene.library.clone(),
        ..Scene::default()
    };
    let own = with_uvs_everywhere(own, &progress.span(0.0, 0.2))?;
    let settings = &settings.fitted(&own);
    let step = UvStep {
        change: if settings.by_sight {
            SuggestPriorities {}.into()
        } else {
            let texels_per_metre = None;
            Density { texels_per_metre }.into()
        },
        packing: Packing {
            sheet: ectome_uv::pack::Settings {
                size: settings.size,
                padding: f64::from(settings.padding),
                border: f64::from(settings.padding),
                ..ectome_uv::pack::Settings::default()
            },
            ..Packing::default()
        },
    };
    // Where textures lie on the old UVs is asked of the old scene; the layout need not know them.
    let bare = Scene {
        mesh: painted_apart(&own),
        library: own.library.without_textures(),
        ..Scene::default()
    };
    let (laid_out, mut report) = step.apply(bare, &progress.span(0.2, 0.4))?;
    progress.stage("Merging materials");
    let looks = Looks::with_occlusion(&own);
    let (mut library, of_group) = atlas::library(
        &own,
        &looks,
        &laid_out.mesh,
        &joined,
        settings,
        &progress.span(0.4, 1.0),
    )?;
    report.sentence = format!(
        "{} became {kinds} at {} texels{}",
        counted(before as u64, "material"),
        settings.size,
        if apart.is_empty() {
            String::new()
        } else {
            format!("; apart stay {apart}")
        }
    );
    let mut kept = vec![false; scene.library.materials.len()];
    for m in (0..of_face.len())
        .filter(|&f| of_face[f].is_none())
        .filter_map(material)
    {
        if let Some(slot) = kept.get_mut(m as usize) {
            *slot = true;
        }
    }
    let (others, place) = scene.library.pruned(&kept);
    let numbers = library.take(others);
    let materials: Vec<Option<u32>> = (0..of_face.len())
        .map(|f| match of_face[f] {
            Some(group) => Some(of_group[group]),
            None => {
                let at = material(f).and_then(|m| place.get(m as usize));
                at.and_then(|&at| numbers.get(at as usize)).copied()
            }
        })
        .collect();
    let mesh = with_uvs_of(&scene.mesh, &laid_out.mesh, |f| of_face[f].is_some());
    let (part, parts) = (mesh.part_of_faces(), mesh.parts.clone());
    let mesh = edit::rearranged(&mesh, parts, |f| (part[f], materials[f]));
    Ok((
        Scene {
            mesh,
            library,
            ..scene
        },
        report,
    ))
}

impl MergeSettings {
    /// The same with a sheet no larger than what the materials of a scene hold: as many texels as its faces show of their pictures.
    fn fitted(&self, scene: &Scene) -> Self {
        let library = &scene.library;
        let pictures: Vec<u64> = (0..library.materials.len())
            .map(|m| largest_picture(library, &library.materials[m]))
            .collect();
        let mesh = &scene.mesh;
        let mut texels = 0.0;
        for run in &mesh.runs {
            let picture = run.material.and_then(|m| pictures.get(m as usize));
            let Some(&picture) = picture.filter(|&&p| p > 0) else {
                continue;
            };
            for f in run.faces.clone() {
                let uv = [0, 1, 2].map(|k| mesh.uv_sets[0][mesh.face(f as usize)[k] as usize]);
                let area = (uv[1] - uv[0]).perp_dot(uv[2] - uv[0]).abs() / 2.0;
                texels += f64::from(area) * picture as f64;
            }
        }
        let needed = (texels / FILLED).sqrt().clamp(f64::from(LEAST), 65_536.0) as u32;
        let size = self.size.min(needed.next_power_of_two());
        Self {
            size,
            padding: (self.padding * size).div_ceil(self.size.max(1)).max(2),
            ..self.clone()
        }
    }
}

/// What islands usually fill of a sheet.
const FILLED: f64 = 0.6;
/// A sheet is not made smaller than this: plain colours are texels too, and islands stand apart.
const LEAST: u32 = 256;

/// Texels of the largest picture of a material; 0 without any.
fn largest_picture(library: &Library, material: &Value) -> u64 {
    let Value::Object(map) = material else {
        return 0;
    };
    let of = |(key, v): (&String, &Value)| {
        if !key.ends_with("Texture") {
            return largest_picture(library, v);
        }
        let texture = v["index"]
            .as_u64()
            .and_then(|t| library.textures.get(t as usize));
        let image = texture.and_then(|t| library.images.get(t["source"].as_u64()? as usize));
        let (w, h) = image.and_then(|i| i.size()).unwrap_or_default();
        u64::from(w) * u64::from(h)
    };
    map.iter().map(of).max().unwrap_or(0)
}

/// A mesh whose chosen faces, in their order, get the first UVs of another's faces, and no further sets: those belonged to textures that
/// are no more.
fn with_uvs_of(mesh: &Mesh, from: &Mesh, chosen: impl Fn(usize) -> bool) -> Mesh {
    let mut out = mesh.clone();
    if out.uv_sets.is_empty() {
        out.uv_sets
            .push(vec![glam::Vec2::ZERO; mesh.vertex_count()]);
    }
    let mut copies: HashMap<(u32, u32), u32> = HashMap::new();
    for (next, f) in (0..mesh.face_count()).filter(|&f| chosen(f)).enumerate() {
        for k in 0..3 {
            let (v, w) = (mesh.corners[3 * f + k], from.corners[3 * next + k]);
            out.corners[3 * f + k] = *copies.entry((v, w)).or_insert_with(|| {
                let own = out.copy_vertex(v, mesh.vertex_point[v as usize]);
                out.uv_sets[0][own as usize] = from.uv_sets[0][w as usize];
                own
            });
        }
    }
    for run in out.runs.iter_mut().filter(|r| !r.faces.is_empty()) {
        if chosen(run.faces.start as usize) {
            run.channels.uv_sets = 1;
        }
    }
    let sets = out.runs.iter().map(|r| r.channels.uv_sets).max();
    out.uv_sets.truncate(usize::from(sets.unwrap_or(1)).max(1));
    out.drop_unused();
    out
}

/// The mesh with its first UVs taken apart by what materials show: islands that lie on one another under different pictures, each of which
/// uses all of its own, are not copies that could share texels. Packing gives all of them new places.
fn painted_apart(scene: &Scene) -> Mesh {
    let mut mesh = scene.mesh.clone();
    let classes = materials::classes(&scene.library);
    let class_of = |m: Option<u32>| m.and_then(|m| classes.get(m as usize)).map_or(0, |c| c + 1);
    let Some(uvs) = mesh.uv_sets.first() else {
        return mesh;
    };
    // Where each class begins and ends along U.
    let mut span = vec![(f32::INFINITY, f32::NEG_INFINITY); classes.len() + 1];
    for run in &mesh.runs {
        let own = &mut span[class_of(run.material) as usize];
        for f in run.faces.clone() {
            for &v in mesh.face(f as usize) {
                let u = uvs[v as usize].x;
                *own = (own.0.min(u), own.1.max(u));
            }
        }
    }
    let mut next = 0.0;
    let shifts: Vec<f32> = span
        .iter()
        .map(|&(low, high)| {
            if low > high {
                return 0.0;
            }
            let shift = next - low.floor();
            next += (high - low.floor()).ceil() + 1.0;
            shift
        })
        .collect();
    // A vertex that faces of two classes use is two from here on.
    let mut owner = vec![u32::MAX; mesh.vertex_count()];
    let mut copies: HashMap<(u32, u32), u32> = HashMap::new();
    let given = mesh.uv_sets[0].clone();
    for run in mesh.runs.clone() {
        let class = class_of(run.material);
        let shift = glam::Vec2::X * shifts[class as usize];
        for c in 3 * run.faces.start as usize..3 * run.faces.end as usize {
            let v = mesh.corners[c];
            let own = &mut owner[v as usize];
            if *own == u32::MAX {
                *own = class;
                mesh.uv_sets[0][v as usize] += shift;
            } else if *own != class {
                let point = mesh.vertex_point[v as usize];
                mesh.corners[c] = *copies.entry((v, class)).or_insert_with(|| {
                    let copy = mesh.copy_vertex(v, point);
                    mesh.uv_sets[0][copy as usize] = given[v as usize] + shift;
                    copy
                });
            }
        }
    }
    mesh
}

/// Gives faces without UVs some: what has no texture may have none.
fn with_uvs_everywhere(mut scene: Scene, progress: &Progress) -> Result<Scene, EngineError> {
    let lacks = |scene: &Scene| -> Vec<bool> {
        let mut list = vec![false; scene.mesh.face_count()];
        for run in scene.mesh.runs.iter().filter(|r| r.channels.uv_sets == 0) {
            list[run.faces.start as usize..run.faces.end as usize].fill(true);
        }
        list
    };
    let bare = lacks(&scene);
    if !bare.contains(&true) {
        return Ok(scene);
    }
    let own = Scene {
        mesh: edit::kept(&scene.mesh, |f| bare[f]),
        ..Scene::default()
    };
    let (unwrapped, _) = UvStep::unwrap(Manner::Mechanical).apply(own, progress)?;
    scene.mesh = with_uvs_of(&scene.mesh, &unwrapped.mesh, |f| bare[f]);
    Ok(scene)
}
