//! What a scene consists of, under the names outsiders rely on.

use std::{borrow::Cow, collections::HashSet};

use ectome_formats::Scene;
use ectome_intake::{
    diagnose::{Diagnosis, Kind, Mark, diagnose, sheets::Sheets, uv::overlap_percent},
    parts::{hidden, mirror, repeats},
};
use ectome_mesh::{
    Cancelled, Fate, Mesh, Progress, islands, measure, topology::Topology, triangulate::triangulate,
};
use serde::{Deserialize, Serialize};

use crate::{AdvisedFinding, triangles::triangulated};

/// One named object.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Object {
    /// Its name.
    pub name: String,
    /// Its triangles.
    pub triangles: usize,
    /// The names of its materials.
    pub materials: Vec<String>,
    /// What becomes of it.
    #[serde(default)]
    pub fate: Fate,
    /// Its group; empty for none.
    #[serde(default)]
    pub group: String,
    /// Triangles that a cut leaves it at least; absent where nobody says.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub smallest_triangles: Option<u32>,
}

/// Parts that are equal up to a rigid motion or a mirror.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Repeat {
    /// Their names.
    pub names: Vec<String>,
    /// Their numbers.
    pub parts: Vec<u32>,
    /// For each: it is a mirror image of the first.
    pub mirrored: Vec<bool>,
    /// For each: its UVs are those of the first, so it can be stored as a copy.
    pub same_uvs: Vec<bool>,
}

/// One picture.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TextureInfo {
    /// Its name.
    pub name: String,
    /// Width in texels.
    pub width: u32,
    /// Height in texels.
    pub height: u32,
    /// Where materials use it.
    pub slot: String,
}

/// Counts and sizes of a scene.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Inspection {
    /// Triangles after triangulation.
    pub triangles: usize,
    /// Faces of any size.
    pub faces: usize,
    /// Faces with four corners.
    pub quads: usize,
    /// Quads that are given or that pairs of triangles make; 0 where that was not looked for (faces of more
    /// corners, very large meshes).
    #[serde(default)]
    pub quads_with_recovered: usize,
    /// Faces with more.
    pub ngons: usize,
    /// Distinct vertices.
    pub vertices: usize,
    /// Distinct places.
    pub points: usize,
    /// The objects.
    pub objects: Vec<Object>,
    /// The names of the materials in use.
    pub materials: Vec<String>,
    /// Pieces that hang together.
    pub components: usize,
    /// Edges with one face.
    pub open_edges: usize,
    /// Loops they form.
    pub open_loops: usize,
    /// Those of them that are the ends of sheets, and no openings.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub sheet_loops: usize,
    /// How much of the area is sheets: leaves, cloth, terrain, in percent.
    #[serde(default)]
    pub sheets_percent: f64,
    /// Edges with three or more faces.
    pub nonmanifold_edges: usize,
    /// Faces without area.
    pub degenerate_faces: usize,
    /// Faces that occur twice.
    pub duplicate_faces: usize,
    /// Edges whose faces are wound against each other.
    pub inconsistent_edges: usize,
    /// Vertices that stand where another stands.
    pub coincident_vertices: usize,
    /// UV sets.
    pub uv_sets: usize,
    /// Islands of the first UV set.
    pub uv_islands: usize,
    /// Triangles with a UV outside 0–1.
    pub uv_out_of_range_triangles: usize,
    /// How much of the used area of the first UV set is used more than once, in percent.
    #[serde(default)]
    pub uv_overlap_percent: f64,
    /// Loose small pieces.
    #[serde(default)]
    pub floaters: usize,
    /// Triangles that nobody sees from outside; absent where that was not looked for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hidden_triangles: Option<usize>,
    /// Groups of equal parts.
    #[serde(default)]
    pub repeats: Vec<Repeat>,
    /// Parts that are their own mirror image.
    #[serde(default)]
    pub symmetric: Vec<u32>,
    /// What is wrong, worst first.
    #[serde(default)]
    pub findings: Vec<AdvisedFinding>,
    /// The pictures.
    pub textures: Vec<TextureInfo>,
    /// Lowest and highest corner, in metres.
    pub bounds_m: [[f32; 3]; 2],
    /// What reading had to leave out.
    pub notes: Vec<String>,
    /// Triangles of the thinned copy that the stage shows; 0 where it shows the source itself.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub stage_triangles: usize,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde passes it so")]
fn is_zero(n: &usize) -> bool {
    *n == 0
}

