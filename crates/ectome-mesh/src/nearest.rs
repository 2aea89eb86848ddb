//! The nearest place on a surface.
//!
//! A bounding-volume hierarchy (built by `obvhs`) walked best side first. The place on a triangle is
//! found by its Voronoi regions: C. Ericson, *Real-Time Collision Detection*, 2005, §5.1.5.

use std::time::Duration;

use glam::{DVec3, Vec3, Vec3A};
use obvhs::{
    BvhBuildParams,
    bvh2::{Bvh2, builder::build_bvh2_from_tris},
    triangle::Triangle,
};

use rayon::prelude::*;

use crate::{Cancelled, Mesh, Progress, hierarchy::depth};

/// A place on a surface.
#[derive(Clone, Copy, Debug)]
pub struct Place {
    /// The triangle.
    pub face: u32,
    /// Where, in metres.
    pub point: Vec3,
    /// Distance from the query, in metres.
    pub distance: f32,
}

/// A surface that answers nearest-point queries.
pub struct SurfaceIndex {
    bvh: Bvh2,
    /// In the order of the hierarchy's leaves: what lies together is read together.
    leaves: Vec<Leaf>,
    /// By face, where it stands among the leaves.
    leaf_of: Vec<u32>,
    /// Entries that a walk may need room for.
    depth: usize,
}

/// A triangle as a leaf holds it.
#[derive(Clone, Copy)]
struct Leaf {
    corners: [Vec3; 3],
    face: u32,
}

/// Queries that are answered one after another, each beginning with what the one before found.
const TOGETHER: usize = 512;

/// Entries of a walk that stand on the stack; what is deeper takes memory for each query.
const USUAL_DEPTH: usize = 128;

/// The triangles of a mesh as the hierarchy takes them.
fn triangles(mesh: &Mesh) -> Vec<Triangle> {
    let one = |f: usize| {
        let [v0, v1, v2] = mesh.triangle(f).map(Vec3A::from);
        Triangle { v0, v1, v2 }
    };
    (0..mesh.face_count()).map(one).collect()
}

impl SurfaceIndex {
    /// Indexes an all-triangle mesh. About 110 bytes a triangle, and more than twice that while it is made.
    pub fn of(mesh: &Mesh) -> Self {
        Self::of_triangles(triangles(mesh))
    }

    /// The same, stopped when somebody asks: what takes a second for two million triangles is left to its end by itself then.
    ///
    /// # Errors
    /// [`Cancelled`].
    pub fn of_while(mesh: &Mesh, progress: &Progress) -> Result<Self, Cancelled> {
        let triangles = triangles(mesh);
        progress.beside(move || Self::of_triangles(triangles))
    }

    fn of_triangles(triangles: Vec<Triangle>) -> Self {
        let params = BvhBuildParams::fast_build();
        let bvh = build_bvh2_from_tris(&triangles, params, &mut Duration::default());
        let depth = depth(&bvh) + 1;
        let leaf = |&face: &u32| {
            let t = &triangles[face as usize];
            Leaf {
                corners: [t.v0.into(), t.v1.into(), t.v2.into()],
                face,
            }
        };
        let leaves: Vec<Leaf> = bvh.primitive_indices.iter().map(leaf).collect();
        drop(triangles);
        let mut leaf_of = vec![0; leaves.len()];
        for (at, leaf) in leaves.iter().enumerate() {
            leaf_of[leaf.face as usize] = at as u32;
        }
        Self {
            bvh,
            leaves,
            leaf_of,
            depth,
        }
    }

    /// The corners of triangle `face`.
    pub fn triangle(&self, face: u32) -> [Vec3; 3] {
        self.leaves[self.leaf_of[face as usize] as usize].corners
    }

    /// The nearest place to `query`, or `None` on an empty surface.
    pub fn nearest(&self, query: Vec3) -> Option<Place> {
        self.nearest_within(query, f32::INFINITY)
    }

    /// The nearest place to each of many queries, of which neighbours in the list lie near one another: the place found for one
    /// bounds the search for the next. On all cores; the same for any number of them.
    pub fn nearest_each(&self, queries: &[Vec3]) -> Vec<Option<Place>> {
        queries
            .par_chunks(TOGETHER)
            .flat_map_iter(|some| {
                let mut last: Option<Vec3> = None;
                some.iter().map(move |&q| {
                    let found = self.nearest_after(q, f32::INFINITY, last);
                    let found = found.or_else(|| self.nearest(q));
                    last = found.map(|f| f.point);
                    found
                })
            })
            .collect()
    }

