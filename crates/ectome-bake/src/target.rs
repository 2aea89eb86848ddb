//! The source as rays meet it.
//!
//! The hierarchy is the compressed wide one of `obvhs` (H. Ylitie, T. Karras, S. Laine, *Efficient Incoherent Ray Traversal on GPUs
//! Through Compressed Wide BVHs*, 2017).

use std::time::Duration;

use ectome_mesh::Mesh;
use glam::{UVec2, Vec3, Vec3A};
use obvhs::{
    BvhBuildParams,
    cwbvh::{CwBvh, builder::build_cwbvh_from_tris},
    ray::{Ray, RayHit},
    triangle::Triangle,
};
use rayon::prelude::*;

use crate::Matching;

/// A triangle made ready for rays.
#[derive(Clone, Copy)]
struct Facet {
    corner: Vec3A,
    e1: Vec3A,
    e2: Vec3A,
}

/// What a ray found.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Found {
    /// A front face, and how far along.
    Front { face: u32, t: f32 },
    /// Only faces from behind.
    Back,
    /// Nothing.
    Nothing,
}

/// Says of a face, and how far along the ray it lies, whether the ray goes on through it. `None` where nothing lets rays through.
pub type Through<'a> = Option<&'a dyn Fn(u32, f32) -> bool>;

/// A surface that answers rays.
pub struct Target {
    bvh: CwBvh,
    /// In the order of the hierarchy's leaves.
    facets: Vec<Facet>,
    faces: Vec<u32>,
    /// The group of each, in the same order; empty where all are one.
    groups: Vec<u32>,
    /// Faces that are met from both sides, by their numbers; empty where none is.
    either_side: Vec<bool>,
    /// Searches may use wider instructions.
    #[cfg_attr(not(target_arch = "x86_64"), allow(dead_code))]
    wide: bool,
}

/// How far outside a triangle a ray still counts as meeting it, in shares of its sides: without this, one that falls between
/// two triangles by rounding would slip through.
const SLACK: f32 = 1e-5;

impl Target {
    /// Indexes a mesh of triangles; `group_of_part` gives each part's group, or nothing.
    pub fn of(mesh: &Mesh, group_of_part: &[u32]) -> Self {
        // Of faces on the same points that look the same way one stands for all: a hierarchy cannot part them.
        let mut named: Vec<([u32; 3], u32)> = (0..mesh.face_count() as u32)
            .into_par_iter()
            .map(|f| {
                let [a, b, c] = mesh.triangle_points(f as usize);
                let turned = match (a <= b, a <= c, b <= c) {
                    (true, true, _) => [a, b, c],
                    (false, _, true) => [b, c, a],
                    _ => [c, a, b],
                };
                (turned, f)
            })
            .collect();
        named.par_sort_unstable();
        named.dedup_by_key(|(points, _)| *points);
        let mut kept: Vec<u32> = named.into_iter().map(|(_, f)| f).collect();
        kept.par_sort_unstable();
        let given: Vec<Triangle> = kept
            .par_iter()
            .map(|&f| {
                let [v0, v1, v2] = mesh.triangle(f as usize).map(Vec3A::from);
                Triangle { v0, v1, v2 }
            })
            .collect();
        let params = BvhBuildParams::medium_build();
        let bvh = build_cwbvh_from_tris(&given, params, &mut Duration::default());
        let order = &bvh.primitive_indices;
        let run_of_face = mesh.run_of_faces();
        let groups = if group_of_part.is_empty() {
            Vec::new()
        } else {
            order
                .iter()
                .map(|&i| {
                    let run = run_of_face[kept[i as usize] as usize];
                    let part = mesh.runs[run as usize].part as usize;
                    group_of_part.get(part).copied().unwrap_or(Matching::ANY)
                })
                .collect()
        };
        Self {
            facets: order
                .iter()
                .map(|&i| {
                    let t = &given[i as usize];
                    Facet {
                        corner: t.v0,
                        e1: t.v1 - t.v0,
                        e2: t.v2 - t.v0,
                    }
                })
                .collect(),
            faces: order.iter().map(|&i| kept[i as usize]).collect(),
            groups,
            either_side: Vec::new(),
            bvh,
            wide: has_wide(),
        }
    }

    /// The same where some faces, by their numbers, are met from both sides.
    pub fn with_either_side(mut self, either_side: &[bool]) -> Self {
        self.either_side = either_side.to_vec();
        self
    }

    /// A ray. A direction of minus nothing along an axis would be taken for one that goes down along it.
    fn ray(origin: Vec3, direction: Vec3, most: f32) -> Ray {
        Ray::new(origin.into(), (direction + Vec3::ZERO).into(), 0.0, most)
    }

