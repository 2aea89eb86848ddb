//! From scenes to a document of glTF 2.0.
//!
//! ```text
//! scene ─▶ runs of each part ─▶ primitive: corners and vertices ─▶ order ─▶ attributes ─▶ buffer ─┐
//!    └──▶ tree of nodes ◀── frame of each mesh (quantised: its grid) ────────────────────────────┴─▶ document
//! ```

use std::collections::HashMap;

use ectome_mesh::{Mesh, Part, Run, tangents};
use glam::{Affine3A, Vec3, Vec4};
use serde_json::{Map, Value, json};

use super::{
    Document, bound,
    buffer::Buffer,
    copies::is_copy,
    order,
    quantise::{self, Grid},
    tree::{Frame, Tree},
};
use crate::{FormatError, Library, Scene};

/// How numbers of vertices are written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Coding {
    /// As floats.
    #[default]
    Plain,
    /// As whole numbers of two bytes (`KHR_mesh_quantization`).
    Quantised,
    /// The same, packed (`EXT_meshopt_compression`).
    Compressed,
}

/// How a scene is written.
#[derive(Clone, Debug, Default)]
pub struct Options {
    /// Put behind the name of every object and mesh, such as `_LOD1`.
    pub suffix: String,
    /// Each node carries the number of its part in its extras, so that a stage can tell parts apart.
    pub numbered: bool,
    /// What has a normal map gets its tangents written too, so that whoever reads the file and whoever baked the map go by the
    /// same; a second for 100 000 triangles.
    pub tangents: bool,
    /// Objects hang in the tree in which the source hung them ([`Mesh::nodes`]); otherwise they stand beside each other.
    pub hierarchy: bool,
    /// Triangles and vertices come in the order in which devices draw them fastest; otherwise as the mesh has them.
    pub ordered: bool,
    /// How numbers are written.
    pub coding: Coding,
}

/// A scene as one tier of a file that holds several.
#[derive(Clone, Debug)]
pub struct Tier<'a> {
    /// The scene, of triangles.
    pub scene: &'a Scene,
    /// The name of the node that its objects hang from.
    pub name: String,
    /// The least share of the screen's height at which it is shown; `None` where nobody says, and all tiers then are parts of the
    /// scene.
    pub coverage: Option<f64>,
}

/// Writes a scene of triangles as a GLB: one node and one mesh for each part, one primitive for
/// each run, only the materials and pictures in use.
///
/// # Errors
/// [`FormatError::Empty`] for a scene without triangles or with larger faces,
/// [`FormatError::TooLarge`].
pub fn write(scene: &Scene, options: &Options) -> Result<Vec<u8>, FormatError> {
    document(scene, options)?.into_glb()
}

/// The same as a document, which may become one file or several.
///
/// # Errors
/// [`FormatError::Empty`] for a scene without triangles or with larger faces.
pub fn document(scene: &Scene, options: &Options) -> Result<Document, FormatError> {
    let mut writer = Writer::new(options);
    let roots = writer.scene(scene)?;
    Ok(writer.finished(&roots, scene.copyright.as_deref()))
}

/// Several tiers in one document, each below a node of its own. With a coverage for each, the first node is the scene and names the
/// others as its coarser levels (`MSFT_lod`, Khronos Group registry of glTF extensions).
///
/// # Errors
/// [`FormatError::Empty`] for no tier, or for one without triangles or with larger faces.
pub fn tiers(tiers: &[Tier<'_>], options: &Options) -> Result<Document, FormatError> {
    let mut writer = Writer::new(options);
    let mut tops = Vec::new();
    for tier in tiers {
        let roots = writer.scene(tier.scene)?;
        tops.push(writer.nodes.len());
        writer
            .nodes
            .push(json!({ "name": tier.name, "children": roots }));
    }
    let Some(first) = tiers.first() else {
        return Err(empty());
    };
    let coverages: Option<Vec<f64>> = tiers.iter().map(|t| t.coverage).collect();
    if let Some(coverages) = coverages.filter(|_| tops.len() > 1) {
        let node = &mut writer.nodes[tops[0]];
        node["extensions"]["MSFT_lod"] = json!({ "ids": tops[1..] });
        node["extras"]["MSFT_screencoverage"] = json!(coverages);
        writer.extensions.push("MSFT_lod");
        tops.truncate(1);
    }
    Ok(writer.finished(&tops, first.scene.copyright.as_deref()))
}

fn empty() -> FormatError {
    FormatError::Empty {
        file: "the scene".to_owned(),
    }
}

/// A document as it grows.
struct Writer<'a> {
    options: &'a Options,
    buffer: Buffer,
    library: Library,
    nodes: Vec<Value>,
    meshes: Vec<Value>,
    /// Extensions that the document uses beside those of its materials.
    extensions: Vec<&'static str>,
}