/// Up to so many faces a mesh is diagnosed and counted side by side.
const SIDE_BY_SIDE: usize = 4_000_000;

/// Textures larger than this fit no target, in texels.
const LARGE_TEXTURE: u32 = 4096;

impl Inspection {
    /// Inspects a scene as it was read or prepared. Returns, beside it, where each finding is.
    ///
    /// # Errors
    /// [`Cancelled`].
    pub fn of(scene: &Scene, progress: &Progress) -> Result<(Self, Vec<Vec<Mark>>), Cancelled> {
        let diagnosed = || diagnose(&scene.mesh, &progress.span(0.0, 1.0));
        let told = || -> Result<Self, Cancelled> {
            let counted = Self::counted(scene, progress)?;
            let repeats = repeats(&scene.mesh, progress)?;
            // Of the triangles: a face split across the plane cannot be mirrored.
            let symmetric = mirror::find(&*triangles(scene, progress)?, progress)?;
            let whole = symmetric.iter().filter(|h| h.clean && h.same_uvs);
            Ok(Self {
                repeats,
                symmetric: whole.map(|h| h.part).collect(),
                ..counted
            })
        };
        // Side by side where memory allows it.
        let (diagnosis, told) = if scene.mesh.face_count() > SIDE_BY_SIDE {
            (diagnosed(), told())
        } else {
            rayon::join(diagnosed, told)
        };
        let mut diagnosis = diagnosis?;
        texture_findings(scene, &mut diagnosis);
        let inspection = Self {
            floaters: diagnosis.count(Kind::Floaters),
            findings: diagnosis
                .findings
                .into_iter()
                .map(AdvisedFinding::from)
                .collect(),
            ..told?
        };
        progress.at(1.0)?;
        Ok((inspection, diagnosis.marks))
    }

    /// Looks for triangles that nobody sees, which takes a while.
    ///
    /// # Errors
    /// [`Cancelled`].
    pub fn look_for_hidden(&mut self, scene: &Scene, progress: &Progress) -> Result<(), Cancelled> {
        let faces = hidden::find(&scene.mesh, progress)?;
        self.hidden_triangles = Some(hidden::count(&scene.mesh, &faces).triangles);
        Ok(())
    }

    fn counted(scene: &Scene, progress: &Progress) -> Result<Self, Cancelled> {
        let split;
        let mesh = if scene.mesh.is_triangulated() {
            &scene.mesh
        } else {
            split = triangulate(&scene.mesh).0;
            &split
        };
        let (quads, ngons) = scene.mesh.quads_and_ngons();
        progress.go_on()?;
        let t = Topology::of(mesh);
        progress.go_on()?;
        let bounds = measure::bounds(mesh);
        let uv_islands = islands::count(mesh);
        progress.go_on()?;
        let uv_out_of_range_triangles = out_of_range(mesh);
        let uv_overlap_percent = overlap_percent(mesh);
        progress.go_on()?;
        let quads_with_recovered = recovered_quads(&scene.mesh);
        progress.go_on()?;
        let sheets = Sheets::of(mesh);
        progress.go_on()?;
        let slots = scene.library.image_slots();
        Ok(Self {
            triangles: mesh.triangle_count(),
            faces: scene.mesh.face_count(),
            quads,
            quads_with_recovered,
            ngons,
            vertices: mesh.vertex_count(),
            points: mesh.points.len(),
            objects: objects(scene),
            materials: materials(scene),
            components: t.components,
            open_edges: t.open_edges,
            open_loops: t.open_loops,
            sheet_loops: sheets.loops,
            sheets_percent: 100.0 * sheets.share,
            nonmanifold_edges: t.nonmanifold_edges,
            degenerate_faces: t.degenerate_faces,
            duplicate_faces: t.duplicate_faces,
            inconsistent_edges: t.inconsistent_edges,
            coincident_vertices: mesh.vertex_count() - mesh.points.len(),
            uv_sets: mesh.uv_sets.len(),
            uv_islands,
            uv_out_of_range_triangles,
            textures: scene
                .library
                .images
                .iter()
                .zip(slots)
                .map(|(image, slots)| {
                    let (width, height) = image.size().unwrap_or((0, 0));
                    TextureInfo {
                        name: image.name.clone(),
                        width,
                        height,
                        slot: slots.join(", "),
                    }
                })
                .collect(),
            uv_overlap_percent,
            bounds_m: [bounds.min.to_array(), bounds.max.to_array()],
            notes: scene.notes.clone(),
            ..Self::default()
        })
    }
}

