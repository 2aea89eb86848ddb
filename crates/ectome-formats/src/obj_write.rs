//! OBJ with its MTL and textures, from a scene.

use std::{collections::HashMap, fmt::Write};

use ectome_mesh::{Fate, Mesh};
use glam::{Affine2, Vec2};

use crate::{FormatError, Image, Scene, mtl_write, picture_notice::with_notice};

/// The files of an OBJ, by name.
pub type Files = Vec<(String, Vec<u8>)>;

/// Writes a scene as `stem.obj`, `stem.mtl` and the pictures of its materials. Quads and n-gons stay
/// what they are. OBJ knows neither vertex transparency nor a second UV set nor texture transforms: each face gets the UVs that its material's
/// pictures lie on, moved as they are. Parts to be left out are.
///
/// # Errors
/// [`FormatError::Empty`] for a scene without faces.
pub fn write(scene: &Scene, stem: &str) -> Result<Files, FormatError> {
    let mut pictures: Files = Vec::new();
    let mut refer = |image: &Image| {
        let library = &scene.library.images;
        // Grey pictures that only MTL needs stand behind the library's own.
        let at = library.iter().position(|i| i == image);
        let name = picture_name(at.unwrap_or(library.len()), image);
        if !pictures.iter().any(|(n, _)| *n == name) {
            let told = scene
                .copyright
                .as_ref()
                .map(|n| with_notice(&image.bytes, n));
            pictures.push((name.clone(), told.unwrap_or_else(|| image.bytes.clone())));
        }
        name
    };
    let mut files = write_referring(scene, stem, &mut refer)?;
    files.append(&mut pictures);
    Ok(files)
}

fn picture_name(at: usize, picture: &Image) -> String {
    let end = match &*picture.mime {
        "image/jpeg" => "jpg",
        "image/webp" => "webp",
        "image/ktx2" => "ktx2",
        _ => "png",
    };
    let name: String = picture
        .name
        .chars()
        .map(|c| if c.is_alphanumeric() { c } else { '_' })
        .collect();
    format!("{at}_{name}.{end}")
}

/// The same without the pictures, which `file_of` gives names: the caller may share them between files.
///
/// # Errors
/// [`FormatError::Empty`] for a scene without faces.
pub fn write_referring(
    scene: &Scene,
    stem: &str,
    file_of: &mut dyn FnMut(&Image) -> String,
) -> Result<Files, FormatError> {
    let mesh = &scene.mesh;
    if mesh.face_count() == 0 {
        return Err(FormatError::Empty {
            file: "the scene".to_owned(),
        });
    }
    let mut out = String::with_capacity(64 * mesh.points.len() + 32 * mesh.corners.len());
    if let Some(notice) = &scene.copyright {
        let _ = writeln!(out, "# {}", line(notice));
    }
    let _ = writeln!(out, "mtllib {stem}.mtl");
    let coloured = mesh.runs.iter().all(|r| r.channels.colours) && !mesh.colours.is_empty();
    let mut colour = vec![None; if coloured { mesh.points.len() } else { 0 }];
    if coloured {
        for (v, &p) in mesh.vertex_point.iter().enumerate() {
            colour[p as usize].get_or_insert(mesh.colours[v]);
        }
    }
    for (i, p) in mesh.points.iter().enumerate() {
        let _ = match colour.get(i).copied().flatten() {
            Some(c) => writeln!(out, "v {} {} {} {} {} {}", p.x, p.y, p.z, c.x, c.y, c.z),
            None => writeln!(out, "v {} {} {}", p.x, p.y, p.z),
        };
    }
    let mut uvs = Uvs::of(scene);
    uvs.number(mesh);
    for uv in &uvs.list {
        // OBJ counts v from the bottom, glTF from the top.
        let _ = writeln!(out, "vt {} {}", uv.x, 1.0 - uv.y);
    }
    for n in &mesh.normals {
        let _ = writeln!(out, "vn {} {} {}", n.x, n.y, n.z);
    }
    let names = mtl_write::names(&scene.library);
    let mut part = u32::MAX;
    let mut material = None;
    for run in &mesh.runs {
        if run.faces.is_empty() || mesh.parts[run.part as usize].fate == Fate::Omit {
            continue;
        }
        if part != run.part {
            part = run.part;
            let _ = writeln!(out, "o {}", line(&mesh.parts[part as usize].name));
            material = None;
        }
        if material != Some(run.material) {
            material = Some(run.material);
            if let Some(m) = run.material {
                let name = names.get(m as usize).map_or("", String::as_str);
                let _ = writeln!(out, "usemtl {name}");
            }
        }
        let (has_uvs, normals) = (run.channels.uv_sets > 0, run.channels.normals);
        for f in run.faces.clone() {
            out.push('f');
            for &v in mesh.face(f as usize) {
                let p = mesh.vertex_point[v as usize] + 1;
                let t = uvs.of_vertex(run.material, v) + 1;
                let n = v + 1;
                let _ = match (has_uvs, normals) {
                    (true, true) => write!(out, " {p}/{t}/{n}"),
                    (true, false) => write!(out, " {p}/{t}"),
                    (false, true) => write!(out, " {p}//{n}"),
                    (false, false) => write!(out, " {p}"),
                };
            }
            out.push('\n');
        }
    }
    let mut mtl = String::new();
    if let Some(notice) = &scene.copyright {
        let _ = writeln!(mtl, "# {}", line(notice));
    }
    mtl += &mtl_write::materials(scene, &names, file_of);
    Ok(vec![
        (format!("{stem}.obj"), out.into_bytes()),
        (format!("{stem}.mtl"), mtl.into_bytes()),
    ])
}

