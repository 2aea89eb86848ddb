//! Whether a ray gets away from a surface.
//!
//! The hierarchy is that of `obvhs`.

use std::{f32::consts::PI, time::Duration};

use glam::{Vec3, Vec3A, Vec3Swizzles};
use obvhs::{
    BvhBuildParams,
    bvh2::{Bvh2, builder::build_bvh2_from_tris},
    ray::{Ray, RayHit},
    triangle::Triangle,
};

use rayon::prelude::*;

use crate::{Mesh, hierarchy::depth};

/// A surface that answers rays.
pub struct Blocker {
    bvh: Bvh2,
    /// In the order of the hierarchy's leaves.
    triangles: Vec<Triangle>,
    faces: Vec<u32>,
}

impl Blocker {
    /// Indexes an all-triangle mesh, quickly.
    pub fn of(mesh: &Mesh) -> Self {
        Self::built(mesh, 0, BvhBuildParams::fastest_build())
    }

    /// The same for more rays than there are faces: a better hierarchy, slivers cut into pieces, which takes a while.
    pub fn for_many_rays(mesh: &Mesh) -> Self {
        Self::built(mesh, MOST_PIECES, BvhBuildParams::medium_build())
    }

    fn built(mesh: &Mesh, most_pieces: usize, params: BvhBuildParams) -> Self {
        // Of faces on the same points one stands for all: a hierarchy cannot part them and becomes a list.
        let mut named: Vec<([u32; 3], u32)> = (0..mesh.face_count() as u32)
            .into_par_iter()
            .map(|f| {
                let mut points = mesh.triangle_points(f as usize);
                points.sort_unstable();
                (points, f)
            })
            .collect();
        named.par_sort_unstable();
        named.dedup_by_key(|(points, _)| *points);
        let mut kept: Vec<u32> = named.into_iter().map(|(_, f)| f).collect();
        kept.par_sort_unstable();
        let faces: Vec<(u32, Triangle)> = kept
            .into_iter()
            .map(|f| {
                let [v0, v1, v2] = mesh.triangle(f as usize).map(Vec3A::from);
                (f, Triangle { v0, v1, v2 })
            })
            .collect();
        let slivers = faces.iter().filter(|(_, t)| is_sliver(t)).count();
        let pieces = (most_pieces / slivers.max(1)).clamp(1, PIECES);
        let halvings = pieces.ilog2();
        let (mut given, mut face_of) = (Vec::with_capacity(faces.len()), Vec::new());
        for (f, t) in faces {
            let halvings = if is_sliver(&t) { halvings } else { 0 };
            halved(t, halvings, &mut given);
            face_of.resize(given.len(), f);
        }
        let mut bvh = build_bvh2_from_tris(&given, params, &mut Duration::default());
        // The builder's last pass may deepen the hierarchy without saying so, and queries size their stack by this.
        bvh.max_depth = bvh.max_depth.max(depth(&bvh) + 1);
        let order = &bvh.primitive_indices;
        Self {
            triangles: order.iter().map(|&i| given[i as usize]).collect(),
            faces: order.iter().map(|&i| face_of[i as usize]).collect(),
            bvh,
        }
    }

    /// True when a ray from `origin` meets no face except `but`.
    pub fn escapes(&self, origin: Vec3, direction: Vec3, but: u32) -> bool {
        let ray = Ray::new_inf(origin.into(), direction.into());
        self.bvh.ray_traverse_miss(ray, |ray, i| {
            if self.faces[i] == but {
                return f32::INFINITY;
            }
            meets(&self.triangles[i], ray)
        })
    }

    /// The first face that a ray from `origin` meets, or one on the same points, and how far along (in lengths of `direction`).
    pub fn first(&self, origin: Vec3, direction: Vec3) -> Option<(u32, f32)> {
        let ray = Ray::new_inf(origin.into(), direction.into());
        let mut hit = RayHit::none();
        self.bvh
            .ray_traverse(ray, &mut hit, |ray, i| meets(&self.triangles[i], ray));
        (hit.primitive_id != u32::MAX && hit.t.is_finite())
            .then(|| (self.faces[hit.primitive_id as usize], hit.t))
    }
}

/// A triangle is a sliver when half the surface of its box is this many times its own area.
const SLIVER: f32 = 24.0;

/// A sliver is cut into at most this many pieces, all slivers of a mesh together into about so many.
const PIECES: usize = 32;
const MOST_PIECES: usize = 1 << 19;

/// True for a thin triangle that lies across the axes. Its box is nearly empty, so that rays visit it in vain: round
/// the hub of a fan thousands of them. Cut into pieces, its boxes fit (*early split clipping*, M. Ernst, G. Greiner,
/// *Early Split Clipping for Bounding Volume Hierarchies*, 2007).
fn is_sliver(t: &Triangle) -> bool {
    let size = t.v0.max(t.v1).max(t.v2) - t.v0.min(t.v1).min(t.v2);
    let half_surface = size.x * size.y + size.y * size.z + size.z * size.x;
    let area = 0.5 * (t.v1 - t.v0).cross(t.v2 - t.v0).length();
    half_surface > SLIVER * area && area > 0.0
}

