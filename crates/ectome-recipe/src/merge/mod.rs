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

use ectome_formats::Scene;
use ectome_mesh::{Mesh, Progress, edit};
use serde::{Deserialize, Serialize};

use crate::{
    EngineError, Packing, UvReport, UvStep,
    figures::counted,
    maps::Looks,
    materials,
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
    let scene = with_uvs_everywhere(scene, &progress.span(0.0, 0.2))?;
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
        mesh: scene.mesh.clone(),
        library: scene.library.without_textures(),
        ..Scene::default()
    };
    let (laid_out, mut report) = step.apply(bare, &progress.span(0.2, 0.4))?;
    progress.stage("Merging materials");
    let looks = Looks::with_occlusion(&scene);
    let (library, of_group) = atlas::library(
        &scene,
        &looks,
        &laid_out.mesh,
        &groups,
        settings,
        &progress.span(0.4, 1.0),
    )?;
    report.sentence = format!(
        "{} became {} at {} texels{}",
        counted(before as u64, "material"),
        groups.list.len(),
        settings.size,
        match groups.apart() {
            apart if apart.is_empty() => String::new(),
            apart => format!("; apart stay {apart}"),
        }
    );
    let mut mesh = laid_out.mesh;
    keep_first_set(&mut mesh);
    let part = mesh.part_of_faces();
    let run = mesh.run_of_faces();
    let material: Vec<Option<u32>> = mesh.runs.iter().map(|r| r.material).collect();
    let parts = mesh.parts.clone();
    let mesh = edit::rearranged(&mesh, parts, |f| {
        let group = groups.of_material(material[run[f] as usize]);
        (part[f], Some(of_group[group]))
    });
    Ok((
        Scene {
            mesh,
            library,
            ..scene
        },
        report,
    ))
}

/// Only the set that the atlas lies on stays: others belonged to textures that are no more.
fn keep_first_set(mesh: &mut Mesh) {
    mesh.uv_sets.truncate(1);
    for run in &mut mesh.runs {
        run.channels.uv_sets = run.channels.uv_sets.min(1);
    }
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
    let (from, uvs) = (&unwrapped.mesh, &unwrapped.mesh.uv_sets[0]);
    // A corner at a time, since seams of the new islands divide vertices.
    let mesh = scene.mesh.clone();
    let mut out = mesh.clone();
    if out.uv_sets.is_empty() {
        out.uv_sets
            .push(vec![glam::Vec2::ZERO; mesh.vertex_count()]);
    }
    let lacking = (0..mesh.face_count()).filter(|&f| bare[f]);
    for (next, f) in lacking.enumerate() {
        for k in 0..3 {
            let v = mesh.corners[3 * f + k];
            let own = out.copy_vertex(v, mesh.vertex_point[v as usize]);
            out.uv_sets[0][own as usize] = uvs[from.corners[3 * next + k] as usize];
            out.corners[3 * f + k] = own;
        }
    }
    out.runs
        .iter_mut()
        .for_each(|r| r.channels.uv_sets = r.channels.uv_sets.max(1));
    out.drop_unused();
    scene.mesh = out;
    Ok(scene)
}
