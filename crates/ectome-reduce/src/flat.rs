//! Flat regions with the fewest triangles, and those well-shaped.
//!
//! An analysis may be told to take only what costs nothing ([`crate::Options::flat_only`]): points inside flat
//! regions whose texture lies evenly, and points on straight lines. That leaves each flat region with its
//! corners only, where they were. How they are joined is free as long as the region is flat, so diagonals are flipped to the
//! Delaunay triangulation (C. Lawson, *Software for C¹ Surface Interpolation*, 1977), which has the largest
//! smallest angle.

use std::collections::HashMap;

use ectome_mesh::{Mesh, Progress, measure};
use glam::{DVec3, Vec2};

use crate::{
    analyse::analyse,
    error::CutError,
    options::Options,
    replay::{Cut, Replay},
};

/// Faces whose normals are less than this apart are in one plane: sine of the angle.
const LEVEL: f64 = 1e-4;
/// A texture lies evenly over two faces if it agrees to this, in units of the UV square.
const SAME_UV: f32 = 1e-6;

/// Takes everything flat to the fewest triangles: a source of triangles to the [`Cut`] in which flat regions and
/// straight lines have only the corners they need, well joined, and nothing else has changed.
///
/// # Errors
/// See [`analyse`].
pub fn merge_flat(mesh: &Mesh, options: &Options, progress: &Progress) -> Result<Cut, CutError> {
    let options = Options {
        flat_only: true,
        ..options.clone()
    };
    let log = analyse(mesh, &options, &progress.span(0.0, 0.9))?;
    let replay = Replay::new(mesh, &log).map_err(|_| CutError::NotTriangulated)?;
    let mut cut = replay.at(mesh, &log, replay.least())?;
    if mesh.normals.is_empty() {
        // Normals made for the result would lean over the edges of what is flat.
        cut.mesh = without_normals(cut.mesh);
    }
    tidy(&mut cut.mesh);
    progress.at(1.0)?;
    Ok(cut)
}

/// The mesh without normals, and without the vertices that only they told apart.
fn without_normals(mut mesh: Mesh) -> Mesh {
    let mut known: HashMap<Vec<u32>, u32> = HashMap::with_capacity(mesh.vertex_count());
    let mut kept: Vec<usize> = Vec::new();
    let number: Vec<u32> = (0..mesh.vertex_count())
        .map(|v| {
            let uvs = mesh.uv_sets.iter().flat_map(|set| set[v].to_array());
            let colour = mesh.colours.get(v).map(|c| c.to_array());
            let looks = uvs.chain(colour.into_iter().flatten()).map(f32::to_bits);
            let key = std::iter::once(mesh.vertex_point[v]).chain(looks).collect();
            *known.entry(key).or_insert_with(|| {
                kept.push(v);
                kept.len() as u32 - 1
            })
        })
        .collect();
    fn pick<T: Copy>(list: &[T], at: &[usize]) -> Vec<T> {
        if list.is_empty() {
            Vec::new()
        } else {
            at.iter().map(|&i| list[i]).collect()
        }
    }
    mesh.vertex_point = pick(&mesh.vertex_point, &kept);
    mesh.colours = pick(&mesh.colours, &kept);
    for set in &mut mesh.uv_sets {
        *set = pick(set, &kept);
    }
    mesh.normals.clear();
    mesh.runs
        .iter_mut()
        .for_each(|r| r.channels.normals = false);
    mesh.corners
        .iter_mut()
        .for_each(|v| *v = number[*v as usize]);
    mesh
}

/// Flips diagonals inside flat regions until none is better the other way. Lines, outlines, places, and
/// the way the texture lies stay as they are. Returns how many were flipped.
pub fn tidy(mesh: &mut Mesh) -> usize {
    let mut edges = edges_of(mesh);
    let run_of = mesh.run_of_faces();
    let mut waiting: Vec<(u32, u32)> = edges.keys().copied().collect();
    waiting.sort_unstable();
    let mut flipped = 0;
    let most = 8 * waiting.len();
    while let Some(edge) = waiting.pop() {
        if flipped >= most {
            break;
        }
        let Some(&[f, g]) = edges.get(&edge) else {
            continue;
        };
        if g == u32::MAX || run_of[f as usize] != run_of[g as usize] {
            continue;
        }
        let Some(quad) = better(mesh, f, g, edge) else {
            continue;
        };
        let [a, b, c, d] = quad;
        let new = key(point(mesh, c), point(mesh, d));
        if edges.contains_key(&new) {
            continue;
        }
        // Faces (a, b, c) and (b, a, d) become (c, d, b) and (d, c, a).
        mesh.corners[3 * f as usize..3 * f as usize + 3].copy_from_slice(&[c, d, b]);
        mesh.corners[3 * g as usize..3 * g as usize + 3].copy_from_slice(&[d, c, a]);
        edges.remove(&edge);
        edges.insert(new, [f, g]);
        for (p, q, old, now) in [(b, d, g, f), (a, c, f, g)] {
            let side = key(point(mesh, p), point(mesh, q));
            if let Some(pair) = edges.get_mut(&side) {
                pair.iter_mut()
                    .filter(|x| **x == old)
                    .for_each(|x| *x = now);
            }
        }
        for (p, q) in [(b, d), (a, c), (b, c), (a, d)] {
            waiting.push(key(point(mesh, p), point(mesh, q)));
        }
        flipped += 1;
    }
    flipped
}

