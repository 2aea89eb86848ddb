//! From a GLB to a scene.

use std::collections::HashMap;

use ectome_mesh::{MeshBuilder, Primitive};
use ectome_texture::ktx2;
use glam::{Affine3A, Mat4, Quat, Vec2, Vec3, Vec4};
use serde_json::Value;

use super::{
    accessor::{Document, data_uri, size},
    container,
    draco::Unpacked,
};
use crate::{
    Copy, FileSet, FormatError, Image, Library, Reading, Scene, file_set::base_name, gltf::decoded,
};

/// Deepest node tree that is followed.
const DEEPEST: usize = 512;

/// Reads a GLB. `file` is its name, for messages.
///
/// # Errors
/// A [`FormatError`] that names the file and its fault.
pub fn read(file: &str, bytes: &[u8]) -> Result<Scene, FormatError> {
    read_within(file, bytes, &Reading::default())
}

/// The same within a memory budget, and until somebody asks to stop.
///
/// # Errors
/// A [`FormatError`] that names the file and its fault.
pub fn read_within(file: &str, bytes: &[u8], reading: &Reading) -> Result<Scene, FormatError> {
    let chunks = container::split(file, bytes)?;
    read_document(file, chunks.json, chunks.bin, None, reading)
}

/// Reads the JSON of a document with its binary chunk and, for a document outside a GLB, the files beside it.
pub(crate) fn read_document(
    file: &str,
    json: &[u8],
    bin: &[u8],
    files: Option<&FileSet<'_>>,
    reading: &Reading,
) -> Result<Scene, FormatError> {
    reading.at(0.0)?;
    // A value of JSON takes about sixty bytes, and the shortest is two bytes of text long.
    reading.needs(file, json.len() as u64 * 32)?;
    // A byte order mark is not allowed but common.
    let json = json.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(json);
    let json: Value = serde_json::from_slice(json).map_err(|e| FormatError::Damaged {
        file: file.to_owned(),
        fault: format!("its JSON breaks off or is malformed ({e})"),
    })?;
    if files.is_some()
        && json["asset"]["version"]
            .as_str()
            .is_none_or(|v| !v.starts_with('2'))
    {
        return Err(FormatError::NotThat {
            file: file.to_owned(),
            expected: "glTF 2.0",
            fault: "its JSON names no asset of version 2".to_owned(),
        });
    }
    let document = Document::new(file, json, bin, files, reading)?;
    let mut notes = Vec::new();
    for (list, what) in [("animations", "Animations"), ("skins", "Skins")] {
        if !document.list(list).is_empty() {
            notes.push(format!(
                "{what} in {file} are not carried over: the mesh stands in its rest pose."
            ));
        }
    }
    left_out(&document, &mut notes);
    let library = read_library(&document, files, &mut notes)?;
    let mut reader = Reader {
        document: &document,
        builder: MeshBuilder::new(),
        skipped: 0,
        objects: 0,
        triangles: 0,
        materials: library.materials.len(),
        tree: has_tree(&document),
        first: HashMap::new(),
        copies: Vec::new(),
        reading,
        taken: 0,
    };
    reader.scene()?;
    if reader.skipped > 0 {
        notes.push(format!(
            "{} primitives of points or lines in {file} are left out.",
            reader.skipped
        ));
    }
    if reader.triangles == 0 {
        return Err(FormatError::Empty {
            file: file.to_owned(),
        });
    }
    let copies = std::mem::take(&mut reader.copies);
    let mesh = reader.builder.finish();
    mesh.check().map_err(|e| document.damaged(e.to_string()))?;
    Ok(Scene {
        mesh,
        library,
        copyright: document.json["asset"]["copyright"]
            .as_str()
            .map(str::to_owned),
        copies,
        notes,
    })
}

