//! What a scene consists of, under the names outsiders rely on.

use ectome_formats::Scene;
use ectome_mesh::{Mesh, islands, measure, topology::Topology, triangulate::triangulate};
use serde::{Deserialize, Serialize};

/// One named object.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Object {
    /// Its name.
    pub name: String,
    /// Its triangles.
    pub triangles: usize,
    /// The names of its materials.
    pub materials: Vec<String>,
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
    /// The pictures.
    pub textures: Vec<TextureInfo>,
    /// Lowest and highest corner, in metres.
    pub bounds_m: [[f32; 3]; 2],
    /// What reading had to leave out.
    pub notes: Vec<String>,
}

impl Inspection {
    /// Inspects a scene as it was read.
    pub fn of(scene: &Scene) -> Self {
        let (mesh, _) = triangulate(&scene.mesh);
        let (quads, ngons) = scene.mesh.quads_and_ngons();
        let t = Topology::of(&mesh);
        let bounds = measure::bounds(&mesh);
        let uv_islands = islands::count(&mesh);
        let uv_out_of_range_triangles = out_of_range(&mesh);
        let slots = scene.library.image_slots();
        Self {
            triangles: mesh.triangle_count(),
            faces: scene.mesh.face_count(),
            quads,
            quads_with_recovered: recovered_quads(&scene.mesh),
            ngons,
            vertices: mesh.vertex_count(),
            points: mesh.points.len(),
            objects: objects(scene),
            materials: materials(scene, |_| true),
            components: t.components,
            open_edges: t.open_edges,
            open_loops: t.open_loops,
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
            bounds_m: [bounds.min.to_array(), bounds.max.to_array()],
            notes: scene.notes.clone(),
        }
    }
}

fn objects(scene: &Scene) -> Vec<Object> {
    let counts = scene.mesh.triangles_per_part();
    scene
        .mesh
        .parts
        .iter()
        .enumerate()
        .map(|(i, part)| Object {
            name: part.name.clone(),
            triangles: counts[i],
            materials: materials(scene, |part| part as usize == i),
        })
        .collect()
}

/// The names of the materials of some parts, each once, in order of use.
fn materials(scene: &Scene, of_part: impl Fn(u32) -> bool) -> Vec<String> {
    let mut seen = Vec::new();
    for run in scene.mesh.runs.iter().filter(|r| of_part(r.part)) {
        if let Some(m) = run.material
            && !seen.contains(&m)
        {
            seen.push(m);
        }
    }
    seen.into_iter()
        .map(|m| scene.library.name(m).to_owned())
        .collect()
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