    /// The same where a triangle near each query is known already (by number, [`u32::MAX`] for none): no more is searched than
    /// could be nearer than it.
    pub fn nearest_each_from(&self, queries: &[Vec3], near: &[u32]) -> Vec<Option<Place>> {
        (queries, near)
            .into_par_iter()
            .with_min_len(TOGETHER)
            .map(|(&q, &face)| {
                let most = self.bound(q, face);
                self.nearest_within(q, most).or_else(|| self.nearest(q))
            })
            .collect()
    }

    /// The distance of each query that is further off than `within`, and 0 for each that is not: much quicker than
    /// [`nearest_each`](Self::nearest_each) where few are. Neighbours in the list should lie near one another.
    pub fn distance_beyond_each(&self, queries: &[Vec3], within: f32) -> Vec<f32> {
        queries
            .par_chunks(TOGETHER)
            .flat_map_iter(|some| {
                let mut near = u32::MAX;
                some.iter().map(move |&q| {
                    let most = self.bound(q, near);
                    if most <= within {
                        return 0.0;
                    }
                    let found = self.near_enough(q, most, within);
                    let found = found.or_else(|| self.near_enough(q, f32::INFINITY, within));
                    let Some(found) = found else { return f32::NAN };
                    near = found.face;
                    if found.distance > within {
                        found.distance
                    } else {
                        0.0
                    }
                })
            })
            .collect()
    }

    /// The nearest place that is at most `most` off, or any that is at most `within` off.
    fn near_enough(&self, query: Vec3, most: f32, within: f32) -> Option<Place> {
        let mut best: Option<Place> = None;
        self.visit_within(query, most, |place| {
            if best.is_none_or(|b| place.distance < b.distance) {
                best = Some(place);
            }
            match best {
                Some(b) if b.distance > within => b.distance,
                Some(_) => 0.0,
                None => most,
            }
        });
        best
    }

    /// A distance within which something is to be found: that of triangle `face`, with a little more for rounding.
    fn bound(&self, query: Vec3, face: u32) -> f32 {
        let Some(&at) = self.leaf_of.get(face as usize) else {
            return f32::INFINITY;
        };
        let [a, b, c] = self.leaves[at as usize].corners.map(|p| p.as_dvec3());
        let exact = query.as_dvec3();
        let distance = exact.distance(nearest_on_triangle(exact, a, b, c)) as f32;
        distance * 1.0001 + query.abs().max_element() * 1e-6
    }

    /// The nearest place that is at most `most` off: the less that is, the less is searched.
    pub fn nearest_within(&self, query: Vec3, most: f32) -> Option<Place> {
        let mut best: Option<Place> = None;
        self.visit_within(query, most, |place| {
            if best.is_none_or(|b| place.distance < b.distance) {
                best = Some(place);
            }
            best.map_or(most, |b| b.distance)
        });
        best
    }

    /// The same where a point of the surface is known: nothing further off than that can be the nearest, so a near one makes the search
    /// short. What is found is the same with any of them.
    pub fn nearest_after(&self, query: Vec3, most: f32, known: Option<Vec3>) -> Option<Place> {
        // A little more for rounding.
        let bound = known.map_or(f32::INFINITY, |p| {
            let size = query.abs().max_element().max(p.abs().max_element());
            query.distance(p) * 1.0001 + size * 1e-6
        });
        self.nearest_within(query, most.min(bound))
    }