/// A primitive before it is written: corners, and what each of its vertices is.
struct Gathered {
    indices: Vec<u32>,
    /// The mesh's vertex.
    vertices: Vec<u32>,
    /// Its tangent, where there are any.
    tangents: Vec<[f32; 4]>,
}

impl<'a> Writer<'a> {
    fn new(options: &'a Options) -> Self {
        Self {
            options,
            buffer: Buffer::coded(options.coding),
            library: Library::default(),
            nodes: Vec::new(),
            meshes: Vec::new(),
            extensions: Vec::new(),
        }
    }

    /// Adds a scene, and says which nodes hang from nothing.
    fn scene(&mut self, scene: &Scene) -> Result<Vec<usize>, FormatError> {
        let mesh = &scene.mesh;
        if mesh.face_count() == 0 || !mesh.is_triangulated() {
            return Err(empty());
        }
        let mut used = vec![false; scene.library.materials.len()];
        for run in &mesh.runs {
            if let Some(slot) = run.material.and_then(|m| used.get_mut(m as usize)) {
                *slot = true;
            }
        }
        let (library, pruned) = scene.library.pruned(&used);
        let taken = self.library.take(library);
        let material_of = |m: u32| -> Option<u32> {
            let known = used.get(m as usize).copied().unwrap_or(false);
            known.then(|| taken[pruned[m as usize] as usize])
        };
        let normal_mapped = |run: &Run| {
            let material = run
                .material
                .and_then(|m| scene.library.materials.get(m as usize));
            run.channels.normals
                && run.channels.uv_sets > 0
                && material.is_some_and(|m| !m["normalTexture"].is_null())
        };
        let tangents = (self.options.tangents && mesh.runs.iter().any(normal_mapped))
            .then(|| tangents::of(mesh, &tangents::shading_normals(mesh)));
        let runs_of = |p: u32| {
            let runs = mesh.runs.iter();
            runs.filter(move |r| r.part == p && !r.faces.is_empty())
        };
        let mut tree = Tree::of(mesh, self.options.hierarchy, |p| {
            runs_of(p).next().is_some()
        });
        let copies: HashMap<u32, &crate::Copy> = scene.copies.iter().map(|c| (c.part, c)).collect();
        let is_moved = |p: u32| copies.get(&p).is_some_and(|c| is_copy(mesh, c));
        let on_grids = self.options.coding != Coding::Plain;
        let frames: Vec<Affine3A> = mesh.parts.iter().map(|part| tree.frame(part)).collect();
        let leaders = bound::leaders(mesh, &frames, &is_moved, on_grids);
        let mut led = vec![0; leaders.len()];
        leaders.iter().for_each(|&l| led[l as usize] += 1);
        let mut shared_grids: HashMap<u32, Grid> = HashMap::new();
        let mut local = vec![u32::MAX; mesh.vertex_count()];
        let mut grids: Vec<(usize, Grid)> = Vec::new();
        // Parts written so far, the meshes they became, and the frames of these.
        let mut stored: HashMap<u32, (usize, Frame)> = HashMap::new();
        for (p, part) in (0..).zip(&mesh.parts) {
            if runs_of(p).next().is_none() {
                continue;
            }
            let part = &Part {
                name: format!("{}{}", part.name, self.options.suffix),
                ..part.clone()
            };
            let extras = |node: &mut Value| {
                if self.options.numbered {
                    node["extras"] = json!({ "part": p });
                }
            };
            let copy = copies.get(&p);
            let leader = leaders[p as usize];
            let bound = led[leader as usize] > 1;
            let copy = copy.filter(|c| !bound && stored.contains_key(&c.of) && is_copy(mesh, c));
            if let Some(copy) = copy
                && let (mesh_at, frame) = &stored[&copy.of]
                && let Some(node) = tree.hang_copy(part, frame, &copy.motion)
            {
                node["mesh"] = json!(mesh_at);
                extras(node);
                continue;
            }
            let (node, frame) = if bound {
                tree.hang_with(part, &mesh.parts[leader as usize])
            } else {
                tree.hang(part)
            };
            node["mesh"] = json!(self.meshes.len());
            extras(node);
            let runs: Vec<(&Run, Gathered)> = runs_of(p)
                .map(|run| {
                    let tangents = tangents.as_deref().filter(|_| normal_mapped(run));
                    (run, gathered(mesh, run, &frame, tangents, &mut local))
                })
                .collect();
            let grid = on_grids.then(|| {
                if bound {
                    let around = || around_all(mesh, &frame, |q| leaders[q as usize] == leader);
                    return *shared_grids.entry(leader).or_insert_with(around);
                }
                let vertices = runs.iter().flat_map(|(_, g)| &g.vertices);
                Grid::around(vertices.map(|&v| frame.place(mesh.position(v))))
            });
            if let Some(grid) = grid {
                grids.push((self.meshes.len(), grid));
            }
            let primitives: Vec<Value> = runs
                .into_iter()
                .map(|(run, gathered)| {
                    let mut primitive = self.primitive(mesh, run, &frame, grid.as_ref(), gathered);
                    if let Some(m) = run.material.and_then(material_of) {
                        primitive["material"] = json!(m);
                    }
                    primitive
                })
                .collect();
            stored.insert(p, (self.meshes.len(), frame));
            self.meshes
                .push(json!({ "name": part.name, "primitives": primitives }));
        }
        Ok(self.take_tree(tree, &grids))
    }

