//! Whether a ray gets away from a surface.
//!
//! The hierarchy is that of `obvhs`.

use std::{f32::consts::PI, time::Duration};

use glam::{Vec3, Vec3A};
use obvhs::{
    BvhBuildParams,
    bvh2::{Bvh2, builder::build_bvh2_from_tris},
    ray::{Ray, RayHit},
    triangle::Triangle,
};

use crate::Mesh;

/// A surface that answers rays.
pub struct Blocker {
    bvh: Bvh2,
    /// In the order of the hierarchy's leaves.
    triangles: Vec<Triangle>,
    faces: Vec<u32>,
}

impl Blocker {
    /// Indexes an all-triangle mesh.
    pub fn of(mesh: &Mesh) -> Self {
        let given: Vec<Triangle> = (0..mesh.face_count())
            .map(|f| {
                let [v0, v1, v2] = mesh.triangle(f).map(Vec3A::from);
                Triangle { v0, v1, v2 }
            })
            .collect();
        let params = BvhBuildParams::medium_build();
        let bvh = build_bvh2_from_tris(&given, params, &mut Duration::default());
        let faces = bvh.primitive_indices.clone();
        let triangles = faces.iter().map(|&f| given[f as usize]).collect();
        Self {
            bvh,
            triangles,
            faces,
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

    /// The first face that a ray from `origin` meets, and how far along (in lengths of `direction`).
    pub fn first(&self, origin: Vec3, direction: Vec3) -> Option<(u32, f32)> {
        let ray = Ray::new_inf(origin.into(), direction.into());
        let mut hit = RayHit::none();
        self.bvh
            .ray_traverse(ray, &mut hit, |ray, i| meets(&self.triangles[i], ray));
        (hit.primitive_id != u32::MAX && hit.t.is_finite())
            .then(|| (self.faces[hit.primitive_id as usize], hit.t))
    }

    /// How many faces a ray from `origin` crosses.
    pub fn crossings(&self, origin: Vec3, direction: Vec3, counts: impl Fn(u32) -> bool) -> usize {
        let mut n = 0;
        let ray = Ray::new_inf(origin.into(), direction.into());
        self.bvh.ray_traverse_anyhit(ray, |ray, i| {
            if counts(self.faces[i]) && meets(&self.triangles[i], ray) < f32::INFINITY {
                n += 1;
            }
        });
        n
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
    let golden = PI * (3.0 - 5f32.sqrt());
    (0..n)
        .map(|i| {
            let y = 1.0 - 2.0 * (i as f32 + 0.5) / n as f32;
            let r = (1.0 - y * y).max(0.0).sqrt();
            let turn = golden * i as f32;
            Vec3::new(r * turn.cos(), y, r * turn.sin())
        })
        .collect()
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
            // A ray through an edge may count both faces.
            let crossings = ball.crossings(Vec3::new(0.1, 0.05, 0.0), d, |_| true);
            assert!((1..=6).contains(&crossings), "{crossings}");
        }
        let (_, far) = ball.first(Vec3::new(0.0, 0.0, 3.0), -Vec3::Z).unwrap();
        assert!((far - 2.0).abs() < 0.01);
    }

    #[test]
    fn directions_sum_to_nothing() {
        let sum: Vec3 = directions(500).into_iter().sum();
        assert!(sum.length() < 0.5);
    }
}