    /// Calls `visit` with the nearest place of each triangle that may lie within `radius`; `visit`
    /// returns the radius to go on with.
    pub fn visit_within(&self, query: Vec3, radius: f32, mut visit: impl FnMut(Place) -> f32) {
        if self.leaves.is_empty() {
            return;
        }
        let (q, exact) = (Vec3A::from(query), query.as_dvec3());
        let box_distance2 = |node: u32| {
            let b = &self.bvh.nodes[node as usize].aabb;
            (q - q.clamp(b.min, b.max)).length_squared()
        };
        let mut limit2 = radius * radius;
        let mut usual = [(0u32, 0f32); USUAL_DEPTH];
        let mut deep = Vec::new();
        let stack: &mut [(u32, f32)] = if self.depth < USUAL_DEPTH {
            &mut usual
        } else {
            deep.resize(self.depth + 1, (0, 0.0));
            &mut deep
        };
        stack[0] = (0, box_distance2(0));
        let mut depth = 1;
        while depth > 0 {
            depth -= 1;
            let (index, distance2) = stack[depth];
            if distance2 > limit2 {
                continue;
            }
            let node = &self.bvh.nodes[index as usize];
            if node.prim_count > 0 {
                let range = node.first_index..node.first_index + node.prim_count;
                for &Leaf { corners, face } in
                    &self.leaves[range.start as usize..range.end as usize]
                {
                    let [a, b, c] = corners.map(|p| p.as_dvec3());
                    let point = nearest_on_triangle(exact, a, b, c);
                    let distance = exact.distance(point) as f32;
                    if distance * distance <= limit2 {
                        let radius = visit(Place {
                            face,
                            point: point.as_vec3(),
                            distance,
                        });
                        limit2 = radius * radius;
                    }
                }
            } else {
                let (left, right) = (node.first_index, node.first_index + 1);
                let (dl, dr) = (box_distance2(left), box_distance2(right));
                let ((near, dn), (far, df)) = if dl < dr {
                    ((left, dl), (right, dr))
                } else {
                    ((right, dr), (left, dl))
                };
                if df <= limit2 {
                    stack[depth] = (far, df);
                    depth += 1;
                }
                if dn <= limit2 {
                    stack[depth] = (near, dn);
                    depth += 1;
                }
            }
        }
    }
}

