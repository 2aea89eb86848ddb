//! What is left of the state becomes a mesh again.

use ectome_mesh::{Mesh, Run, weld::classes};
use glam::Vec3;

use crate::state::State;

/// Where a face leans further from its wedge's mean normal, the edge is taken for a hard one
/// (meshes whose normals are rebuilt only): cosine of 40°.
const HARD_COSINE: f32 = 0.766;

/// The standing faces as a mesh: parts and runs as in the source, points at their new places.
/// `keep_normals` says that wedges carry the source's normals; otherwise normals are rebuilt.
pub fn mesh_of(state: &State, source: &Mesh, keep_normals: bool) -> Mesh {
    let mut corners = Vec::new();
    let mut runs: Vec<Run> = Vec::new();
    for run in &source.runs {
        let start = (corners.len() / 3) as u32;
        for f in run.faces.clone() {
            if state.alive[f as usize] {
                corners.extend([3 * f, 3 * f + 1, 3 * f + 2]);
            }
        }
        let end = (corners.len() / 3) as u32;
        if end > start {
            let mut run = run.clone();
            run.faces = start..end;
            run.channels.normals = true;
            runs.push(run);
        }
    }
    // A vertex of the result is a point, a wedge and a normal. One wedge can sit on two points only
    // after corners were released; the pair keeps them apart.
    let normals: Vec<Vec3> = corners
        .iter()
        .map(|&c| corner_normal(state, c, keep_normals))
        .collect();
    let keys: Vec<[u32; 5]> = corners
        .iter()
        .zip(&normals)
        .map(|(&c, n)| {
            let n = n.to_array().map(f32::to_bits);
            [
                state.corner_point[c as usize],
                state.corner_wedge[c as usize],
                n[0],
                n[1],
                n[2],
            ]
        })
        .collect();
    let (vertex, first) = classes(&keys);
    let point_keys: Vec<[u32; 1]> = first.iter().map(|&i| [keys[i as usize][0]]).collect();
    let (vertex_point, first_of_point) = classes(&point_keys);
    let wedge = |i: &u32| keys[*i as usize][1] as usize;

    let mut uv_sets = Vec::new();
    if !state.uv.is_empty() {
        let scale = state.uv_scale;
        uv_sets.push(
            first
                .iter()
                .map(|i| (state.uv[wedge(i)] / scale).as_vec2())
                .collect(),
        );
        for set in &state.more_uv {
            uv_sets.push(first.iter().map(|i| set[wedge(i)]).collect());
        }
    }
    Mesh {
        points: first_of_point
            .iter()
            .map(|&v| {
                let p = point_keys[v as usize][0] as usize;
                state.place[p] * state.diagonal + state.middle
            })
            .collect(),
        vertex_point,
        normals: first.iter().map(|&i| normals[i as usize]).collect(),
        uv_sets,
        colours: if state.colour.is_empty() {
            Vec::new()
        } else {
            first.iter().map(|i| state.colour[wedge(i)]).collect()
        },
        corners: vertex,
        face_starts: None,
        parts: source.parts.clone(),
        runs,
    }
}

fn corner_normal(state: &State, corner: u32, keep_normals: bool) -> Vec3 {
    let w = state.corner_wedge[corner as usize] as usize;
    if keep_normals && let Some(n) = state.normal[w].try_normalize() {
        return n;
    }
    let (n, p) = State::others(corner);
    let a = state.corner_place(corner);
    let face = (state.corner_place(n) - a)
        .cross(state.corner_place(p) - a)
        .try_normalize()
        .unwrap_or(Vec3::Y);
    match state.facing[w].try_normalize() {
        Some(mean) if mean.dot(face) >= HARD_COSINE => mean,
        _ => face,
    }
}
