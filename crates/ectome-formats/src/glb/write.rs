//! From a scene to a GLB.

use std::collections::HashMap;

use ectome_mesh::{Channels, Mesh, Part, Run, tangents};
use glam::{Mat3, Vec3, Vec4};
use serde_json::{Map, Value, json};

use super::{
    container,
    tree::{Frame, Tree},
};
use crate::{FormatError, Library, Scene, material::extensions_in};

/// How things are named in a file.
#[derive(Clone, Debug, Default)]
pub struct Naming {
    /// Put behind the name of every object and mesh, such as `_LOD1`.
    pub suffix: String,
    /// Each node carries the number of its part in its extras, so that a stage can tell parts apart.
    pub numbered: bool,
    /// What has a normal map gets its tangents written too, so that whoever reads the file and whoever baked the map go by the
    /// same; a second for 100 000 triangles.
    pub tangents: bool,
    /// Objects hang in the tree in which the source hung them ([`Mesh::nodes`]); otherwise they stand beside each other.
    pub hierarchy: bool,
}

/// Writes a scene of triangles as a GLB: one node and one mesh for each part, one primitive for
/// each run, only the materials and pictures in use.
///
/// # Errors
/// [`FormatError::Empty`] for a scene without triangles or with larger faces,
/// [`FormatError::TooLarge`].
pub fn write(scene: &Scene, naming: &Naming) -> Result<Vec<u8>, FormatError> {
    let mesh = &scene.mesh;
    if mesh.face_count() == 0 || !mesh.is_triangulated() {
        return Err(FormatError::Empty {
            file: "the scene".to_owned(),
        });
    }
    let mut used = vec![false; scene.library.materials.len()];
    for run in &mesh.runs {
        if let Some(slot) = run.material.and_then(|m| used.get_mut(m as usize)) {
            *slot = true;
        }
    }
    let (library, renumber) = scene.library.pruned(&used);

    let normal_mapped = |run: &Run| {
        let material = run
            .material
            .and_then(|m| scene.library.materials.get(m as usize));
        run.channels.normals
            && run.channels.uv_sets > 0
            && material.is_some_and(|m| !m["normalTexture"].is_null())
    };
    let tangents = (naming.tangents && mesh.runs.iter().any(normal_mapped))
        .then(|| tangents::of(mesh, &tangents::shading_normals(mesh)));
    let runs_of = |p: u32| {
        let runs = mesh.runs.iter();
        runs.filter(move |r| r.part == p && !r.faces.is_empty())
    };
    let mut out = Output::default();
    let mut tree = Tree::of(mesh, naming.hierarchy, |p| runs_of(p).next().is_some());
    let mut meshes = Vec::new();
    let mut local = vec![u32::MAX; mesh.vertex_count()];
    // Parts written so far, the meshes they became, and the frames of these.
    let mut stored: HashMap<u32, (usize, Frame)> = HashMap::new();
    for (p, part) in (0..).zip(&mesh.parts) {
        if runs_of(p).next().is_none() {
            continue;
        }
        let part = &Part {
            name: format!("{}{}", part.name, naming.suffix),
            ..part.clone()
        };
        let extras = |node: &mut Value| {
            if naming.numbered {
                node["extras"] = json!({ "part": p });
            }
        };
        let copy = scene.copies.iter().find(|c| c.part == p);
        let copy = copy.filter(|c| stored.contains_key(&c.of) && is_copy(mesh, c));
        if let Some(copy) = copy
            && let (mesh_at, frame) = &stored[&copy.of]
            && let Some(node) = tree.hang_copy(part, frame, &copy.motion)
        {
            node["mesh"] = json!(mesh_at);
            extras(node);
            continue;
        }
        let (node, frame) = tree.hang(part);
        node["mesh"] = json!(meshes.len());
        extras(node);
        let primitives: Vec<Value> = runs_of(p)
            .map(|run| {
                let tangents = tangents.as_deref().filter(|_| normal_mapped(run));
                let mut primitive = match tangents {
                    Some(tangents) => out.with_tangents(mesh, run, &frame, tangents),
                    None => out.primitive(mesh, run, &frame, &mut local),
                };
                if let Some(m) = run.material
                    && let Some(&m) = renumber.get(m as usize)
                {
                    primitive["material"] = json!(m);
                }
                primitive
            })
            .collect();
        stored.insert(p, (meshes.len(), frame));
        meshes.push(json!({ "name": part.name, "primitives": primitives }));
    }

    let mut root = Map::new();
    let mut asset = json!({
        "version": "2.0",
        "generator": concat!("Ectome ", env!("CARGO_PKG_VERSION")),
    });
    if let Some(copyright) = &scene.copyright {
        asset["copyright"] = json!(copyright);
    }
    root.insert("asset".to_owned(), asset);
    root.insert("scene".to_owned(), json!(0));
    let (nodes, roots) = tree.into_parts();
    root.insert("scenes".to_owned(), json!([{ "nodes": roots }]));
    root.insert("nodes".to_owned(), Value::Array(nodes));
    root.insert("meshes".to_owned(), Value::Array(meshes));
    out.library(library, &mut root);
    root.insert("accessors".to_owned(), Value::Array(out.accessors));
    root.insert("bufferViews".to_owned(), Value::Array(out.views));
    root.insert(
        "buffers".to_owned(),
        json!([{ "byteLength": out.bin.len() }]),
    );
    container::join(&Value::Object(root).to_string(), &out.bin)
}

