//! Numbers of vertices as whole numbers of two bytes (`KHR_mesh_quantization`, Khronos Group registry of glTF extensions).
//!
//! Places lie on a grid of equal steps in all directions, so that directions stay what they are; the node that holds a mesh brings it
//! to its size. A place is off by half a step at most.

use glam::{Affine3A, Quat, Vec3};
use serde_json::{Value, json};

/// The largest whole number on either side of a grid's middle.
const MOST: f32 = 32_767.0;

/// The grid of a mesh.
#[derive(Clone, Copy, Debug)]
pub(super) struct Grid {
    middle: Vec3,
    step: f32,
}

impl Grid {
    /// A grid of a mesh's places. Its middle is where the mesh has its own, its pivot, unless the mesh lies so far from it that
    /// steps would be more than twice as large.
    pub(super) fn around(places: impl Iterator<Item = Vec3>) -> Self {
        let (min, max) = places.fold((Vec3::INFINITY, Vec3::NEG_INFINITY), |(a, b), p| {
            (a.min(p), b.max(p))
        });
        let (centre, half) = (0.5 * (min + max), 0.5 * (max - min).max_element());
        let reach = min.abs().max(max.abs()).max_element();
        let (middle, reach) = if reach <= 2.0 * half {
            (Vec3::ZERO, reach)
        } else {
            (centre, half)
        };
        // A mesh that is one point has no size.
        let step = if reach > 0.0 { reach / MOST } else { 1.0 };
        Self { middle, step }
    }

    /// A place on it.
    pub(super) fn of(&self, p: Vec3) -> [i16; 3] {
        let at = ((p - self.middle) / self.step)
            .round()
            .clamp(Vec3::splat(-MOST), Vec3::splat(MOST));
        at.to_array().map(|v| v as i16)
    }
}

/// Figures from −1 to 1 in 32 767 steps each way.
pub(super) fn signed<const N: usize>(rows: &[[f32; N]]) -> Vec<[i16; N]> {
    let coded = |v: f32| (v.clamp(-1.0, 1.0) * MOST).round() as i16;
    rows.iter().map(|r| r.map(coded)).collect()
}

/// Figures from 0 to 1 in 65 535 steps; `None` where some lie outside.
pub(super) fn shares<const N: usize>(rows: &[[f32; N]]) -> Option<Vec<[u16; N]>> {
    let inside = rows.iter().flatten().all(|v| (0.0..=1.0).contains(v));
    inside.then(|| {
        let coded = |v: f32| (v * 65_535.0).round() as u16;
        rows.iter().map(|r| r.map(coded)).collect()
    })
}

/// Lets every node that holds a mesh bring its grid to its size: by its own frame, or, where others hang from it, by a node below it.
pub(super) fn placed(nodes: &mut Vec<Value>, grids: &[(usize, Grid)]) {
    for n in 0..nodes.len() {
        let Some(mesh) = nodes[n]["mesh"].as_u64() else {
            continue;
        };
        let Some((_, grid)) = grids.iter().find(|(m, _)| *m as u64 == mesh) else {
            continue;
        };
        if nodes[n]["children"].is_array() {
            let below = nodes.len();
            let mut held = json!({ "mesh": mesh });
            describe(&mut held, grid);
            nodes.push(held);
            let node = &mut nodes[n];
            if let Some(fields) = node.as_object_mut() {
                fields.remove("mesh");
            }
            if let Some(children) = node["children"].as_array_mut() {
                children.push(json!(below));
            }
        } else {
            describe(&mut nodes[n], grid);
        }
    }
}

/// A node's frame, with the grid's before it: T R S (m + s q) = (T + R S m) + R (S s) q.
fn describe(node: &mut Value, grid: &Grid) {
    fn given<const N: usize>(value: &Value, or: [f32; N]) -> [f32; N] {
        let mut out = or;
        for (slot, v) in out.iter_mut().zip(value.as_array().into_iter().flatten()) {
            *slot = v.as_f64().unwrap_or(0.0) as f32;
        }
        out
    }
    let translation = Vec3::from(given(&node["translation"], [0.0; 3]));
    let rotation = Quat::from_array(given(&node["rotation"], [0.0, 0.0, 0.0, 1.0]));
    let scale = Vec3::from(given(&node["scale"], [1.0; 3]));
    let frame = Affine3A::from_scale_rotation_translation(scale, rotation, translation);
    let moved = frame.transform_point3(grid.middle);
    if let Some(fields) = node.as_object_mut() {
        for field in ["translation", "rotation", "scale"] {
            fields.remove(field);
        }
    }
    if moved != Vec3::ZERO {
        node["translation"] = json!(moved.to_array());
    }
    if rotation != Quat::IDENTITY {
        node["rotation"] = json!(rotation.to_array());
    }
    node["scale"] = json!((scale * grid.step).to_array());
}
