//! Whether a part is another one moved, so that a file holds it once.

use ectome_mesh::{Channels, Mesh, Run};
use glam::Mat3;

use crate::Copy;

/// Whether a part really is another one moved, corner by corner. Corners of a face may begin anywhere in it.
pub(super) fn is_copy(mesh: &Mesh, copy: &Copy) -> bool {
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