/// What a mesh has no place for, each in a sentence with its number.
fn left_out(document: &Document<'_>, notes: &mut Vec<String>) {
    let file = document.file;
    let meshes = document.list("meshes");
    let morphed = meshes.iter().filter(|m| {
        let primitives = m["primitives"].as_array().into_iter().flatten();
        primitives
            .filter_map(|p| p["targets"].as_array())
            .any(|targets| !targets.is_empty())
    });
    match morphed.count() {
        0 => {}
        1 => notes.push(format!(
            "Morph targets of 1 mesh in {file} are not carried over: it stands as it is without them."
        )),
        n => notes.push(format!(
            "Morph targets of {n} meshes in {file} are not carried over: they stand as they are without them."
        )),
    }
    let extensions = &document.json["extensions"];
    let lights = extensions["KHR_lights_punctual"]["lights"].as_array();
    let counts = [
        (document.list("cameras").len(), "camera", "cameras"),
        (lights.map_or(0, Vec::len), "light", "lights"),
    ];
    for (n, one, more) in counts.into_iter().filter(|c| c.0 > 0) {
        let what = if n == 1 { one } else { more };
        notes.push(format!("{n} {what} in {file} are not carried over."));
    }
    // A node that holds a mesh and stands below another one.
    let nodes = document.list("nodes");
    let is_mesh = |i: usize| nodes.get(i).is_some_and(|n| n["mesh"].is_u64());
    let children = nodes.iter().filter_map(|n| n["children"].as_array());
    let below = children.flatten().filter_map(size).filter(|&i| is_mesh(i));
    let (objects, hang, they) = match below.count() {
        0 => return,
        1 => ("1 object".to_owned(), "hangs below another node", "it"),
        n => (format!("{n} objects"), "hang below other nodes", "them"),
    };
    notes.push(format!(
        "{objects} in {file} {hang}. GLB files hang {they} so again where the brief, or --hierarchy, asks for it."
    ));
}

/// Whether objects hang in a tree: one below another node, or beside nodes that hold none.
fn has_tree(document: &Document<'_>) -> bool {
    let nodes = document.list("nodes");
    nodes
        .iter()
        .any(|n| !n["mesh"].is_u64() || n["children"].as_array().is_some_and(|c| !c.is_empty()))
}

fn read_library(
    document: &Document<'_>,
    files: Option<&FileSet<'_>>,
    notes: &mut Vec<String>,
) -> Result<Library, FormatError> {
    let mut images = Vec::new();
    for (i, image) in document.list("images").iter().enumerate() {
        let bytes = match (size(&image["bufferView"]), image["uri"].as_str()) {
            (Some(view), _) => document.view(view)?.0.to_vec(),
            (None, Some(uri)) => match (data_uri(uri), files) {
                (Some(bytes), _) => bytes,
                (None, Some(files)) => match files.find(&decoded(uri)) {
                    Some(bytes) => bytes.to_vec(),
                    None => {
                        notes.push(format!(
                            "The texture {} was not dropped with {} and is left out.",
                            decoded(uri),
                            document.file
                        ));
                        Vec::new()
                    }
                },
                (None, None) => Vec::new(),
            },
            _ => Vec::new(),
        };
        let image = Image {
            name: image["name"]
                .as_str()
                .map(str::to_owned)
                .or_else(|| stem_of(image["uri"].as_str()?))
                .unwrap_or_default(),
            mime: mime_of(&bytes)
                .or(image["mimeType"].as_str())
                .unwrap_or_default()
                .to_owned(),
            bytes,
        };
        if (!image.bytes.is_empty() || files.is_none())
            && image.mime != ktx2::MIME
            && image.size().is_none()
        {
            notes.push(format!(
                "Picture {i} {} in {} cannot be read; its textures are left empty.",
                image.name, document.file
            ));
        }
        images.push(image);
    }
    let textures = document
        .list("textures")
        .iter()
        .cloned()
        .map(from_extension);
    Ok(Library {
        materials: document.list("materials").to_vec(),
        textures: textures.collect(),
        samplers: document.list("samplers").to_vec(),
        images,
    })
}

