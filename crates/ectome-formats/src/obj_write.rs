//! OBJ with its MTL and textures, from a scene.

use std::fmt::Write;

use ectome_mesh::Fate;
use ectome_texture::srgb::to_coded;

use crate::{FormatError, Image, Scene, picture_notice::with_notice};

/// The files of an OBJ, by name.
pub type Files = Vec<(String, Vec<u8>)>;

/// Writes a scene as `stem.obj`, `stem.mtl` and its base colour and normal pictures. Quads and n-gons stay
/// what they are. OBJ knows neither vertex transparency nor a second UV set; parts to be left out are.
///
/// # Errors
/// [`FormatError::Empty`] for a scene without faces.
pub fn write(scene: &Scene, stem: &str) -> Result<Files, FormatError> {
    let mut pictures: Files = Vec::new();
    let mut refer = |image: &Image| {
        let library = &scene.library.images;
        let at = library.iter().position(|i| i == image).unwrap_or(0);
        let name = picture_name(at, image);
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
    let set = mesh.uv_sets.first();
    for uv in set.into_iter().flatten() {
        // OBJ counts v from the bottom, glTF from the top.
        let _ = writeln!(out, "vt {} {}", uv.x, 1.0 - uv.y);
    }
    for n in &mesh.normals {
        let _ = writeln!(out, "vn {} {} {}", n.x, n.y, n.z);
    }
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
                let _ = writeln!(out, "usemtl {}", material_name(scene, m));
            }
        }
        let (uvs, normals) = (run.channels.uv_sets > 0, run.channels.normals);
        for f in run.faces.clone() {
            out.push('f');
            for &v in mesh.face(f as usize) {
                let p = mesh.vertex_point[v as usize] + 1;
                let v = v + 1;
                let _ = match (uvs, normals) {
                    (true, true) => write!(out, " {p}/{v}/{v}"),
                    (true, false) => write!(out, " {p}/{v}"),
                    (false, true) => write!(out, " {p}//{v}"),
                    (false, false) => write!(out, " {p}"),
                };
            }
            out.push('\n');
        }
    }
    let mtl = materials(scene, file_of);
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

fn material_name(scene: &Scene, m: u32) -> String {
    match line(scene.library.name(m)) {
        name if name.is_empty() => format!("material {}", m + 1),
        name => name,
    }
}

fn materials(scene: &Scene, file_of: &mut dyn FnMut(&Image) -> String) -> String {
    let library = &scene.library;
    let mut out = String::new();
    if let Some(notice) = &scene.copyright {
        let _ = writeln!(out, "# {}", line(notice));
    }
    for m in 0..library.materials.len() as u32 {
        let [r, g, b, a] = library.base_colour(m);
        let screen = |v: f32| to_coded(v);
        let _ = writeln!(out, "newmtl {}", material_name(scene, m));
        let _ = writeln!(out, "Kd {} {} {}", screen(r), screen(g), screen(b));
        if a < 1.0 {
            let _ = writeln!(out, "d {a}");
        }
        let normal = &library.materials[m as usize]["normalTexture"]["index"];
        let normal = normal
            .as_u64()
            .and_then(|t| library.textures.get(t as usize)?["source"].as_u64());
        let base = library.base_colour_image(m).map(|(i, _)| i);
        for (keyword, image) in [("map_Kd", base), ("norm", normal.map(|i| i as usize))] {
            let Some(image) = image.filter(|&i| i < library.images.len()) else {
                continue;
            };
            let _ = writeln!(out, "{keyword} {}", file_of(&library.images[image]));
        }
    }
    out
}