/// A name on one line.
fn line(name: &str) -> String {
    let words: Vec<&str> = name.split_whitespace().collect();
    words.join(" ")
}

/// The UVs that faces are written with: a vertex has as many as its materials make of it.
struct Uvs {
    /// How the pictures of each material lie; the last stands for none.
    lie: Vec<(usize, Affine2)>,
    /// All lie as the first set has it: vertices are numbered as they are.
    plain: bool,
    list: Vec<Vec2>,
    of: HashMap<(u32, u32), u32>,
}

impl Uvs {
    fn of(scene: &Scene) -> Self {
        let first = (0, Affine2::IDENTITY);
        let mut lie: Vec<_> = scene.library.materials.iter().map(mtl_write::lie).collect();
        lie.push(first);
        Self {
            plain: lie.iter().all(|l| *l == first),
            lie,
            list: Vec::new(),
            of: HashMap::new(),
        }
    }

    /// Gives the UVs of all faces their numbers.
    fn number(&mut self, mesh: &Mesh) {
        let Some(first) = mesh.uv_sets.first() else {
            return;
        };
        if self.plain {
            self.list.clone_from(first);
            return;
        }
        for run in mesh.runs.iter().filter(|r| r.channels.uv_sets > 0) {
            let (set, transform) = self.lie[self.kind(run.material)];
            let known = set < usize::from(run.channels.uv_sets);
            let uvs = mesh.uv_sets.get(set).filter(|_| known).unwrap_or(first);
            let kind = self.kind(run.material) as u32;
            for f in run.faces.clone() {
                for &v in mesh.face(f as usize) {
                    self.of.entry((v, kind)).or_insert_with(|| {
                        self.list.push(transform.transform_point2(uvs[v as usize]));
                        self.list.len() as u32 - 1
                    });
                }
            }
        }
    }

    fn kind(&self, material: Option<u32>) -> usize {
        let none = self.lie.len() - 1;
        material.map_or(none, |m| (m as usize).min(none))
    }

    /// The number of a vertex's UV in a face of a material.
    fn of_vertex(&self, material: Option<u32>, vertex: u32) -> u32 {
        if self.plain {
            return vertex;
        }
        let key = (vertex, self.kind(material) as u32);
        self.of.get(&key).copied().unwrap_or(0)
    }
}
