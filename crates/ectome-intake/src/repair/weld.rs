//! Points that coincide within a distance become one.
//!
//! A point is a place, a vertex is a point with attributes: joining two points closes the surface, and where
//! their vertices differ in UV or stand at a hard edge they stay two vertices on one point. So a weld never
//! takes a seam away unless it is asked to.

use std::{
    collections::HashMap,
    hash::{BuildHasherDefault, Hasher},
};

use ectome_mesh::{Mesh, edit};
use glam::{Vec2, Vec3};
use serde::{Deserialize, Serialize};

/// How a weld goes about it.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Weld {
    /// Points at most this far apart are joined, in metres.
    pub distance_m: f32,
    /// Vertices with different UVs are joined too; the seam goes, the first vertex's UV stays.
    pub across_seams: bool,
    /// Vertices whose normals differ by more than [`HARD`] degrees are joined too; the mean stays.
    pub across_hard_edges: bool,
}

/// Normals further apart than this make a hard edge, in degrees (common practice, no published source).
pub const HARD: f32 = 30.0;

/// UVs closer than this are one UV: a quarter of a texel of a texture of 8192.
const SAME_UV: f32 = 0.25 / 8192.0;

impl Default for Weld {
    fn default() -> Self {
        Self {
            distance_m: 1e-4,
            across_seams: false,
            across_hard_edges: false,
        }
    }
}

/// What a weld did.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Welded {
    /// Points that went.
    pub points: usize,
    /// Vertices that went.
    pub vertices: usize,
    /// Faces that went because nothing was left of them.
    pub faces: usize,
}

/// Joins points, then vertices. A point keeps the place of the first of its group; points that stay are
/// further apart than the distance, so welding again changes nothing.
pub fn weld(mesh: &Mesh, settings: &Weld) -> (Mesh, Welded) {
    let (keeper, kept) = groups(&mesh.points, settings.distance_m.max(0.0));
    let mut out = mesh.clone();
    for p in &mut out.vertex_point {
        *p = keeper[*p as usize];
    }
    let before = (mesh.vertex_count(), mesh.face_count());
    join_vertices(&mut out, settings);
    let mut out = edit::rebuilt(&out, |_, face, sink| {
        let mut left: Vec<u32> = Vec::with_capacity(face.len());
        for &v in face {
            let same = |w: &u32| out.vertex_point[*w as usize] == out.vertex_point[v as usize];
            if !left.last().is_some_and(same) {
                left.push(v);
            }
        }
        while left.len() > 1
            && out.vertex_point[left[0] as usize] == out.vertex_point[left[left.len() - 1] as usize]
        {
            left.pop();
        }
        // A triangle of two points, or a polygon that runs back on itself.
        let mut points: Vec<u32> = left.iter().map(|&v| out.vertex_point[v as usize]).collect();
        points.sort_unstable();
        points.dedup();
        if points.len() >= 3 {
            sink.push(&left);
        }
    });
    out.drop_unused();
    let done = Welded {
        points: mesh.points.len() - kept,
        vertices: before.0 - out.vertex_count(),
        faces: before.1 - out.face_count(),
    };
    (out, done)
}

/// The points that welding within `distance` would join to an earlier one.
pub fn coincident(points: &[Vec3], distance: f32) -> Vec<u32> {
    let (keeper, _) = groups(points, distance);
    (0..points.len() as u32)
        .filter(|&p| keeper[p as usize] != p)
        .collect()
}

/// For each point the point that stays in its stead, and how many stay.
fn groups(points: &[Vec3], distance: f32) -> (Vec<u32>, usize) {
    let n = points.len();
    if distance <= 0.0 {
        return ((0..n as u32).collect(), n);
    }
    // Cells over twice as wide as the distance: along each axis, what is near enough lies in at most two.
    let size = f64::from(distance) * 2.002;
    let cell = |p: Vec3, by: f64| ((p.as_dvec3() + by) / size).floor().as_i64vec3();
    // The points kept in a cell, linked from the last one back. Cells whose keys fall together are one: distances are
    // asked for anyway.
    let mut last: HashMap<u64, u32, BuildHasherDefault<Mixed>> = HashMap::default();
    let mut before = vec![u32::MAX; n];
    let mut keeper = vec![0; n];
    let mut kept = 0;
    let reach = f64::from(distance) * 1.001;
    for (i, &p) in points.iter().enumerate() {
        let (low, high) = (cell(p, -reach), cell(p, reach));
        let mut best: Option<(f32, u32)> = None;
        for x in low.x..=high.x {
            for y in low.y..=high.y {
                for z in low.z..=high.z {
                    let mut at = last.get(&mixed([x, y, z])).copied();
                    while let Some(j) = at {
                        let d = p.distance(points[j as usize]);
                        if d <= distance && best.is_none_or(|b| (d, j) < b) {
                            best = Some((d, j));
                        }
                        let next = before[j as usize];
                        at = (next != u32::MAX).then_some(next);
                    }
                }
            }
        }
        keeper[i] = match best {
            Some((_, j)) => j,
            None => {
                let c = cell(p, 0.0);
                if let Some(j) = last.insert(mixed(c.to_array()), i as u32) {
                    before[i] = j;
                }
                kept += 1;
                i as u32
            }
        };
    }
    (keeper, kept)
}

/// A cell as one well-mixed number.
fn mixed(cell: [i64; 3]) -> u64 {
    cell.iter().fold(0x9E37_79B9_7F4A_7C15, |h: u64, &v| {
        let h = (h ^ v as u64).wrapping_mul(0xFF51_AFD7_ED55_8CCD);
        h ^ h >> 32
    })
}

