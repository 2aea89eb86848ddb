//! A surface with a figure at every point, for a stage to colour.

use ectome_mesh::Mesh;
use serde_json::{Value, json};

use super::{buffer::Buffer, container};
use crate::FormatError;

/// Writes the bare surface of a mesh of triangles, one vertex to a point, with `values` (one for each point)
/// as the vertex attribute `name`, which must begin with an underscore (glTF 2.0, 3.7.2.1).
///
/// # Errors
/// [`FormatError::Empty`] for a mesh without triangles or with larger faces, [`FormatError::TooLarge`].
pub fn field(mesh: &Mesh, name: &str, values: &[f32]) -> Result<Vec<u8>, FormatError> {
    if mesh.face_count() == 0 || !mesh.is_triangulated() || values.len() != mesh.points.len() {
        return Err(FormatError::Empty {
            file: "the field".to_owned(),
        });
    }
    // Points that no face uses would be vertices that nothing draws.
    let mut local = vec![u32::MAX; mesh.points.len()];
    let mut used = Vec::new();
    let mut indices = Vec::with_capacity(mesh.corners.len());
    for &v in &mesh.corners {
        let point = mesh.vertex_point[v as usize] as usize;
        if local[point] == u32::MAX {
            local[point] = used.len() as u32;
            used.push(point);
        }
        indices.push(local[point]);
    }
    let mut out = Buffer::default();
    let places: Vec<[f32; 3]> = used.iter().map(|&p| mesh.points[p].to_array()).collect();
    let figures: Vec<[f32; 1]> = used.iter().map(|&p| [values[p]]).collect();
    let position = out.floats(&places, true);
    let figure = out.floats(&figures, true);
    let indices = out.indices(&indices, used.len());
    joined(out, json!({ "POSITION": position, name: figure }), indices)
}

/// Writes the bare surface of a mesh of triangles with its first UV set and figures at every vertex, each under its name.
///
/// # Errors
/// As [`field`].
pub fn charted(mesh: &Mesh, fields: &[(&str, Vec<f32>)]) -> Result<Vec<u8>, FormatError> {
    let count = mesh.vertex_count();
    let fits = fields.iter().all(|(_, values)| values.len() == count);
    let (Some(uvs), true) = (mesh.uv_sets.first(), fits && mesh.is_triangulated()) else {
        return Err(FormatError::Empty {
            file: "the sheet".to_owned(),
        });
    };
    let mut out = Buffer::default();
    let places: Vec<[f32; 3]> = (0..count as u32)
        .map(|v| mesh.position(v).to_array())
        .collect();
    let uvs: Vec<[f32; 2]> = uvs.iter().map(|t| t.to_array()).collect();
    let mut attributes = json!({
        "POSITION": out.floats(&places, true), "TEXCOORD_0": out.floats(&uvs, false),
    });
    for (name, values) in fields {
        let rows: Vec<[f32; 1]> = values.iter().map(|&v| [v]).collect();
        attributes[*name] = json!(out.floats(&rows, true));
    }
    let indices = out.indices(&mesh.corners, count);
    joined(out, attributes, indices)
}

fn joined(out: Buffer, attributes: Value, indices: usize) -> Result<Vec<u8>, FormatError> {
    let root = json!({
        "asset": { "version": "2.0", "generator": concat!("Ectome ", env!("CARGO_PKG_VERSION")) },
        "scene": 0,
        "scenes": [{ "nodes": [0] }],
        "nodes": [{ "mesh": 0 }],
        "meshes": [{ "primitives": [{ "attributes": attributes, "indices": indices }] }],
        "accessors": out.accessors,
        "bufferViews": out.views,
        "buffers": [{ "byteLength": out.bin.len() }],
    });
    container::join(&root.to_string(), &out.bin)
}