/// A texture that has its picture only as WebP, in an extension, has it as any other: readers of pictures here know WebP.
fn from_extension(mut texture: Value) -> Value {
    let Some(fields) = texture.as_object_mut() else {
        return texture;
    };
    let Some(extensions) = fields.get_mut("extensions").and_then(Value::as_object_mut) else {
        return texture;
    };
    let webp = extensions.remove("EXT_texture_webp");
    if extensions.is_empty() {
        fields.remove("extensions");
    }
    let source = webp.and_then(|w| w["source"].as_u64());
    if let (Some(source), false) = (source, fields.get("source").is_some_and(Value::is_u64)) {
        fields.insert("source".to_owned(), source.into());
    }
    texture
}

/// The name of a picture that lies in a file of its own.
fn stem_of(uri: &str) -> Option<String> {
    if uri.starts_with("data:") {
        return None;
    }
    let name = decoded(uri);
    let name = base_name(&name);
    Some(
        name.rsplit_once('.')
            .map_or(name, |(stem, _)| stem)
            .to_owned(),
    )
}

/// The type of a picture by its first bytes.
pub(crate) fn mime_of(bytes: &[u8]) -> Option<&'static str> {
    match bytes {
        [0x89, b'P', b'N', b'G', ..] => Some("image/png"),
        [0xFF, 0xD8, 0xFF, ..] => Some("image/jpeg"),
        _ if bytes.starts_with(&ktx2::MAGIC) => Some(ktx2::MIME),
        [
            b'R',
            b'I',
            b'F',
            b'F',
            _,
            _,
            _,
            _,
            b'W',
            b'E',
            b'B',
            b'P',
            ..,
        ] => Some("image/webp"),
        _ => None,
    }
}

struct Reader<'d, 'a> {
    document: &'d Document<'a>,
    builder: MeshBuilder,
    skipped: usize,
    objects: usize,
    triangles: usize,
    materials: usize,
    /// Whether the tree is worth keeping: an object hangs below another node, or a node holds none.
    tree: bool,
    /// Meshes used so far: by which part, in which frame.
    first: HashMap<usize, (u32, Affine3A)>,
    copies: Vec<Copy>,
    reading: &'d Reading,
    /// Bytes that the mesh takes so far.
    taken: u64,
}

/// Bytes that a vertex takes while a mesh is gathered, and a corner.
const VERTEX_BYTES: u64 = 96;
const CORNER_BYTES: u64 = 12;

impl Reader<'_, '_> {
    fn scene(&mut self) -> Result<(), FormatError> {
        let document = self.document;
        let scenes = document.list("scenes");
        let chosen = size(&document.json["scene"]).unwrap_or(0);
        let nodes = document.list("nodes");
        let roots: Vec<usize> = match scenes.get(chosen) {
            Some(scene) => scene["nodes"]
                .as_array()
                .map(|list| list.iter().filter_map(size).collect())
                .unwrap_or_default(),
            None => {
                let mut is_child = vec![false; nodes.len()];
                for child in nodes
                    .iter()
                    .filter_map(|n| n["children"].as_array())
                    .flatten()
                {
                    if let Some(slot) = size(child).and_then(|c| is_child.get_mut(c)) {
                        *slot = true;
                    }
                }
                (0..nodes.len()).filter(|&n| !is_child[n]).collect()
            }
        };
        let mut visited = vec![false; nodes.len()];
        for root in roots {
            self.node(root, Affine3A::IDENTITY, None, 0, &mut visited)?;
        }
        Ok(())
    }

    fn node(
        &mut self,
        index: usize,
        above: Affine3A,
        parent: Option<u32>,
        depth: usize,
        visited: &mut [bool],
    ) -> Result<(), FormatError> {
        let document = self.document;
        let node = document
            .list("nodes")
            .get(index)
            .ok_or_else(|| document.damaged(format!("node {index} does not exist")))?;
        if depth > DEEPEST || std::mem::replace(&mut visited[index], true) {
            return Err(document.damaged(format!("node {index} is its own ancestor or used twice")));
        }
        let local = local_frame(node);
        let frame = above * local;
        if !frame.is_finite() {
            return Err(
                document.damaged(format!("node {index} has a transform that is not finite"))
            );
        }
        let name = node["name"].as_str();
        let own = self
            .tree
            .then(|| self.builder.node(name.unwrap_or_default(), local, parent));
        if let Some(mesh) = size(&node["mesh"]) {
            self.mesh(mesh, name, frame)?;
            self.builder.hang(own);
        }
        for child in node["children"].as_array().into_iter().flatten() {
            let child = size(child)
                .ok_or_else(|| document.damaged(format!("node {index} has a broken child")))?;
            self.node(child, frame, own, depth + 1, visited)?;
        }
        Ok(())
    }