    /// Puts a tree of nodes behind those there are; returns its roots.
    fn take_tree(&mut self, tree: Tree, grids: &[(usize, Grid)]) -> Vec<usize> {
        let (mut nodes, mut roots) = tree.into_parts();
        if !grids.is_empty() {
            quantise::placed(&mut nodes, grids);
        }
        let from = self.nodes.len();
        for node in &mut nodes {
            if let Some(children) = node["children"].as_array_mut() {
                let moved = |c: &Value| json!(c.as_u64().unwrap_or(0) + from as u64);
                children.iter_mut().for_each(|c| *c = moved(c));
            }
            if node["children"].is_null()
                && let Some(fields) = node.as_object_mut()
            {
                fields.remove("children");
            }
        }
        roots.iter_mut().for_each(|r| *r += from);
        self.nodes.extend(nodes);
        roots
    }

    fn primitive(
        &mut self,
        mesh: &Mesh,
        run: &Run,
        frame: &Frame,
        grid: Option<&Grid>,
        mut gathered: Gathered,
    ) -> Value {
        let mut places: Vec<[f32; 3]> = gathered
            .vertices
            .iter()
            .map(|&v| frame.place(mesh.position(v)).to_array())
            .collect();
        if self.options.ordered {
            let order = order::ordered(&mut gathered.indices, &places);
            places = moved(&places, &order);
            gathered.vertices = moved(&gathered.vertices, &order);
            gathered.tangents = moved(&gathered.tangents, &order);
        }
        let vertices = &gathered.vertices;
        let buffer = &mut self.buffer;
        let mut attributes = Map::new();
        let position = match grid {
            None => buffer.floats(&places, true),
            Some(grid) => {
                let rows: Vec<[i16; 3]> = places.iter().map(|&p| grid.of(Vec3::from(p))).collect();
                buffer.shorts(&rows, false)
            }
        };
        attributes.insert("POSITION".to_owned(), json!(position));
        if run.channels.normals && !mesh.normals.is_empty() {
            let normals: Vec<[f32; 3]> = vertices
                .iter()
                .map(|&v| {
                    (frame.normal_map * mesh.normals[v as usize])
                        .try_normalize()
                        .unwrap_or(Vec3::Y)
                        .to_array()
                })
                .collect();
            let at = match grid {
                None => buffer.floats(&normals, false),
                Some(_) => buffer.shorts(&quantise::signed(&normals), true),
            };
            attributes.insert("NORMAL".to_owned(), json!(at));
        }
        if !gathered.tangents.is_empty() {
            let at = match grid {
                None => buffer.floats(&gathered.tangents, false),
                Some(_) => buffer.shorts(&quantise::signed(&gathered.tangents), true),
            };
            attributes.insert("TANGENT".to_owned(), json!(at));
        }
        let sets = mesh.uv_sets.iter().take(run.channels.uv_sets.into());
        for (i, set) in sets.enumerate() {
            let rows: Vec<[f32; 2]> = vertices
                .iter()
                .map(|&v| set[v as usize].to_array())
                .collect();
            let at = match grid.and_then(|_| quantise::shares(&rows)) {
                Some(shares) => buffer.shares(&shares),
                None => buffer.floats(&rows, false),
            };
            attributes.insert(format!("TEXCOORD_{i}"), json!(at));
        }
        if run.channels.colours && !mesh.colours.is_empty() {
            let rows: Vec<[f32; 4]> = vertices
                .iter()
                .map(|&v| {
                    mesh.colours[v as usize]
                        .to_array()
                        .map(|c| c.clamp(0.0, 1.0))
                })
                .collect();
            let at = match grid.and_then(|_| quantise::shares(&rows)) {
                Some(shares) => buffer.shares(&shares),
                None => buffer.floats(&rows, false),
            };
            attributes.insert("COLOR_0".to_owned(), json!(at));
        }
        let indices = buffer.indices(&gathered.indices, vertices.len());
        json!({ "attributes": attributes, "indices": indices })
    }

