//! Shading normals of meshes that bring none.
//!
//! A heavy source without normals is taken to be smooth where its faces meet at less than 45°, and hard elsewhere (common practice,
//! no published source), so that a box stays a box and a ball a ball. A low mesh that maps are baked for is hard only where its UVs are
//! parted anyway: elsewhere a map holds what its own normals lack, but across a hard edge inside an island filtering would
//! mix both sides.

use glam::Vec3;
use rayon::prelude::*;

use crate::{
    Mesh,
    cone_sums::ConeSums,
    measure::area_vector,
    topology::{UnionFind, sorted_half_edges},
};

/// Faces that meet at less than this are smooth: cosine of 45°. A hair below it, so that faces at exactly 45°, as bevels of one
/// segment make them, are smooth however they are rounded.
const SMOOTH: f32 = std::f32::consts::FRAC_1_SQRT_2 - 1e-4;

/// From so many corners at one point on, those around are not asked one by one.
const MANY: usize = 256;

/// True when every face has normals of its own.
pub fn all_given(mesh: &Mesh) -> bool {
    !mesh.normals.is_empty() && mesh.runs.iter().all(|r| r.channels.normals)
}

/// The shading normal at each corner of a mesh of triangles: the one given, else the mean of the faces around by their angles, as
/// far as they are smooth.
pub fn at_corners(mesh: &Mesh) -> Vec<Vec3> {
    let straight = of_faces(mesh);
    // The corners around each point, and what each adds to the mean: it is asked for by every corner around it.
    let (starts, corners, weighted) = if all_given(mesh) {
        (Vec::new(), Vec::new(), Vec::new())
    } else {
        let (starts, corners) = around_points(mesh);
        (starts, corners, weighted_by_angles(mesh, &straight))
    };
    let weighted = |c: u32| weighted[c as usize];
    let at_point = |p: usize| &corners[starts[p] as usize..starts[p + 1] as usize];
    // In the order of points.
    let crowded: Vec<(usize, ConeSums)> = (0..starts.len().saturating_sub(1))
        .into_par_iter()
        .filter(|&p| at_point(p).len() > MANY)
        .map(|p| {
            let list = at_point(p).iter();
            let list = list.map(|&c| (straight[c as usize / 3], weighted(c)));
            (p, ConeSums::new(list, SMOOTH))
        })
        .collect();
    let run_of_face = mesh.run_of_faces();
    (0..mesh.corners.len())
        .into_par_iter()
        .map(|corner| {
            let f = corner / 3;
            let run = &mesh.runs[run_of_face[f] as usize];
            if run.channels.normals && !mesh.normals.is_empty() {
                let v = mesh.corners[corner] as usize;
                return mesh.normals[v].normalize_or(straight[f]);
            }
            let p = mesh.triangle_points(f)[corner % 3] as usize;
            let sum: Vec3 = match crowded.binary_search_by_key(&p, |c| c.0) {
                Ok(at) => crowded[at].1.around(straight[f]),
                Err(_) => at_point(p)
                    .iter()
                    .filter(|&&c| straight[c as usize / 3].dot(straight[f]) > SMOOTH)
                    .map(|&c| weighted(c))
                    .sum(),
            };
            sum.normalize_or(straight[f])
        })
        .collect()
}

/// Gives vertices without normals theirs: hard along UV seams where faces meet at 45° or more, smooth elsewhere. The vertices on
/// the two sides of a seam are two already, so none is added. Does nothing where all are given.
pub fn set_for_maps(mesh: &mut Mesh) {
    if all_given(mesh) {
        return;
    }
    let straight = of_faces(mesh);
    let mut groups = UnionFind::new(mesh.corners.len());
    let edges = sorted_half_edges(mesh);
    for edge in edges.chunk_by(|a, b| (a.low, a.high) == (b.low, b.high)) {
        let [a, b] = edge else { continue };
        // The corners of each side at the lower and at the higher point.
        let ends = |corner: u32| {
            let next = corner - corner % 3 + (corner + 1) % 3;
            let low = |c: u32| mesh.vertex_point[mesh.corners[c as usize] as usize] == a.low;
            if low(corner) {
                [corner, next]
            } else {
                [next, corner]
            }
        };
        let (a, b) = (ends(a.corner), ends(b.corner));
        let seam = (0..2).any(|k| mesh.corners[a[k] as usize] != mesh.corners[b[k] as usize]);
        let flat = straight[a[0] as usize / 3].dot(straight[b[0] as usize / 3]) > SMOOTH;
        if flat || !seam {
            groups.join(a[0], b[0]);
            groups.join(a[1], b[1]);
        }
    }
    let mut sums = vec![Vec3::ZERO; mesh.corners.len()];
    for c in 0..mesh.corners.len() {
        sums[groups.find(c as u32) as usize] += straight[c / 3] * angle(mesh, c);
    }
    mesh.normals.resize(mesh.vertex_count(), Vec3::ZERO);
    for run in &mut mesh.runs {
        if run.channels.normals {
            continue;
        }
        run.channels.normals = true;
        for c in 3 * run.faces.start as usize..3 * run.faces.end as usize {
            let normal = sums[groups.find(c as u32) as usize];
            mesh.normals[mesh.corners[c] as usize] = normal.normalize_or(straight[c / 3]);
        }
    }
}

/// The normal of each face, of length 1.
fn of_faces(mesh: &Mesh) -> Vec<Vec3> {
    let one = |f| {
        let n = area_vector(mesh.triangle(f));
        n.try_normalize().map_or(Vec3::Y, |n| n.as_vec3())
    };
    (0..mesh.face_count()).into_par_iter().map(one).collect()
}