/// Takes keys that are mixed already as they are.
#[derive(Default)]
struct Mixed(u64);

impl Hasher for Mixed {
    fn finish(&self) -> u64 {
        self.0
    }

    fn write(&mut self, bytes: &[u8]) {
        bytes
            .iter()
            .for_each(|&b| self.0 = self.0 << 8 | u64::from(b));
    }

    fn write_u64(&mut self, key: u64) {
        self.0 = key;
    }
}

/// Makes vertices of one point and one run kind one vertex where nothing they carry sets them apart.
fn join_vertices(mesh: &mut Mesh, settings: &Weld) {
    let n = mesh.vertex_count();
    let mut kind = vec![u32::MAX; n];
    for run in &mesh.runs {
        let tag = run.part * 8
            + u32::from(run.channels.normals)
            + 2 * u32::from(run.channels.colours)
            + 4 * u32::from(run.channels.uv_sets.min(1));
        for f in run.faces.clone() {
            for &v in mesh.face(f as usize) {
                kind[v as usize] = tag;
            }
        }
    }
    let mut order: Vec<u32> = (0..n as u32)
        .filter(|&v| kind[v as usize] != u32::MAX)
        .collect();
    order.sort_unstable_by_key(|&v| (mesh.vertex_point[v as usize], kind[v as usize], v));
    let mut stands_for: Vec<u32> = (0..n as u32).collect();
    let hard = HARD.to_radians().cos();
    let same = |a: u32, b: u32| {
        let (a, b) = (a as usize, b as usize);
        let near = |s: &Vec<Vec2>| (s[a] - s[b]).abs().max_element() <= SAME_UV;
        (settings.across_seams || mesh.uv_sets.iter().all(near))
            && (settings.across_hard_edges
                || mesh.normals.is_empty()
                || mesh.normals[a].dot(mesh.normals[b]) >= hard
                || mesh.normals[a] == mesh.normals[b])
            && (mesh.colours.is_empty()
                || (mesh.colours[a] - mesh.colours[b]).abs().max_element() <= 1.0 / 512.0)
    };
    let mut sums: HashMap<u32, Vec3> = HashMap::new();
    for group in order.chunk_by(|&a, &b| {
        mesh.vertex_point[a as usize] == mesh.vertex_point[b as usize]
            && kind[a as usize] == kind[b as usize]
    }) {
        for (i, &v) in group.iter().enumerate() {
            let first = group[..i]
                .iter()
                .copied()
                .find(|&w| stands_for[w as usize] == w && same(w, v));
            if let Some(w) = first {
                stands_for[v as usize] = w;
                if !mesh.normals.is_empty() {
                    let own = mesh.normals[w as usize];
                    *sums.entry(w).or_insert(own) += mesh.normals[v as usize];
                }
            }
        }
    }
    for (w, sum) in sums {
        if let Some(n) = sum.try_normalize() {
            mesh.normals[w as usize] = n;
        }
    }
    for corner in &mut mesh.corners {
        *corner = stands_for[*corner as usize];
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{MeshBuilder, Primitive, shapes, topology::Topology};
    use proptest::prelude::*;

    /// Every triangle with vertices of its own, each a little off.
    fn soup(mesh: &Mesh, off: f32) -> Mesh {
        let mut positions = Vec::new();
        for f in 0..mesh.face_count() {
            for (k, p) in mesh.triangle(f).into_iter().enumerate() {
                let shift = Vec3::new((f % 7) as f32, (k * 3) as f32, (f % 5) as f32) - 3.0;
                positions.push(p + shift * off / 6.0);
            }
        }
        let mut builder = MeshBuilder::new();
        builder.primitive(Primitive {
            corners: (0..positions.len() as u32).collect(),
            positions,
            ..Primitive::default()
        });
        builder.finish()
    }

    // Euler–Poincaré again after the weld: the sphere is closed with V − E + F = 2.
    #[test]
    fn a_soup_becomes_a_closed_sphere_again() {
        let ball = shapes::icosphere(1.0, 3);
        let soup = soup(&ball, 1e-5);
        let (closed, done) = weld(
            &soup,
            &Weld {
                distance_m: 1e-3,
                ..Weld::default()
            },
        );
        closed.check().unwrap();
        let t = Topology::of(&closed);
        assert_eq!((t.open_edges, t.euler_characteristic), (0, 2));
        assert_eq!(closed.points.len(), ball.points.len());
        assert_eq!((done.points, done.faces), (soup.points.len() - 642, 0));
    }

    proptest! {
        #[test]
        fn welding_again_changes_nothing(distance in 0.001f32..0.8, off in 0.0f32..0.3) {
            let settings = Weld { distance_m: distance, ..Weld::default() };
            let (once, _) = weld(&soup(&shapes::icosphere(1.0, 2), off), &settings);
            prop_assert!(once.check().is_ok());
            let (twice, done) = weld(&once, &settings);
            prop_assert_eq!(done, Welded::default());
            prop_assert_eq!(once, twice);
        }

        #[test]
        fn no_point_moves_further_than_the_distance(distance in 0.001f32..0.5) {
            let ball = soup(&shapes::icosphere(1.0, 2), 0.2);
            let (keeper, _) = groups(&ball.points, distance);
            for (p, &k) in ball.points.iter().zip(&keeper) {
                prop_assert!(p.distance(ball.points[k as usize]) <= distance);
            }
        }
    }
}