/// Whether a part really is another one moved, corner by corner. Corners of a face may begin anywhere in it.
fn is_copy(mesh: &Mesh, copy: &crate::Copy) -> bool {
    let runs = |part: u32| mesh.runs.iter().filter(move |r| r.part == part);
    let (a, b): (Vec<&Run>, Vec<&Run>) = (runs(copy.of).collect(), runs(copy.part).collect());
    let mirrored = copy.motion.matrix3.determinant() < 0.0;
    let near = 1e-5 * ectome_mesh::measure::bounds(mesh).diagonal();
    let turn = Mat3::from(copy.motion.matrix3).inverse().transpose();
    let same_corner = |v: u32, w: u32, channels: &Channels| {
        let (v, w) = (v as usize, w as usize);
        let moved = copy.motion.transform_point3(mesh.position(v as u32));
        moved.distance(mesh.position(w as u32)) <= near
            && (mesh.uv_sets.iter()).all(|s| (s[v] - s[w]).abs().max_element() < 1e-6)
            && (!channels.colours || mesh.colours[v].abs_diff_eq(mesh.colours[w], 1e-4))
            && (!channels.normals
                || (turn * mesh.normals[v])
                    .normalize_or_zero()
                    .abs_diff_eq(mesh.normals[w].normalize_or_zero(), 1e-3))
    };
    let same_face = |f: &[u32], g: &[u32], channels: &Channels| {
        let n = g.len();
        f.len() == n
            && (0..n).any(|first| {
                (0..n).all(|k| {
                    let other = if mirrored { first + n - k } else { first + k };
                    same_corner(f[k], g[other % n], channels)
                })
            })
    };
    a.len() == b.len()
        && a.iter().zip(&b).all(|(x, y)| {
            x.faces.len() == y.faces.len()
                && x.material == y.material
                && x.channels == y.channels
                && (x.faces.clone().zip(y.faces.clone())).all(|(f, g)| {
                    same_face(mesh.face(f as usize), mesh.face(g as usize), &x.channels)
                })
        })
}

/// Buffer views and accessors as they grow.
#[derive(Default)]
pub(super) struct Output {
    pub(super) bin: Vec<u8>,
    pub(super) views: Vec<Value>,
    pub(super) accessors: Vec<Value>,
}

const ARRAY_BUFFER: u32 = 34_962;
const ELEMENT_ARRAY_BUFFER: u32 = 34_963;
const FLOAT: u32 = 5126;

impl Output {
    fn view(&mut self, bytes: impl IntoIterator<Item = u8>, target: Option<u32>) -> usize {
        self.bin.resize(self.bin.len().next_multiple_of(4), 0);
        let from = self.bin.len();
        self.bin.extend(bytes);
        let mut view = json!({
            "buffer": 0, "byteOffset": from, "byteLength": self.bin.len() - from,
        });
        if let Some(target) = target {
            view["target"] = json!(target);
        }
        self.views.push(view);
        self.views.len() - 1
    }

    pub(super) fn floats<const N: usize>(&mut self, rows: &[[f32; N]], bounds: bool) -> usize {
        let kind = ["SCALAR", "VEC2", "VEC3", "VEC4"][N - 1];
        let bytes = rows.iter().flatten().flat_map(|v| v.to_le_bytes());
        let view = self.view(bytes, Some(ARRAY_BUFFER));
        let mut accessor = json!({
            "bufferView": view, "componentType": FLOAT, "count": rows.len(), "type": kind,
        });
        if bounds {
            let mut min = [f32::INFINITY; N];
            let mut max = [f32::NEG_INFINITY; N];
            for row in rows {
                for k in 0..N {
                    min[k] = min[k].min(row[k]);
                    max[k] = max[k].max(row[k]);
                }
            }
            accessor["min"] = json!(min.as_slice());
            accessor["max"] = json!(max.as_slice());
        }
        self.accessors.push(accessor);
        self.accessors.len() - 1
    }

    fn primitive(&mut self, mesh: &Mesh, run: &Run, frame: &Frame, local: &mut [u32]) -> Value {
        let corners = &mesh.corners[3 * run.faces.start as usize..3 * run.faces.end as usize];
        let mut vertices = Vec::new();
        let mut indices = Vec::with_capacity(corners.len());
        for &v in corners {
            let slot = &mut local[v as usize];
            if *slot == u32::MAX {
                *slot = vertices.len() as u32;
                vertices.push(v as usize);
            }
            indices.push(*slot);
        }
        vertices.iter().for_each(|&v| local[v] = u32::MAX);
        if frame.mirrored {
            indices.chunks_exact_mut(3).for_each(|f| f.swap(1, 2));
        }

        let attributes = self.attributes(mesh, run, frame, &vertices);
        let indices = self.indices(&indices, vertices.len());
        json!({ "attributes": attributes, "indices": indices })
    }