/// The mesh in triangles, equal parts split alike.
fn triangles<'a>(scene: &'a Scene, progress: &Progress) -> Result<Cow<'a, Mesh>, Cancelled> {
    Ok(if scene.mesh.is_triangulated() {
        Cow::Borrowed(&scene.mesh)
    } else {
        Cow::Owned(triangulated(scene.clone(), progress)?.mesh)
    })
}

fn repeats(mesh: &Mesh, progress: &Progress) -> Result<Vec<Repeat>, Cancelled> {
    let groups = repeats::find(mesh, progress)?;
    Ok(groups
        .into_iter()
        .map(|group| Repeat {
            names: group
                .iter()
                .map(|i| mesh.parts[i.part as usize].name.clone())
                .collect(),
            parts: group.iter().map(|i| i.part).collect(),
            mirrored: group.iter().map(|i| i.mirrored).collect(),
            same_uvs: group.iter().map(|i| i.same_uvs).collect(),
        })
        .collect())
}

fn texture_findings(scene: &Scene, diagnosis: &mut Diagnosis) {
    let images = &scene.library.images;
    let slots = scene.library.image_slots();
    let used = |i: usize| !slots[i].is_empty();
    let names = |list: &[usize]| {
        let names = list.iter().take(4).map(|&i| images[i].name.as_str());
        names.collect::<Vec<_>>().join(", ")
    };
    let missing: Vec<usize> = (0..images.len())
        .filter(|&i| used(i) && images[i].bytes.is_empty())
        .collect();
    let large: Vec<usize> = (0..images.len())
        .filter(|&i| {
            images[i]
                .size()
                .is_some_and(|(w, h)| w.max(h) > LARGE_TEXTURE)
        })
        .collect();
    for (kind, rank, list) in [
        (Kind::MissingTextures, 2, missing),
        (Kind::LargeTextures, 1, large),
    ] {
        if !list.is_empty() {
            let finding = ectome_intake::diagnose::Finding {
                kind,
                rank,
                count: list.len(),
                detail: names(&list),
            };
            diagnosis.add(finding, Vec::new());
        }
    }
}

fn objects(scene: &Scene) -> Vec<Object> {
    let counts = scene.mesh.triangles_per_part();
    // The materials of each part, each once, in order of use.
    let mut used: Vec<Vec<u32>> = vec![Vec::new(); scene.mesh.parts.len()];
    let mut known: HashSet<(u32, u32)> = HashSet::new();
    for run in &scene.mesh.runs {
        if let Some(m) = run.material
            && known.insert((run.part, m))
        {
            used[run.part as usize].push(m);
        }
    }
    let parts = scene.mesh.parts.iter().zip(counts).zip(used);
    parts
        .map(|((part, triangles), used)| Object {
            name: part.name.clone(),
            triangles,
            materials: names(scene, &used),
            fate: part.fate,
            smallest_triangles: (part.smallest > 0).then_some(part.smallest),
            group: part.group.clone(),
        })
        .collect()
}

/// The materials in use, each once, in order of use.
fn materials(scene: &Scene) -> Vec<String> {
    let mut known = HashSet::new();
    let used: Vec<u32> = scene
        .mesh
        .runs
        .iter()
        .filter_map(|r| r.material)
        .filter(|m| known.insert(*m))
        .collect();
    names(scene, &used)
}

fn names(scene: &Scene, materials: &[u32]) -> Vec<String> {
    let name = |&m: &u32| scene.library.name(m).to_owned();
    materials.iter().map(name).collect()
}

fn recovered_quads(mesh: &Mesh) -> usize {
    if mesh.face_count() > ectome_reduce::LARGE {
        return 0;
    }
    ectome_reduce::loops::Quads::of(mesh).map_or(0, |q| q.quads)
}

/// Triangles whose first UVs leave the unit square.
fn out_of_range(mesh: &Mesh) -> usize {
    let Some(set) = mesh.uv_sets.first() else {
        return 0;
    };
    let outside = |f: &u32| {
        mesh.face(*f as usize).iter().any(|&v| {
            let uv = set[v as usize];
            uv.min_element() < 0.0 || uv.max_element() > 1.0
        })
    };
    mesh.runs
        .iter()
        .filter(|r| r.channels.uv_sets > 0)
        .map(|r| r.faces.clone().filter(outside).count())
        .sum()
}