    fn finished(self, roots: &[usize], copyright: Option<&str>) -> Document {
        let mut root = Map::new();
        let mut asset = json!({
            "version": "2.0",
            "generator": concat!("Ectome ", env!("CARGO_PKG_VERSION")),
        });
        if let Some(copyright) = copyright {
            asset["copyright"] = json!(copyright);
        }
        root.insert("asset".to_owned(), asset);
        root.insert("scene".to_owned(), json!(0));
        root.insert("scenes".to_owned(), json!([{ "nodes": roots }]));
        root.insert("nodes".to_owned(), Value::Array(self.nodes));
        root.insert("meshes".to_owned(), Value::Array(self.meshes));
        Document::new(root, self.buffer, self.library, self.extensions)
    }
}

/// Rows in a new order.
fn moved<T: Copy + Default>(rows: &[T], place: &[u32]) -> Vec<T> {
    let mut out = vec![T::default(); rows.len()];
    for (row, &at) in rows.iter().zip(place) {
        if let Some(slot) = out.get_mut(at as usize) {
            *slot = *row;
        }
    }
    out
}

/// The corners of a run and the vertices they need, in the order of their first use. A vertex whose corners have different tangents
/// becomes one for each.
/// A grid around all parts that are `wanted`.
fn around_all(mesh: &Mesh, frame: &Frame, wanted: impl Fn(u32) -> bool) -> Grid {
    let runs = mesh.runs.iter().filter(|r| wanted(r.part));
    let vertices = runs.flat_map(|r| r.faces.clone().flat_map(|f| mesh.face(f as usize)));
    Grid::around(vertices.map(|&v| frame.place(mesh.position(v))))
}

fn gathered(
    mesh: &Mesh,
    run: &Run,
    frame: &Frame,
    tangents: Option<&[Vec4]>,
    local: &mut [u32],
) -> Gathered {
    let range = 3 * run.faces.start as usize..3 * run.faces.end as usize;
    let mut out = Gathered {
        indices: Vec::with_capacity(range.len()),
        vertices: Vec::new(),
        tangents: Vec::new(),
    };
    match tangents {
        None => {
            for &v in &mesh.corners[range] {
                let slot = &mut local[v as usize];
                if *slot == u32::MAX {
                    *slot = out.vertices.len() as u32;
                    out.vertices.push(v);
                }
                out.indices.push(*slot);
            }
            out.vertices
                .iter()
                .for_each(|&v| local[v as usize] = u32::MAX);
        }
        Some(tangents) => {
            let mut known = HashMap::new();
            let inverse: Affine3A = frame.inverse;
            for corner in range {
                let (v, t) = (mesh.corners[corner], tangents[corner]);
                let key = (v, t.to_array().map(f32::to_bits));
                let at = *known.entry(key).or_insert_with(|| {
                    out.vertices.push(v);
                    let along = inverse.matrix3 * glam::Vec3A::from(t.truncate());
                    let along = along.normalize_or(glam::Vec3A::X);
                    let sign = if frame.mirrored { -t.w } else { t.w };
                    out.tangents.push([along.x, along.y, along.z, sign]);
                    out.vertices.len() as u32 - 1
                });
                out.indices.push(at);
            }
        }
    }
    if frame.mirrored {
        out.indices.chunks_exact_mut(3).for_each(|f| f.swap(1, 2));
    }
    out
}