    /// The same with tangents: a vertex whose corners have different ones becomes one for each.
    fn with_tangents(&mut self, mesh: &Mesh, run: &Run, frame: &Frame, tangents: &[Vec4]) -> Value {
        let range = 3 * run.faces.start as usize..3 * run.faces.end as usize;
        let (mut vertices, mut own) = (Vec::new(), Vec::new());
        let mut known = HashMap::new();
        let mut indices = Vec::with_capacity(range.len());
        let linear = frame.inverse.matrix3;
        for corner in range {
            let (v, t) = (mesh.corners[corner], tangents[corner]);
            let key = (v, t.to_array().map(f32::to_bits));
            let at = *known.entry(key).or_insert_with(|| {
                vertices.push(v as usize);
                let along = (linear * glam::Vec3A::from(t.truncate())).normalize_or(glam::Vec3A::X);
                let sign = if frame.mirrored { -t.w } else { t.w };
                own.push([along.x, along.y, along.z, sign]);
                vertices.len() as u32 - 1
            });
            indices.push(at);
        }
        if frame.mirrored {
            indices.chunks_exact_mut(3).for_each(|f| f.swap(1, 2));
        }
        let mut attributes = self.attributes(mesh, run, frame, &vertices);
        attributes.insert("TANGENT".to_owned(), json!(self.floats(&own, false)));
        let indices = self.indices(&indices, vertices.len());
        json!({ "attributes": attributes, "indices": indices })
    }

    fn attributes(
        &mut self,
        mesh: &Mesh,
        run: &Run,
        frame: &Frame,
        vertices: &[usize],
    ) -> Map<String, Value> {
        let mut attributes = Map::new();
        let places: Vec<[f32; 3]> = vertices
            .iter()
            .map(|&v| frame.place(mesh.position(v as u32)).to_array())
            .collect();
        attributes.insert("POSITION".to_owned(), json!(self.floats(&places, true)));
        if run.channels.normals && !mesh.normals.is_empty() {
            let normals: Vec<[f32; 3]> = vertices
                .iter()
                .map(|&v| {
                    (frame.normal_map * mesh.normals[v])
                        .try_normalize()
                        .unwrap_or(Vec3::Y)
                        .to_array()
                })
                .collect();
            attributes.insert("NORMAL".to_owned(), json!(self.floats(&normals, false)));
        }
        for (i, set) in mesh
            .uv_sets
            .iter()
            .take(run.channels.uv_sets.into())
            .enumerate()
        {
            let rows: Vec<[f32; 2]> = vertices.iter().map(|&v| set[v].to_array()).collect();
            attributes.insert(format!("TEXCOORD_{i}"), json!(self.floats(&rows, false)));
        }
        if run.channels.colours && !mesh.colours.is_empty() {
            let rows: Vec<[f32; 4]> = vertices
                .iter()
                .map(|&v| mesh.colours[v].to_array().map(|c| c.clamp(0.0, 1.0)))
                .collect();
            attributes.insert("COLOR_0".to_owned(), json!(self.floats(&rows, false)));
        }
        attributes
    }

    /// Corners of triangles into `vertices` vertices.
    pub(super) fn indices(&mut self, indices: &[u32], vertices: usize) -> usize {
        // 65 535 is the restart value and may not be used as an index.
        let small = vertices < 65_535;
        let view = if small {
            let bytes = indices.iter().flat_map(|&i| (i as u16).to_le_bytes());
            self.view(bytes, Some(ELEMENT_ARRAY_BUFFER))
        } else {
            let bytes = indices.iter().flat_map(|i| i.to_le_bytes());
            self.view(bytes, Some(ELEMENT_ARRAY_BUFFER))
        };
        self.accessors.push(json!({
            "bufferView": view, "componentType": if small { 5123 } else { 5125 },
            "count": indices.len(), "type": "SCALAR",
        }));
        self.accessors.len() - 1
    }

    fn library(&mut self, library: Library, root: &mut Map<String, Value>) {
        let mut extensions = Vec::new();
        for value in library.materials.iter().chain(&library.textures) {
            extensions_in(value, &mut extensions);
        }
        extensions.sort();
        extensions.dedup();
        let images: Vec<Value> = library
            .images
            .into_iter()
            .map(|image| {
                let view = self.view(image.bytes, None);
                let mut json = json!({ "bufferView": view, "mimeType": image.mime });
                if !image.name.is_empty() {
                    json["name"] = json!(image.name);
                }
                json
            })
            .collect();
        for (name, list) in [
            ("materials", library.materials),
            ("textures", library.textures),
            ("samplers", library.samplers),
            ("images", images),
        ] {
            if !list.is_empty() {
                root.insert(name.to_owned(), Value::Array(list));
            }
        }
        if !extensions.is_empty() {
            root.insert("extensionsUsed".to_owned(), json!(extensions));
        }
    }
}
