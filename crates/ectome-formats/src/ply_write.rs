//! PLY, binary, from a scene.
//!
//! PLY has one mesh without names; its own means carry them: comments name parts and materials, and each face
//! has the properties `part` and `material` (G. Turk, *The PLY Polygon File Format*, 1994, allows any).

use ectome_texture::srgb::to_coded;

use crate::{FormatError, Scene};

/// Writes a scene; quads and n-gons stay what they are. Materials keep their names only.
///
/// # Errors
/// [`FormatError::Empty`] for a scene without faces.
pub fn write(scene: &Scene) -> Result<Vec<u8>, FormatError> {
    let mesh = &scene.mesh;
    if mesh.face_count() == 0 {
        return Err(FormatError::Empty {
            file: "the scene".to_owned(),
        });
    }
    let all = |has: fn(&ectome_mesh::Run) -> bool| {
        mesh.runs.iter().filter(|r| !r.faces.is_empty()).all(has)
    };
    let normals = !mesh.normals.is_empty() && all(|r| r.channels.normals);
    let colours = !mesh.colours.is_empty() && all(|r| r.channels.colours);
    let uvs = mesh
        .uv_sets
        .first()
        .filter(|_| all(|r| r.channels.uv_sets > 0));
    let line = |name: &str| name.split_whitespace().collect::<Vec<_>>().join(" ");
    let mut head = String::from("ply\nformat binary_little_endian 1.0\n");
    if let Some(notice) = &scene.copyright {
        head += &format!("comment {}\n", line(notice));
    }
    for (i, part) in mesh.parts.iter().enumerate() {
        head += &format!("comment part {i} {}\n", line(&part.name));
    }
    for m in 0..scene.library.materials.len() as u32 {
        head += &format!("comment material {m} {}\n", line(scene.library.name(m)));
    }
    head += &format!("element vertex {}\n", mesh.vertex_count());
    let mut floats = |names: &[&str]| {
        names
            .iter()
            .for_each(|n| head += &format!("property float {n}\n"));
    };
    floats(&["x", "y", "z"]);
    if normals {
        floats(&["nx", "ny", "nz"]);
    }
    if uvs.is_some() {
        floats(&["s", "t"]);
    }
    if colours {
        for n in ["red", "green", "blue", "alpha"] {
            head += &format!("property uchar {n}\n");
        }
    }
    // A count of one byte, as nearly every reader expects, unless a face has more corners than that.
    let wide = (0..mesh.face_count()).any(|f| mesh.face(f).len() > 255);
    head += &format!(
        "element face {}\nproperty list {} int vertex_indices\nproperty int part\nproperty int material\n\
         end_header\n",
        mesh.face_count(),
        if wide { "uint" } else { "uchar" },
    );
    let mut out = head.into_bytes();
    out.reserve(32 * mesh.vertex_count() + 24 * mesh.face_count());
    for v in 0..mesh.vertex_count() {
        let p = mesh.position(v as u32);
        let mut put = |values: &[f32]| values.iter().for_each(|x| out.extend(x.to_le_bytes()));
        put(&p.to_array());
        if normals {
            put(&mesh.normals[v].to_array());
        }
        if let Some(set) = uvs {
            put(&[set[v].x, 1.0 - set[v].y]);
        }
        if colours {
            let [r, g, b, a] = mesh.colours[v].to_array();
            let byte = |x: f32| (x.clamp(0.0, 1.0) * 255.0).round() as u8;
            out.extend([r, g, b].map(|x| byte(to_coded(x))));
            out.push(byte(a));
        }
    }
    for run in &mesh.runs {
        let material = run.material.map_or(-1, |m| m as i32);
        for f in run.faces.clone() {
            let face = mesh.face(f as usize);
            if wide {
                out.extend((face.len() as u32).to_le_bytes())
            } else {
                out.push(face.len() as u8)
            }
            face.iter().for_each(|v| out.extend(v.to_le_bytes()));
            out.extend((run.part as i32).to_le_bytes());
            out.extend(material.to_le_bytes());
        }
    }
    Ok(out)
}