    fn mesh(
        &mut self,
        index: usize,
        name: Option<&str>,
        frame: Affine3A,
    ) -> Result<(), FormatError> {
        let document = self.document;
        let mesh = document
            .list("meshes")
            .get(index)
            .ok_or_else(|| document.damaged(format!("mesh {index} does not exist")))?;
        self.objects += 1;
        let numbered = format!("object {}", self.objects);
        let name = name
            .filter(|n| !n.is_empty())
            .or(mesh["name"].as_str())
            .filter(|n| !n.is_empty())
            .unwrap_or(&numbered);
        self.builder.part(name, frame);
        let part = self.objects as u32 - 1;
        match self.first.get(&index) {
            Some(&(of, at)) => self.copies.push(Copy {
                of,
                part,
                motion: frame * at.inverse(),
            }),
            None => {
                self.first.insert(index, (part, frame));
            }
        }
        for (p, primitive) in mesh["primitives"]
            .as_array()
            .into_iter()
            .flatten()
            .enumerate()
        {
            let at = format!("primitive {p} of {name}");
            if let Some(primitive) = self.primitive(primitive, &at)? {
                self.triangles += primitive.corners.len() / 3;
                self.builder.primitive(primitive);
            }
        }
        Ok(())
    }

    fn primitive(&mut self, json: &Value, at: &str) -> Result<Option<Primitive>, FormatError> {
        let document = self.document;
        let mode = json["mode"].as_u64().unwrap_or(4);
        if mode < 4 {
            self.skipped += 1;
            return Ok(None);
        }
        let attributes = &json["attributes"];
        let accessor = |name: &str| size(&attributes[name]);
        let Some(position) = accessor("POSITION") else {
            self.skipped += 1;
            return Ok(None);
        };
        self.reading.at(0.0)?;
        let corners = size(&json["indices"]).map_or(0, |i| document.count(i));
        let vertices = (document.count(position) as u64).saturating_mul(VERTEX_BYTES);
        let listed = (corners as u64).saturating_mul(CORNER_BYTES);
        self.taken = self.taken.saturating_add(vertices).saturating_add(listed);
        self.reading.needs(document.file, self.taken)?;
        let unpacked = Unpacked::of(document, json, at)?;
        let positions: Vec<Vec3> =
            rows(self.floats::<3>(unpacked.as_ref(), "POSITION", position, 0.0)?);
        self.finite(&positions, |p| p.is_finite(), "position", at)?;
        let n = positions.len();
        let mut normals: Vec<Vec3> = match accessor("NORMAL") {
            Some(i) => rows(self.floats::<3>(unpacked.as_ref(), "NORMAL", i, 0.0)?),
            None => Vec::new(),
        };
        // A broken normal is rebuilt from its faces; a broken place cannot be.
        if normals.iter().any(|v: &Vec3| !v.is_finite()) {
            normals.clear();
        }
        let mut uv_sets: Vec<Vec<Vec2>> = Vec::new();
        loop {
            let name = format!("TEXCOORD_{}", uv_sets.len());
            let Some(i) = accessor(&name) else { break };
            let set: Vec<Vec2> = rows(self.floats::<2>(unpacked.as_ref(), &name, i, 0.0)?);
            self.finite(&set, |p| p.is_finite(), "texture coordinate", at)?;
            uv_sets.push(set);
        }
        let colours: Vec<Vec4> = match accessor("COLOR_0") {
            Some(i) => rows(self.floats::<4>(unpacked.as_ref(), "COLOR_0", i, 1.0)?),
            None => Vec::new(),
        };
        self.finite(&colours, |c| c.is_finite(), "colour", at)?;
        for (what, len) in uv_sets
            .iter()
            .map(|s| ("texture coordinates", s.len()))
            .chain([("normals", normals.len()), ("colours", colours.len())])
        {
            // No normals and no colours are none given; an empty UV set is one that is broken.
            let none = len == 0 && what != "texture coordinates";
            if len != n && !none {
                return Err(document.damaged(format!("{at} has {n} positions but {len} {what}")));
            }
        }
        let listed = match (&unpacked, size(&json["indices"])) {
            (Some(unpacked), _) => unpacked.corners(),
            (None, Some(i)) => document.indices(i)?,
            (None, None) => (0..n as u32).collect(),
        };
        if let Some(i) = listed.iter().position(|&v| v as usize >= n) {
            return Err(document.damaged(format!(
                "{at} refers to vertex {}, but there are only {n}",
                listed[i]
            )));
        }
        let corners = match mode {
            // What is packed comes out as triangles.
            _ if unpacked.is_some() => listed,
            4 => {
                let mut list = listed;
                list.truncate(list.len() / 3 * 3);
                list
            }
            5 => (2..listed.len())
                .flat_map(|i| {
                    let odd = i % 2;
                    [listed[i - 2 + odd], listed[i - 1 - odd], listed[i]]
                })
                .collect(),
            _ => (2..listed.len())
                .flat_map(|i| [listed[0], listed[i - 1], listed[i]])
                .collect(),
        };
        let material = size(&json["material"]);
        if material.is_some_and(|m| m >= self.materials) {
            return Err(document.damaged(format!("{at} names a material that does not exist")));
        }
        Ok(Some(Primitive {
            positions,
            normals,
            uv_sets,
            colours,
            corners,
            face_sizes: Vec::new(),
            material: material.map(|m| m as u32),
        }))
    }

