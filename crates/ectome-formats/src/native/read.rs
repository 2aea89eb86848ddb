//! Reads a scene as it is kept between steps.

use bytemuck::{Pod, pod_collect_to_vec};
use ectome_mesh::{Channels, Mesh, Node, Part, Run};
use glam::Affine3A;

use super::{ALIGNMENT, Head, MAGIC, NO_MATERIAL, VERSION};
use crate::{Copy, FormatError, Image, Library, Reading, Scene};

/// The scene in `bytes`. `fetch` brings a picture by the name that writing gave it.
///
/// # Errors
/// [`FormatError::NotThat`], [`FormatError::Truncated`], [`FormatError::Damaged`], [`FormatError::Missing`] for a picture that
/// cannot be had, [`FormatError::Unsupported`] for a later version, [`FormatError::OverBudget`], [`FormatError::Cancelled`].
pub fn read(
    file: &str,
    bytes: &[u8],
    fetch: &dyn Fn(&str) -> Option<Vec<u8>>,
    reading: &Reading,
) -> Result<Scene, FormatError> {
    // What is taken is as large as what is there; names and materials take more in memory than as text.
    reading.needs(file, 2 * bytes.len() as u64)?;
    let (head, rest) = head(file, bytes)?;
    let damaged = |fault: String| FormatError::Damaged {
        file: file.to_owned(),
        fault,
    };
    let mut arrays = Arrays { file, rest };
    let vertices = |there: bool| if there { head.vertices } else { 0 };
    let points = arrays.take("points", head.points)?;
    let vertex_point = arrays.take("vertices", head.vertices)?;
    reading.at(0.3)?;
    let normals = arrays.take("normals", vertices(head.normals))?;
    let uv_sets = (0..head.uv_sets)
        .map(|_| arrays.take("UV coordinates", head.vertices))
        .collect::<Result<_, _>>()?;
    reading.at(0.6)?;
    let colours = arrays.take("colours", vertices(head.colours))?;
    let corners = arrays.take("corners", head.corners)?;
    reading.at(0.8)?;
    let starts: Vec<u32> = arrays.take("face starts", head.starts)?;
    let frames: Vec<[f32; 12]> = arrays.take("frames", head.parts.len() as u64)?;
    let runs: Vec<[u32; 4]> = arrays.take("runs", head.runs)?;
    let motions: Vec<[f32; 12]> = arrays.take("motions", head.copies.len() as u64)?;
    if !arrays.rest.is_empty() {
        return Err(damaged(format!(
            "{} bytes follow what its head tells of",
            arrays.rest.len()
        )));
    }
    let mut begin = 0;
    let runs: Vec<Run> = runs
        .into_iter()
        .map(|[part, material, end, channels]| Run {
            part,
            material: (material != NO_MATERIAL).then_some(material),
            faces: std::mem::replace(&mut begin, end)..end,
            channels: Channels {
                normals: channels & 1 != 0,
                colours: channels & 2 != 0,
                uv_sets: (channels >> 8) as u8,
            },
        })
        .collect();
    let materials = head.materials.len();
    let sets = head.uv_sets;
    if let Some(at) = runs.iter().position(|r| {
        r.material.is_some_and(|m| m as usize >= materials) || u64::from(r.channels.uv_sets) > sets
    }) {
        return Err(damaged(format!("run {at} names what is not there")));
    }
    let parts: Vec<Part> = head
        .parts
        .into_iter()
        .zip(frames)
        .map(|(p, frame)| Part {
            name: p.name,
            frame: Affine3A::from_cols_array(&frame),
            fate: p.fate,
            group: p.group,
            smallest: p.smallest,
            node: p.node,
        })
        .collect();
    let nodes = head
        .nodes
        .into_iter()
        .map(|n| Node {
            name: n.name,
            local: Affine3A::from_cols_array(&n.local),
            parent: n.parent,
        })
        .collect();
    if let Some((of, part)) = head
        .copies
        .iter()
        .find(|(of, part)| *of.max(part) as usize >= parts.len())
    {
        return Err(damaged(format!("parts {of} and {part} are not there")));
    }
    let mesh = Mesh {
        points,
        vertex_point,
        normals,
        uv_sets,
        colours,
        corners,
        face_starts: (head.starts > 0).then_some(starts),
        parts,
        runs,
        nodes,
    };
    mesh.check().map_err(|e| damaged(e.to_string()))?;
    let images = head
        .images
        .into_iter()
        .map(|i| {
            let bytes = fetch(&i.kept_as).ok_or_else(|| FormatError::Missing {
                file: file.to_owned(),
                needs: format!("the picture {}", i.name),
            })?;
            Ok(Image {
                name: i.name,
                mime: i.mime,
                bytes,
            })
        })
        .collect::<Result<_, FormatError>>()?;
    reading.at(1.0)?;
    Ok(Scene {
        mesh,
        library: Library {
            materials: head.materials,
            textures: head.textures,
            samplers: head.samplers,
            images,
        },
        copyright: head.copyright,
        copies: head
            .copies
            .into_iter()
            .zip(motions)
            .map(|((of, part), motion)| Copy {
                of,
                part,
                motion: Affine3A::from_cols_array(&motion),
            })
            .collect(),
        notes: head.notes,
    })
}

/// The head, and what follows it.
fn head<'a>(file: &str, bytes: &'a [u8]) -> Result<(Head, &'a [u8]), FormatError> {
    let Some(after) = bytes.strip_prefix(MAGIC) else {
        return Err(FormatError::NotThat {
            file: file.to_owned(),
            expected: "scene",
            fault: "it does not begin as one".to_owned(),
        });
    };
    let cut = |needed: usize| FormatError::Truncated {
        file: file.to_owned(),
        what: "its head".to_owned(),
        needed: needed as u64,
        found: bytes.len() as u64,
    };
    let Some((&[a, b, c, d, e, f, g, h], after)) = after.split_first_chunk::<8>() else {
        return Err(cut(16));
    };
    let version = u32::from_le_bytes([a, b, c, d]);
    if version != VERSION {
        return Err(FormatError::Unsupported {
            file: file.to_owned(),
            what: format!("version {version} of the scene format"),
            remedy: "It was written by another version of Ectome and is made again from its source.",
        });
    }
    let length = u32::from_le_bytes([e, f, g, h]) as usize;
    let begin = (16 + length).next_multiple_of(ALIGNMENT);
    if bytes.len() < begin {
        return Err(cut(begin));
    }
    let head = serde_json::from_slice(&after[..length]).map_err(|e| FormatError::Damaged {
        file: file.to_owned(),
        fault: format!("its head cannot be read: {e}"),
    })?;
    Ok((head, &bytes[begin..]))
}

/// The arrays that have not been read yet.
struct Arrays<'a> {
    file: &'a str,
    rest: &'a [u8],
}

impl Arrays<'_> {
    /// The next `count` entries. Memory is taken only for what is there.
    fn take<T: Pod>(&mut self, what: &str, count: u64) -> Result<Vec<T>, FormatError> {
        let needed = count.saturating_mul(size_of::<T>() as u64);
        if needed > self.rest.len() as u64 {
            return Err(FormatError::Truncated {
                file: self.file.to_owned(),
                what: format!("the list of {what}"),
                needed,
                found: self.rest.len() as u64,
            });
        }
        let (own, rest) = self.rest.split_at(needed as usize);
        self.rest = rest;
        Ok(pod_collect_to_vec(own))
    }
}