    /// The first front face along a ray, up to `most`, that does not let it through; of one group only where one is named.
    pub fn first_front(
        &self,
        origin: Vec3,
        direction: Vec3,
        most: f32,
        group: Option<u32>,
        through: Through<'_>,
    ) -> Found {
        let ray = Self::ray(origin, direction, most);
        let mut behind = false;
        let hit = self.nearest(ray, |ray, i| {
            if group.is_some_and(|g| !self.is_of(i, g)) {
                return f32::INFINITY;
            }
            let (t, facing) = self.facets[i].meets(ray);
            if t >= ray.tmax || self.goes_on(through, i, t) {
                return f32::INFINITY;
            }
            if !facing && !self.is_either(i) {
                behind = true;
                return f32::INFINITY;
            }
            t
        });
        match (hit.t < most, behind) {
            (true, _) if hit.primitive_id != u32::MAX => Found::Front {
                face: self.faces[hit.primitive_id as usize],
                t: hit.t,
            },
            (_, true) => Found::Back,
            _ => Found::Nothing,
        }
    }

    /// True when nothing that does not let it through lies along a ray up to `most`, but for the face it begins on.
    pub fn is_free(
        &self,
        origin: Vec3,
        direction: Vec3,
        most: f32,
        but: u32,
        through: Through<'_>,
    ) -> bool {
        let ray = Self::ray(origin, direction, most);
        !self.meets_any(ray, |ray, i| {
            if self.faces[i] == but {
                return f32::INFINITY;
            }
            let t = self.facets[i].meets(ray).0;
            if t < ray.tmax && self.goes_on(through, i, t) {
                return f32::INFINITY;
            }
            t
        })
    }

    #[inline(always)]
    fn is_either(&self, i: usize) -> bool {
        let face = self.faces[i] as usize;
        self.either_side.get(face).copied().unwrap_or(false)
    }

    #[inline(always)]
    fn goes_on(&self, through: Through<'_>, i: usize, t: f32) -> bool {
        through.is_some_and(|through| through(self.faces[i], t))
    }

    /// How far it is along a ray to the first face, whichever way it looks, but for the one it begins on; of one group only where one
    /// is named.
    pub fn first(
        &self,
        origin: Vec3,
        direction: Vec3,
        most: f32,
        but: u32,
        group: Option<u32>,
    ) -> Option<f32> {
        let ray = Self::ray(origin, direction, most);
        let other = |i: usize| group.is_some_and(|g| !self.is_of(i, g));
        let hit = self.nearest(ray, |ray, i| {
            if self.faces[i] == but || other(i) {
                f32::INFINITY
            } else {
                self.facets[i].meets(ray).0
            }
        });
        (hit.primitive_id != u32::MAX && hit.t < most).then_some(hit.t)
    }

    /// True for what belongs to a group, or to all.
    #[inline(always)]
    fn is_of(&self, i: usize, group: u32) -> bool {
        let own = self.groups.get(i).copied().unwrap_or(Matching::ANY);
        own == group || own == Matching::ANY
    }

    /// The nearest of what `meet` says of the triangles along a ray.
    #[inline(always)]
    fn nearest(&self, ray: Ray, meet: impl FnMut(&Ray, usize) -> f32) -> RayHit {
        #[cfg(target_arch = "x86_64")]
        if self.wide {
            // SAFETY: `wide` is only set where the processor has these instructions.
            #[allow(unsafe_code)]
            return unsafe { nearest_wide(&self.bvh, ray, meet) };
        }
        nearest(&self.bvh, ray, meet)
    }

    /// True when `meet` says of any triangle along a ray that it is met.
    #[inline(always)]
    fn meets_any(&self, ray: Ray, meet: impl FnMut(&Ray, usize) -> f32) -> bool {
        #[cfg(target_arch = "x86_64")]
        if self.wide {
            // SAFETY: `wide` is only set where the processor has these instructions.
            #[allow(unsafe_code)]
            return unsafe { meets_any_wide(&self.bvh, ray, meet) };
        }
        meets_any(&self.bvh, ray, meet)
    }
}

/// The search itself, once for whoever compiles it. Three-operand instructions alone make it a tenth faster: sums and products are the
/// same, so what is met is the same on every machine.
#[inline(always)]
fn nearest(bvh: &CwBvh, mut ray: Ray, mut meet: impl FnMut(&Ray, usize) -> f32) -> RayHit {
    let mut hit = RayHit::none();
    let mut state = bvh.new_traversal(ray.direction);
    let mut node;
    obvhs::traverse!(
        bvh,
        node,
        state,
        node.intersect_ray(&ray, state.oct_inv4),
        {
            let t = meet(&ray, state.primitive_id as usize);
            if t < ray.tmax {
                hit.primitive_id = state.primitive_id;
                hit.t = t;
                ray.tmax = t;
            }
        }
    );
    hit
}