    /// The rows of an attribute: unpacked where it is packed, else of its accessor.
    fn floats<const N: usize>(
        &self,
        unpacked: Option<&Unpacked<'_>>,
        name: &str,
        index: usize,
        or: f32,
    ) -> Result<Vec<[f32; N]>, FormatError> {
        let document = self.document;
        let accessor = document.list("accessors").get(index);
        let packed = unpacked.and_then(|u| u.floats(name, accessor?, or));
        packed.map_or_else(|| document.floats(index, or), Ok)
    }

    fn finite<T>(
        &self,
        values: &[T],
        is_finite: impl Fn(&T) -> bool,
        what: &str,
        at: &str,
    ) -> Result<(), FormatError> {
        match values.iter().position(|v| !is_finite(v)) {
            None => Ok(()),
            Some(i) => Err(self
                .document
                .damaged(format!("{what} {i} in {at} is not a finite number"))),
        }
    }
}

fn rows<const N: usize, T: From<[f32; N]>>(rows: Vec<[f32; N]>) -> Vec<T> {
    rows.into_iter().map(T::from).collect()
}

fn local_frame(node: &Value) -> Affine3A {
    let numbers = |name: &str| -> Option<Vec<f32>> {
        node[name].as_array().map(|list| {
            list.iter()
                .map(|v| v.as_f64().unwrap_or(0.0) as f32)
                .collect()
        })
    };
    if let Some(m) = numbers("matrix").and_then(|m| <[f32; 16]>::try_from(m).ok()) {
        return Affine3A::from_mat4(Mat4::from_cols_array(&m));
    }
    let three = |name: &str, or: Vec3| {
        numbers(name)
            .and_then(|v| <[f32; 3]>::try_from(v).ok())
            .map_or(or, Vec3::from)
    };
    let rotation = numbers("rotation")
        .and_then(|v| <[f32; 4]>::try_from(v).ok())
        .map(Quat::from_array)
        .filter(|q| q.length_squared() > 0.0)
        .map_or(Quat::IDENTITY, Quat::normalize);
    Affine3A::from_scale_rotation_translation(
        three("scale", Vec3::ONE),
        rotation,
        three("translation", Vec3::ZERO),
    )
}