/// The place on triangle `abc` nearest to `p`. In double precision: on triangles that are long beside the
/// distance, single precision is off by a ten-thousandth of their length.
fn nearest_on_triangle(p: DVec3, a: DVec3, b: DVec3, c: DVec3) -> DVec3 {
    let (ab, ac, ap) = (b - a, c - a, p - a);
    let (d1, d2) = (ab.dot(ap), ac.dot(ap));
    if d1 <= 0.0 && d2 <= 0.0 {
        return a;
    }
    let bp = p - b;
    let (d3, d4) = (ab.dot(bp), ac.dot(bp));
    if d3 >= 0.0 && d4 <= d3 {
        return b;
    }
    let vc = d1 * d4 - d3 * d2;
    if vc <= 0.0 && d1 >= 0.0 && d3 <= 0.0 {
        return a + ab * (d1 / (d1 - d3));
    }
    let cp = p - c;
    let (d5, d6) = (ab.dot(cp), ac.dot(cp));
    if d6 >= 0.0 && d5 <= d6 {
        return c;
    }
    let vb = d5 * d2 - d1 * d6;
    if vb <= 0.0 && d2 >= 0.0 && d6 <= 0.0 {
        return a + ac * (d2 / (d2 - d6));
    }
    let va = d3 * d6 - d5 * d4;
    if va <= 0.0 && d4 - d3 >= 0.0 && d5 - d6 >= 0.0 {
        return b + (c - b) * ((d4 - d3) / ((d4 - d3) + (d5 - d6)));
    }
    let sum = va + vb + vc;
    if sum <= 0.0 {
        return a;
    }
    a + ab * (vb / sum) + ac * (vc / sum)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::shapes;
    use proptest::prelude::*;

    // Faces whose boxes are all the same make the hierarchy a list, deeper than any fixed stack: nothing may be dropped.
    #[test]
    fn a_hierarchy_as_deep_as_a_list_finds_the_nearest_all_the_same() {
        let n = 3000u32;
        let rim = |i: u32| Vec3::new((i + 1) as f32 / (n + 1) as f32, 1.0, 0.0);
        let mut builder = crate::MeshBuilder::new();
        builder.primitive(crate::Primitive {
            positions: [Vec3::ZERO, Vec3::ONE]
                .into_iter()
                .chain((0..n).map(rim))
                .collect(),
            corners: (0..n).flat_map(|i| [0, 1, i + 2]).collect(),
            ..Default::default()
        });
        let mesh = builder.finish();
        let surface = SurfaceIndex::of(&mesh);
        for k in 0..60 {
            let turn = k as f32 * 0.7;
            let query = Vec3::new(0.5 + turn.cos(), 0.5 + turn.sin(), 0.1 * turn.cos());
            let plain = (0..mesh.face_count())
                .map(|f| {
                    let [a, b, c] = mesh.triangle(f).map(|p| p.as_dvec3());
                    let place = nearest_on_triangle(query.as_dvec3(), a, b, c);
                    query.as_dvec3().distance(place) as f32
                })
                .fold(f32::INFINITY, f32::min);
            let found = surface.nearest(query).unwrap().distance;
            assert!((found - plain).abs() < 1e-6, "{found} instead of {plain}");
        }
    }

    #[test]
    fn the_distance_to_a_sphere_is_radius_minus_length() {
        let surface = SurfaceIndex::of(&shapes::icosphere(1.0, 6));
        for query in [Vec3::new(0.3, 0.1, 0.2), Vec3::new(2.0, -1.0, 0.5)] {
            let place = surface.nearest(query).unwrap();
            let exact = (query.length() - 1.0).abs();
            assert!((place.distance - exact).abs() < 1e-3);
        }
    }

    // The place found for one query bounds the search for the next; jumps across the surface and far away find theirs too.
    #[test]
    fn many_queries_find_what_each_alone_finds() {
        let surface = SurfaceIndex::of(&shapes::torus(1.0, 0.4, 61, 33));
        let queries: Vec<Vec3> = (0..4000)
            .map(|i| {
                let t = i as f32 * 0.013;
                let far = if i % 97 == 0 { 50.0 } else { 1.0 };
                Vec3::new(t.cos(), (t * 1.7).sin() * 0.5, t.sin()) * far
            })
            .collect();
        for (each, &q) in surface.nearest_each(&queries).iter().zip(&queries) {
            let (each, alone) = (each.unwrap(), surface.nearest(q).unwrap());
            assert_eq!((each.face, each.point), (alone.face, alone.point));
        }
    }

    // What is known already, be it near, far or nothing, changes nothing; who asks only for what is far off gets just that.
    #[test]
    fn what_is_known_already_changes_no_answer() {
        let surface = SurfaceIndex::of(&shapes::torus(1.0, 0.4, 61, 33));
        let queries: Vec<Vec3> = (0..3000)
            .map(|i| {
                let t = i as f32 * 0.013;
                let far = if i % 97 == 0 { 50.0 } else { 1.0 };
                Vec3::new(t.cos(), (t * 1.7).sin() * 0.5, t.sin()) * far
            })
            .collect();
        let alone: Vec<Place> = queries
            .iter()
            .map(|&q| surface.nearest(q).unwrap())
            .collect();
        for shift in [0, 1, 500] {
            let near: Vec<u32> = (0..queries.len())
                .map(|i| alone.get(i + shift).map_or(u32::MAX, |p| p.face))
                .collect();
            for (found, alone) in surface
                .nearest_each_from(&queries, &near)
                .iter()
                .zip(&alone)
            {
                assert_eq!(found.unwrap().distance, alone.distance);
            }
        }
        for within in [0.0, 0.1, 0.5, 100.0] {
            for (found, alone) in surface
                .distance_beyond_each(&queries, within)
                .iter()
                .zip(&alone)
            {
                let expected = if alone.distance > within {
                    alone.distance
                } else {
                    0.0
                };
                assert_eq!(*found, expected);
            }
        }
    }

    proptest! {
        #[test]
        fn the_hierarchy_finds_what_a_search_of_all_finds(
            x in -2f32..2.0, y in -2f32..2.0, z in -2f32..2.0,
        ) {
            let mesh = shapes::torus(1.0, 0.4, 17, 9);
            let surface = SurfaceIndex::of(&mesh);
            let q = Vec3::new(x, y, z);
            let all = (0..mesh.face_count())
                .map(|f| {
                    prop_assert_eq!(surface.triangle(f as u32), mesh.triangle(f));
                    let [a, b, c] = mesh.triangle(f).map(|p| p.as_dvec3());
                    Ok(nearest_on_triangle(q.as_dvec3(), a, b, c))
                })
                .collect::<Result<Vec<_>, _>>()?
                .into_iter()
                .map(|p| p.distance(q.as_dvec3()) as f32)
                .fold(f32::INFINITY, f32::min);
            prop_assert!((surface.nearest(q).unwrap().distance - all).abs() < 1e-6);
        }
    }
}
