//! Writes a scene as it is kept between steps.

use bytemuck::cast_slice;
use ectome_mesh::Run;

use super::{ALIGNMENT, Head, ImageHead, MAGIC, NO_MATERIAL, NodeHead, PartHead, VERSION};
use crate::{FormatError, Scene};

/// The bytes of a scene. `keep` is given each picture and names it.
///
/// # Errors
/// [`FormatError::TooLarge`] when the head, all names and materials, is larger than 4 GiB.
pub fn write(scene: &Scene, keep: &mut dyn FnMut(&[u8]) -> String) -> Result<Vec<u8>, FormatError> {
    let mesh = &scene.mesh;
    let head = head(scene, keep);
    let head = serde_json::to_vec(&head).map_err(|e| FormatError::Damaged {
        file: "the scene".to_owned(),
        fault: e.to_string(),
    })?;
    let too_large = |_| FormatError::TooLarge {
        bytes: head.len() as u64,
    };
    let length = u32::try_from(head.len()).map_err(too_large)?;
    let frames: Vec<[f32; 12]> = mesh.parts.iter().map(|p| p.frame.to_cols_array()).collect();
    let motions: Vec<[f32; 12]> = scene
        .copies
        .iter()
        .map(|c| c.motion.to_cols_array())
        .collect();
    let runs: Vec<[u32; 4]> = mesh.runs.iter().map(run).collect();
    let mut arrays: Vec<&[u8]> = vec![
        cast_slice(&mesh.points),
        cast_slice(&mesh.vertex_point),
        cast_slice(&mesh.normals),
    ];
    arrays.extend(mesh.uv_sets.iter().map(|set| cast_slice(set)));
    arrays.extend([
        cast_slice(&mesh.colours),
        cast_slice(&mesh.corners),
        cast_slice(mesh.face_starts.as_deref().unwrap_or_default()),
        cast_slice(&frames),
        cast_slice(&runs),
        cast_slice(&motions),
    ]);
    let begin = (16 + head.len()).next_multiple_of(ALIGNMENT);
    let all: usize = arrays.iter().map(|a| a.len()).sum();
    let mut out = Vec::with_capacity(begin + all);
    out.extend_from_slice(MAGIC);
    out.extend_from_slice(&VERSION.to_le_bytes());
    out.extend_from_slice(&length.to_le_bytes());
    out.extend_from_slice(&head);
    out.resize(begin, 0);
    arrays.iter().for_each(|a| out.extend_from_slice(a));
    Ok(out)
}

/// What stands before the arrays; pictures are given to `keep`, which says what they are kept as.
fn head(scene: &Scene, keep: &mut dyn FnMut(&[u8]) -> String) -> Head {
    let (mesh, library) = (&scene.mesh, &scene.library);
    Head {
        points: mesh.points.len() as u64,
        vertices: mesh.vertex_count() as u64,
        normals: !mesh.normals.is_empty(),
        colours: !mesh.colours.is_empty(),
        uv_sets: mesh.uv_sets.len() as u64,
        corners: mesh.corners.len() as u64,
        starts: mesh.face_starts.as_ref().map_or(0, |s| s.len() as u64),
        runs: mesh.runs.len() as u64,
        parts: mesh
            .parts
            .iter()
            .map(|p| PartHead {
                name: p.name.clone(),
                fate: p.fate,
                group: p.group.clone(),
                smallest: p.smallest,
                node: p.node,
            })
            .collect(),
        nodes: mesh
            .nodes
            .iter()
            .map(|n| NodeHead {
                name: n.name.clone(),
                local: n.local.to_cols_array(),
                parent: n.parent,
            })
            .collect(),
        materials: library.materials.clone(),
        textures: library.textures.clone(),
        samplers: library.samplers.clone(),
        images: library
            .images
            .iter()
            .map(|i| ImageHead {
                name: i.name.clone(),
                mime: i.mime.clone(),
                kept_as: keep(&i.bytes),
            })
            .collect(),
        copyright: scene.copyright.clone(),
        copies: scene.copies.iter().map(|c| (c.of, c.part)).collect(),
        notes: scene.notes.clone(),
    }
}

/// A run as four numbers: part, material, the face behind its last, channels.
fn run(r: &Run) -> [u32; 4] {
    let c = r.channels;
    let channels = u32::from(c.normals) | u32::from(c.colours) << 1 | u32::from(c.uv_sets) << 8;
    [
        r.part,
        r.material.unwrap_or(NO_MATERIAL),
        r.faces.end,
        channels,
    ]
}