/// At each corner the normal of its face, times its angle there.
fn weighted_by_angles(mesh: &Mesh, straight: &[Vec3]) -> Vec<Vec3> {
    let one = |c: usize| straight[c / 3] * angle(mesh, c);
    (0..mesh.corners.len()).into_par_iter().map(one).collect()
}

/// The angle of a face at one of its corners.
fn angle(mesh: &Mesh, corner: usize) -> f32 {
    let (t, k) = (mesh.triangle(corner / 3), corner % 3);
    let angle = (t[(k + 1) % 3] - t[k]).angle_between(t[(k + 2) % 3] - t[k]);
    if angle.is_finite() { angle } else { 0.0 }
}

/// The corners at each point, one list after the other, and where each begins.
fn around_points(mesh: &Mesh) -> (Vec<u32>, Vec<u32>) {
    let mut starts = vec![0u32; mesh.points.len() + 1];
    let points = || mesh.corners.iter().map(|&v| mesh.vertex_point[v as usize]);
    points().for_each(|p| starts[p as usize + 1] += 1);
    for i in 1..starts.len() {
        starts[i] += starts[i - 1];
    }
    let mut next = starts.clone();
    let mut corners = vec![0; mesh.corners.len()];
    for (corner, p) in points().enumerate() {
        corners[next[p as usize] as usize] = corner as u32;
        next[p as usize] += 1;
    }
    (starts, corners)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{MeshBuilder, Primitive, shapes};
    use glam::{Affine3A, Vec2};

    #[test]
    fn a_ball_is_smooth_and_a_box_is_hard() {
        let ball = shapes::icosphere(1.0, 4);
        for (corner, n) in at_corners(&ball).into_iter().enumerate() {
            let p = ball.position(ball.corners[corner]);
            assert!(n.dot(p.normalize()) > 0.9999, "{corner}");
        }
        let cube = shapes::cuboid(Vec3::splat(2.0));
        for (corner, n) in at_corners(&cube).into_iter().enumerate() {
            let straight = area_vector(cube.triangle(corner / 3)).normalize().as_vec3();
            assert!(n.dot(straight) > 0.99999, "{corner}");
        }
    }

    /// The tip of a pointed hat of many faces, less steep than 45°: the faces around it lie evenly about its axis.
    #[test]
    fn thousands_of_faces_around_a_point_have_their_mean() {
        const AROUND: u32 = 20_000;
        let rim = |i: u32| {
            let turn = std::f32::consts::TAU * i as f32 / AROUND as f32;
            Vec3::new(turn.cos(), 0.0, turn.sin())
        };
        let mut positions: Vec<Vec3> = (0..AROUND).map(rim).collect();
        positions.push(Vec3::Y * 0.2);
        let faces = (0..AROUND).flat_map(|i| [(i + 1) % AROUND, i, AROUND]);
        let mut builder = MeshBuilder::new();
        builder.primitive(Primitive {
            positions,
            corners: faces.collect(),
            ..Primitive::default()
        });
        let hat = builder.finish();
        for n in at_corners(&hat).chunks_exact(3) {
            assert!(n[2].dot(Vec3::Y) > 0.9999, "{}", n[2]);
            // Along the rim the slope of the faces themselves.
            assert!((n[0].y - 1.0 / 1.04_f32.sqrt()).abs() < 1e-3, "{}", n[0]);
        }
    }

    /// Three squares around a corner of a box: the third is an island of its own, so it alone is hard.
    #[test]
    fn a_low_mesh_is_hard_where_its_uvs_are_parted() {
        let corners = |a: Vec3, b: Vec3, c: Vec3, d: Vec3| [a, b, c, d];
        let (o, x, y, z) = (Vec3::ZERO, Vec3::X, Vec3::Y, Vec3::Z);
        let faces = [
            corners(o, x, x + y, y),
            corners(o, y, y + z, z),
            corners(o, z, z + x, x),
        ];
        let mut p = Primitive {
            uv_sets: vec![Vec::new()],
            ..Primitive::default()
        };
        for (i, quad) in faces.iter().enumerate() {
            let base = p.positions.len() as u32;
            p.positions.extend(quad);
            // The first two share their UVs where they share points.
            let uv = |q: &Vec3| match i {
                2 => Vec2::new(0.6 + 0.2 * q.x, 0.6 + 0.2 * q.z),
                _ => Vec2::new(0.3 + 0.2 * q.x - 0.2 * q.z, 0.2 * q.y),
            };
            p.uv_sets[0].extend(quad.iter().map(uv));
            p.corners.extend([0, 2, 1, 0, 3, 2].map(|k| base + k));
        }
        let mut builder = MeshBuilder::new();
        builder.part("corner", Affine3A::IDENTITY).primitive(p);
        let mut mesh = builder.finish();
        assert!(!all_given(&mesh));
        set_for_maps(&mut mesh);
        assert!(all_given(&mesh));
        let normal = |place: Vec3, face: usize| {
            let corners = mesh.face(face).iter();
            let v = corners.copied().find(|&v| mesh.position(v) == place);
            v.map(|v| mesh.normals[v as usize])
        };
        // Along the edge that the first two share, in the middle of their directions; the third stands straight.
        let between = normal(y, 1).unwrap();
        assert!(between.dot((-z - x).normalize()) > 0.9999, "{between}");
        let own = normal(o, 4).or(normal(o, 5)).unwrap();
        assert!(own.dot(-y) > 0.9999, "{own}");
        let before = mesh.normals.clone();
        set_for_maps(&mut mesh);
        assert_eq!(before, mesh.normals);
    }
}