/// Cuts a triangle in two across its longest side, as often as `halvings` says.
fn halved(t: Triangle, halvings: u32, into: &mut Vec<Triangle>) {
    if halvings == 0 {
        into.push(t);
        return;
    }
    let side = |a: Vec3A, b: Vec3A| a.distance_squared(b);
    let sides = [side(t.v0, t.v1), side(t.v1, t.v2), side(t.v2, t.v0)];
    let (a, b, c) = match sides {
        [x, y, z] if x >= y && x >= z => (t.v0, t.v1, t.v2),
        [_, y, z] if y >= z => (t.v1, t.v2, t.v0),
        _ => (t.v2, t.v0, t.v1),
    };
    let middle = (a + b) * 0.5;
    for (v0, v1, v2) in [(a, middle, c), (middle, b, c)] {
        halved(Triangle { v0, v1, v2 }, halvings - 1, into);
    }
}

/// How far outside a triangle a ray still counts as meeting it, in shares of its sides: without this, one that
/// falls between two triangles by rounding would slip through.
const SLACK: f32 = 1e-5;

/// Where along a ray a triangle is met (T. Möller, B. Trumbore, *Fast, Minimum Storage Ray/Triangle Intersection*,
/// 1997, widened by [`SLACK`]); infinite when it is not.
fn meets(t: &Triangle, ray: &Ray) -> f32 {
    let (e1, e2) = (t.v1 - t.v0, t.v2 - t.v0);
    let p = ray.direction.cross(e2);
    let scale = 1.0 / e1.dot(p);
    let from = ray.origin - t.v0;
    let u = from.dot(p) * scale;
    let q = from.cross(e1);
    let v = ray.direction.dot(q) * scale;
    let at = e2.dot(q) * scale;
    let inside = u >= -SLACK && v >= -SLACK && u + v <= 1.0 + SLACK;
    if inside && at >= ray.tmin && at <= ray.tmax {
        at
    } else {
        f32::INFINITY
    }
}

/// `n` directions spread evenly over the sphere (Fibonacci lattice: Á. González, *Measurement of Areas on a
/// Sphere Using Fibonacci and Latitude–Longitude Lattices*, 2010).
pub fn directions(n: usize) -> Vec<Vec3> {
    spiral(n, 1.0, -1.0).map(Vec3Swizzles::xzy).collect()
}

/// `n` directions spread evenly over the half of the sphere where Z is not negative, for what is the same seen from behind.
pub fn half_directions(n: usize) -> Vec<Vec3> {
    spiral(n, 0.0, 1.0).collect()
}

/// Directions along a spiral around Z between two heights, each a golden angle on from the one before.
fn spiral(n: usize, from: f32, to: f32) -> impl Iterator<Item = Vec3> {
    let golden = PI * (3.0 - 5f32.sqrt());
    (0..n).map(move |i| {
        let z = from + (to - from) * (i as f32 + 0.5) / n as f32;
        let r = (1.0 - z * z).max(0.0).sqrt();
        let (sin, cos) = (golden * i as f32).sin_cos();
        Vec3::new(r * cos, r * sin, z)
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::shapes;

    #[test]
    fn nothing_escapes_a_closed_ball_and_everything_does_outside() {
        let ball = Blocker::of(&shapes::icosphere(1.0, 3));
        for d in directions(200) {
            assert!(!ball.escapes(Vec3::new(0.1, 0.05, 0.0), d, u32::MAX));
            assert!(ball.escapes(d * 1.01, d, u32::MAX));
        }
        let (_, far) = ball.first(Vec3::new(0.0, 0.0, 3.0), -Vec3::Z).unwrap();
        assert!((far - 2.0).abs() < 0.01);
    }

    // Thin triangles are cut into pieces inside; what comes back are the faces of the mesh.
    #[test]
    fn a_fan_of_slivers_answers_with_its_faces() {
        let n = 2000u32;
        let rim = |i: u32| {
            let (sin, cos) = (2.0 * PI * i as f32 / n as f32).sin_cos();
            Vec3::new(cos, sin, 0.0)
        };
        let mut builder = crate::MeshBuilder::new();
        builder.primitive(crate::Primitive {
            positions: (0..n).map(rim).chain([Vec3::ZERO]).collect(),
            corners: (0..n).flat_map(|i| [n, i, (i + 1) % n]).collect(),
            ..Default::default()
        });
        let fan = builder.finish();
        let cut = Blocker::for_many_rays(&fan);
        assert!(cut.triangles.len() > 8 * n as usize);
        for blocker in [cut, Blocker::of(&fan)] {
            for f in 0..n {
                let [a, b, c] = fan.triangle(f as usize);
                let middle = (a + b + c) / 3.0;
                let (found, far) = blocker.first(middle + Vec3::Z, -Vec3::Z).unwrap();
                assert_eq!(found, f);
                assert!((far - 1.0).abs() < 1e-5);
                assert!(blocker.escapes(middle, Vec3::Z, f));
            }
        }
    }

    #[test]
    fn directions_sum_to_nothing() {
        let sum: Vec3 = directions(500).into_iter().sum();
        assert!(sum.length() < 0.5);
    }
}