#[inline(always)]
fn meets_any(bvh: &CwBvh, ray: Ray, mut meet: impl FnMut(&Ray, usize) -> f32) -> bool {
    let mut state = bvh.new_traversal(ray.direction);
    let mut node;
    'met: {
        obvhs::traverse!(
            bvh,
            node,
            state,
            node.intersect_ray(&ray, state.oct_inv4),
            {
                if meet(&ray, state.primitive_id as usize) < ray.tmax {
                    break 'met true;
                }
            }
        );
        false
    }
}

#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2,bmi1,bmi2,lzcnt,popcnt")]
fn nearest_wide(bvh: &CwBvh, ray: Ray, meet: impl FnMut(&Ray, usize) -> f32) -> RayHit {
    nearest(bvh, ray, meet)
}

#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2,bmi1,bmi2,lzcnt,popcnt")]
fn meets_any_wide(bvh: &CwBvh, ray: Ray, meet: impl FnMut(&Ray, usize) -> f32) -> bool {
    meets_any(bvh, ray, meet)
}

/// The processor has the wider instructions that the searches are compiled for a second time.
fn has_wide() -> bool {
    #[cfg(target_arch = "x86_64")]
    {
        is_x86_feature_detected!("avx2")
            && is_x86_feature_detected!("bmi1")
            && is_x86_feature_detected!("bmi2")
            && is_x86_feature_detected!("lzcnt")
            && is_x86_feature_detected!("popcnt")
    }
    #[cfg(not(target_arch = "x86_64"))]
    false
}

impl Facet {
    /// Where along a ray it is met, or infinity, and whether from the front (T. Möller, B. Trumbore, *Fast, Minimum Storage
    /// Ray/Triangle Intersection*, 1997, widened by [`SLACK`]).
    #[inline(always)]
    fn meets(&self, ray: &Ray) -> (f32, bool) {
        let p = ray.direction.cross(self.e2);
        let volume = self.e1.dot(p);
        let scale = 1.0 / volume;
        let from = ray.origin - self.corner;
        let u = from.dot(p) * scale;
        let q = from.cross(self.e1);
        let v = ray.direction.dot(q) * scale;
        let at = self.e2.dot(q) * scale;
        let inside = u >= -SLACK && v >= -SLACK && u + v <= 1.0 + SLACK;
        if inside && at >= ray.tmin && at <= ray.tmax {
            (at, volume > 0.0)
        } else {
            (f32::INFINITY, true)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{rays, shapes};

    /// Whatever instructions are used, what is met is the same, bit for bit.
    #[test]
    fn wide_and_plain_searches_agree() {
        let ball = shapes::icosphere(1.0, 5);
        let mut target = Target::of(&ball, &[]);
        let ask = |target: &Target| -> Vec<(Found, bool)> {
            let turned = rays::directions(2000);
            let one = |i: usize| {
                let (from, along) = (turned[i] * 1.5, -turned[i * 7 % 2000]);
                let free = target.is_free(from, along, 3.0, u32::MAX, None);
                (target.first_front(from, along, 3.0, None, None), free)
            };
            (0..2000).map(one).collect()
        };
        let first = ask(&target);
        target.wide = false;
        assert_eq!(first, ask(&target));
        assert!(first.iter().any(|(_, free)| *free) && first.iter().any(|(_, free)| !*free));
    }

    #[test]
    fn faces_from_behind_are_passed_and_told() {
        let ball = shapes::icosphere(1.0, 4);
        let target = Target::of(&ball, &[]);
        let from =
            |origin: Vec3, direction: Vec3| target.first_front(origin, direction, 10.0, None, None);
        let Found::Front { t, .. } = from(Vec3::Z * 3.0, -Vec3::Z) else {
            panic!("no front")
        };
        assert!((t - 2.0).abs() < 0.01);
        assert_eq!(from(Vec3::ZERO, Vec3::X), Found::Back);
        assert_eq!(from(Vec3::Z * 3.0, Vec3::Z), Found::Nothing);
        assert!(target.is_free(Vec3::Z * 1.1, Vec3::Z, 10.0, u32::MAX, None));
        assert!(!target.is_free(Vec3::ZERO, Vec3::Z, 10.0, u32::MAX, None));
        assert!(target.is_free(Vec3::ZERO, Vec3::Z, 0.5, u32::MAX, None));
    }
}
