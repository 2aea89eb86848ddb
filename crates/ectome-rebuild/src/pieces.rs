//! The loose pieces of a source: turned outward where they can be, and open sheets told apart, around which nothing can be inside.

use std::collections::HashMap;

use ectome_mesh::Mesh;
use glam::{DVec3, Vec3};

use crate::winding::Winding;

/// A source divided.
pub(crate) struct Pieces {
    /// Triangles of what encloses something, facing outward.
    pub solid: Vec<[Vec3; 3]>,
    /// Triangles of open sheets.
    pub sheets: Vec<[Vec3; 3]>,
    /// Pieces that were turned outward.
    pub turned: usize,
    /// Pieces that are sheets.
    pub sheet_count: usize,
    /// All pieces.
    pub count: usize,
}

/// Triangles of a piece that are asked whether it encloses anything, at most.
const ASKED: usize = 200;
/// How far beside its surface it is asked, as a share of the source's diagonal.
const BESIDE: f32 = 0.003;
/// A piece whose winding number is this far from a whole one beside half its surface is a sheet. Sheets have .33 to .49, closed pieces
/// under .2.
const SHEET: f32 = 0.27;

/// Divides a mesh of triangles.
pub(crate) fn of(mesh: &Mesh, diagonal: f32) -> Pieces {
    let mut out = Pieces {
        solid: Vec::new(),
        sheets: Vec::new(),
        turned: 0,
        sheet_count: 0,
        count: 0,
    };
    for faces in components(mesh) {
        out.count += 1;
        let mut triangles: Vec<[Vec3; 3]> =
            faces.iter().map(|&f| mesh.triangle(f as usize)).collect();
        let open = open_share(mesh, &faces);
        if open > 0.0 && is_sheet(&triangles, diagonal) {
            out.sheet_count += 1;
            out.sheets.append(&mut triangles);
            continue;
        }
        // A piece whose volume is negative shows its back.
        if volume(&triangles) < 0.0 {
            out.turned += 1;
            triangles.iter_mut().for_each(|t| t.swap(1, 2));
        }
        out.solid.append(&mut triangles);
    }
    out
}

/// Faces that hang together by common points, in the order of their first faces.
fn components(mesh: &Mesh) -> Vec<Vec<u32>> {
    let mut parent: Vec<u32> = (0..mesh.points.len() as u32).collect();
    fn root(parent: &mut [u32], mut p: u32) -> u32 {
        while parent[p as usize] != p {
            parent[p as usize] = parent[parent[p as usize] as usize];
            p = parent[p as usize];
        }
        p
    }
    // Points at one place are one: soup shares places, not points.
    let mut at: HashMap<[u32; 3], u32> = HashMap::new();
    for (p, place) in mesh.points.iter().enumerate() {
        let key = (*place + Vec3::ZERO).to_array().map(f32::to_bits);
        let first = *at.entry(key).or_insert(p as u32);
        parent[p] = first;
    }
    for f in 0..mesh.face_count() {
        let [a, b, c] = mesh.triangle_points(f);
        let ra = root(&mut parent, a);
        for p in [b, c] {
            let rp = root(&mut parent, p);
            parent[rp as usize] = ra;
        }
    }
    let mut slot: HashMap<u32, usize> = HashMap::new();
    let mut list: Vec<Vec<u32>> = Vec::new();
    for f in 0..mesh.face_count() {
        let r = root(&mut parent, mesh.triangle_points(f)[0]);
        let at = *slot.entry(r).or_insert_with(|| {
            list.push(Vec::new());
            list.len() - 1
        });
        list[at].push(f as u32);
    }
    list
}

/// How many of the edges of some faces have no second face, as a share.
fn open_share(mesh: &Mesh, faces: &[u32]) -> f64 {
    let mut edges: HashMap<[[u32; 3]; 2], u32> = HashMap::new();
    for &f in faces {
        let t = mesh
            .triangle(f as usize)
            .map(|p| (p + Vec3::ZERO).to_array().map(f32::to_bits));
        for k in 0..3 {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            *edges
                .entry(if a < b { [a, b] } else { [b, a] })
                .or_default() += 1;
        }
    }
    let open = edges.values().filter(|n| **n == 1).count();
    open as f64 / edges.len().max(1) as f64
}

fn volume(triangles: &[[Vec3; 3]]) -> f64 {
    let middle = triangles.first().map_or(DVec3::ZERO, |t| t[0].as_dvec3());
    let one = |t: &[Vec3; 3]| {
        let [a, b, c] = t.map(|p| p.as_dvec3() - middle);
        a.dot(b.cross(c)) / 6.0
    };
    triangles.iter().map(one).sum()
}

/// Whether a piece encloses nothing: beside a closed surface it goes around one side once and around the other not at all.
fn is_sheet(triangles: &[[Vec3; 3]], diagonal: f32) -> bool {
    let winding = Winding::of(triangles);
    let every = triangles.len().div_ceil(ASKED);
    let mut off: Vec<f32> = triangles
        .iter()
        .step_by(every)
        .flat_map(|&[a, b, c]| {
            let normal = (b - a).cross(c - a).normalize_or_zero();
            let middle = (a + b + c) / 3.0;
            [-1.0, 1.0].map(|side| {
                let w = winding.at(middle + normal * (side * BESIDE * diagonal));
                (w - w.round()).abs()
            })
        })
        .collect();
    off.sort_by(f32::total_cmp);
    off[off.len() / 2] > SHEET
}

#[cfg(test)]
mod tests {
    use ectome_mesh::{edit, shapes};

    use super::*;

    #[test]
    fn a_ball_inside_out_is_turned_and_a_cap_is_a_sheet() {
        let mut ball = shapes::icosphere(1.0, 4);
        ball.corners.chunks_exact_mut(3).for_each(|t| t.swap(1, 2));
        let pieces = of(&ball, 3.4);
        assert_eq!((pieces.turned, pieces.sheet_count, pieces.count), (1, 0, 1));
        assert!(volume(&pieces.solid) > 4.0);
        let ball = shapes::icosphere(1.0, 4);
        let cap = edit::kept(&ball, |f| ball.triangle(f)[0].y > 0.8);
        let pieces = of(&cap, 3.4);
        assert_eq!((pieces.sheet_count, pieces.solid.len()), (1, 0));
        // A ball with a small hole is no sheet.
        let holed = edit::kept(&ball, |f| ball.triangle(f)[0].y < 0.95);
        assert_eq!(of(&holed, 3.4).sheet_count, 0);
    }
}