/// The faces at each edge of a triangle mesh, by its points, lower first: `u32::MAX` for a second that is not there. Edges with
/// more than two are left out.
pub(crate) fn edges_of(mesh: &Mesh) -> HashMap<(u32, u32), [u32; 2]> {
    let mut edges: HashMap<(u32, u32), [u32; 2]> = HashMap::with_capacity(mesh.corners.len());
    let mut crowded: Vec<(u32, u32)> = Vec::new();
    for f in 0..mesh.face_count() as u32 {
        for (a, b) in sides(mesh, f) {
            let entry = edges.entry(key(a, b)).or_insert([u32::MAX; 2]);
            match entry {
                [first, _] if *first == u32::MAX => *first = f,
                [_, second] if *second == u32::MAX => *second = f,
                _ => crowded.push(key(a, b)),
            }
        }
    }
    crowded.iter().for_each(|e| {
        edges.remove(e);
    });
    edges
}

fn point(mesh: &Mesh, vertex: u32) -> u32 {
    mesh.vertex_point[vertex as usize]
}

fn key(a: u32, b: u32) -> (u32, u32) {
    (a.min(b), a.max(b))
}

fn sides(mesh: &Mesh, face: u32) -> [(u32, u32); 3] {
    let [a, b, c] = mesh.triangle_points(face as usize);
    [(a, b), (b, c), (c, a)]
}

/// The vertices (a, b, c, d) of faces (a, b, c) and (b, a, d), if the two lie flat and share their vertices at both ends of the edge.
pub(crate) fn flat_pair(mesh: &Mesh, f: u32, g: u32, edge: (u32, u32)) -> Option<[u32; 4]> {
    let turned = |face: u32| {
        let v = mesh.face(face as usize);
        (0..3)
            .map(|k| [v[k], v[(k + 1) % 3], v[(k + 2) % 3]])
            .find(|t| key(point(mesh, t[0]), point(mesh, t[1])) == edge)
    };
    let ([a, b, c], [b2, a2, d]) = (turned(f)?, turned(g)?);
    if a != a2 || b != b2 {
        return None; // a seam, a hard edge, or wound against each other
    }
    let [pa, pb, pc, pd] = [a, b, c, d].map(|v| mesh.position(v).as_dvec3());
    let (m, n) = ((pb - pa).cross(pc - pa), (pa - pb).cross(pd - pb));
    is_level(m, n).then_some([a, b, c, d])
}

/// True when two area vectors say that what they belong to lies in one plane.
pub(crate) fn is_level(m: DVec3, n: DVec3) -> bool {
    let (Some(m), Some(n)) = (m.try_normalize(), n.try_normalize()) else {
        return false;
    };
    m.dot(n) > 0.0 && m.cross(n).length() <= LEVEL
}

/// The same, if the faces carry the texture evenly as well and the other diagonal is the better one.
fn better(mesh: &Mesh, f: u32, g: u32, edge: (u32, u32)) -> Option<[u32; 4]> {
    let [a, b, c, d] = flat_pair(mesh, f, g, edge)?;
    let [pa, pb, pc, pd] = [a, b, c, d].map(|v| mesh.position(v).as_dvec3());
    let m = (pb - pa).cross(pc - pa).normalize_or_zero();
    // Convex: both new faces look the same way and have area.
    let size = pa.distance_squared(pb);
    let faces = |x: DVec3, y: DVec3, z: DVec3| (y - x).cross(z - x).dot(m);
    if faces(pc, pd, pb) <= 1e-6 * size || faces(pd, pc, pa) <= 1e-6 * size {
        return None;
    }
    // Delaunay: the angles at c and d together are less than 180°.
    let cot = |p: DVec3| {
        let (u, v) = (pa - p, pb - p);
        u.dot(v) / u.cross(v).length().max(f64::MIN_POSITIVE)
    };
    if cot(pc) + cot(pd) >= -1e-9 {
        return None;
    }
    evenly(mesh, [a, b, c, d]).then_some([a, b, c, d])
}

/// Does the affine map of face (a, b, c) give d its UVs?
pub(crate) fn evenly(mesh: &Mesh, [a, b, c, d]: [u32; 4]) -> bool {
    let Some(w) = measure::barycentric(mesh.position(d), [a, b, c].map(|v| mesh.position(v)))
    else {
        return false;
    };
    mesh.uv_sets.iter().all(|set| {
        let expected: Vec2 = [a, b, c]
            .iter()
            .zip(w)
            .map(|(&v, w)| set[v as usize] * w as f32)
            .sum();
        expected.distance(set[d as usize]) <= SAME_UV
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{MeshBuilder, Primitive};
    use glam::{Affine3A, Vec3};

    #[test]
    fn a_bad_diagonal_is_flipped_and_a_folded_one_is_not() {
        let sheet = |lift: f32| {
            let mut builder = MeshBuilder::new();
            builder
                .part("sheet", Affine3A::IDENTITY)
                .primitive(Primitive {
                    positions: vec![
                        Vec3::new(-5.0, 0.0, 0.0),
                        Vec3::new(5.0, 0.0, 0.0),
                        Vec3::new(0.0, 1.0, lift),
                        Vec3::new(0.0, -1.0, 0.0),
                    ],
                    corners: vec![0, 1, 2, 1, 0, 3],
                    ..Primitive::default()
                });
            builder.finish()
        };
        let mut flat = sheet(0.0);
        assert_eq!(tidy(&mut flat), 1);
        assert!((measure::area(&flat) - 10.0).abs() < 1e-5);
        let mut folded = sheet(0.3);
        assert_eq!(tidy(&mut folded), 0);
    }
}
