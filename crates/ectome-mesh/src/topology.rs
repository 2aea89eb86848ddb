//! Edges, borders and pieces: what hangs together with what.
//!
//! Edges are between *points*, so seams and hard edges do not count as open. For a closed orientable
//! manifold V − E + F = 2(C − g) and 3F = 2E (Euler–Poincaré).

use rayon::prelude::*;

use crate::Mesh;

/// Topology counts of an all-triangle mesh.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Topology {
    /// Distinct edges.
    pub edges: usize,
    /// Edges with one face.
    pub open_edges: usize,
    /// Closed loops of open edges (chains that do not close count as one each).
    pub open_loops: usize,
    /// Edges with three or more faces.
    pub nonmanifold_edges: usize,
    /// Edges whose two faces run along them in the same direction.
    pub inconsistent_edges: usize,
    /// Pieces that hang together through shared points.
    pub components: usize,
    /// Faces that use a point twice, or whose area is zero.
    pub degenerate_faces: usize,
    /// Faces with the same three points as an earlier one.
    pub duplicate_faces: usize,
    /// V − E + F over the points that faces use.
    pub euler_characteristic: i64,
}

/// One side of an edge: the edge's ends in order, and whether the face runs from high to low.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct HalfEdge {
    /// The lower point.
    pub low: u32,
    /// The higher point.
    pub high: u32,
    /// The corner the half-edge leaves from; its face is `corner / 3`.
    pub corner: u32,
}

/// All half-edges of an all-triangle mesh, sorted so that those of one edge stand together. Faces
/// that use a point twice are left out.
pub fn sorted_half_edges(mesh: &Mesh) -> Vec<HalfEdge> {
    let mut edges = Vec::with_capacity(mesh.corners.len());
    for f in 0..mesh.face_count() {
        let p = mesh.triangle_points(f);
        if p[0] == p[1] || p[1] == p[2] || p[2] == p[0] {
            continue;
        }
        for k in 0..3 {
            let (a, b) = (p[k], p[(k + 1) % 3]);
            edges.push(HalfEdge {
                low: a.min(b),
                high: a.max(b),
                corner: (3 * f + k) as u32,
            });
        }
    }
    edges.par_sort_unstable();
    edges
}

/// True when the half-edge runs from its lower to its higher point.
pub fn runs_up(mesh: &Mesh, edge: &HalfEdge) -> bool {
    mesh.vertex_point[mesh.corners[edge.corner as usize] as usize] == edge.low
}

/// Disjoint sets with path halving.
pub struct UnionFind(Vec<u32>);

impl UnionFind {
    /// `n` sets of one.
    pub fn new(n: usize) -> Self {
        Self((0..n as u32).collect())
    }

    /// The representative of the set of `i`.
    pub fn find(&mut self, mut i: u32) -> u32 {
        while self.0[i as usize] != i {
            self.0[i as usize] = self.0[self.0[i as usize] as usize];
            i = self.0[i as usize];
        }
        i
    }

    /// Joins two sets; the lower representative stays.
    pub fn join(&mut self, a: u32, b: u32) {
        let (a, b) = (self.find(a), self.find(b));
        self.0[a.max(b) as usize] = a.min(b);
    }
}

/// The piece each face belongs to, numbered from 0 in order of first occurrence, and the count.
pub fn face_components(mesh: &Mesh) -> (Vec<u32>, usize) {
    let mut sets = UnionFind::new(mesh.points.len());
    for f in 0..mesh.face_count() {
        let p = mesh.triangle_points(f);
        sets.join(p[0], p[1]);
        sets.join(p[1], p[2]);
    }
    let mut number = vec![u32::MAX; mesh.points.len()];
    let mut count = 0;
    let of_face = (0..mesh.face_count())
        .map(|f| {
            let root = sets.find(mesh.triangle_points(f)[0]) as usize;
            if number[root] == u32::MAX {
                number[root] = count;
                count += 1;
            }
            number[root]
        })
        .collect();
    (of_face, count as usize)
}

impl Topology {
    /// Counts the topology of an all-triangle mesh.
    pub fn of(mesh: &Mesh) -> Self {
        let half_edges = sorted_half_edges(mesh);
        let mut t = Self::default();
        let mut loops = UnionFind::new(mesh.points.len());
        let mut on_border = vec![false; mesh.points.len()];
        for edge in half_edges.chunk_by(|a, b| (a.low, a.high) == (b.low, b.high)) {
            t.edges += 1;
            match edge {
                [one] => {
                    t.open_edges += 1;
                    loops.join(one.low, one.high);
                    on_border[one.low as usize] = true;
                    on_border[one.high as usize] = true;
                }
                [a, b] => {
                    if runs_up(mesh, a) == runs_up(mesh, b) {
                        t.inconsistent_edges += 1;
                    }
                }
                _ => t.nonmanifold_edges += 1,
            }
        }
        t.open_loops = (0..mesh.points.len() as u32)
            .filter(|&p| on_border[p as usize] && loops.find(p) == p)
            .count();
        t.components = face_components(mesh).1;

        let mut used = vec![false; mesh.points.len()];
        let mut keys: Vec<([u32; 3], u32)> = Vec::with_capacity(mesh.face_count());
        let mut proper = 0i64;
        for f in 0..mesh.face_count() {
            let mut p = mesh.triangle_points(f);
            p.iter().for_each(|&p| used[p as usize] = true);
            let same = p[0] == p[1] || p[1] == p[2] || p[2] == p[0];
            if same || is_degenerate(mesh.triangle(f)) {
                t.degenerate_faces += 1;
            }
            if !same {
                proper += 1;
                p.sort_unstable();
                keys.push((p, f as u32));
            }
        }
        keys.par_sort_unstable();
        t.duplicate_faces = keys.windows(2).filter(|w| w[0].0 == w[1].0).count();
        let vertices = used.iter().filter(|&&u| u).count() as i64;
        t.euler_characteristic = vertices - t.edges as i64 + proper;
        t
    }
}

/// True for a triangle without area, up to what `f32` coordinates can hold: its height over the
/// longest side is below 1e-6 of that side.
pub fn is_degenerate([a, b, c]: [glam::Vec3; 3]) -> bool {
    let [a, b, c] = [a, b, c].map(|p| p.as_dvec3());
    let area2 = (b - a).cross(c - a).length();
    let longest2 = a
        .distance_squared(b)
        .max(b.distance_squared(c))
        .max(c.distance_squared(a));
    area2 <= 1e-6 * longest2
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::shapes;
    use rstest::rstest;

    // Euler–Poincaré: χ = 2(C − g).
    #[rstest]
    #[case::sphere(shapes::icosphere(1.0, 2), 2)]
    #[case::torus(shapes::torus(1.0, 0.3, 24, 12), 0)]
    #[case::box_(shapes::cuboid(glam::Vec3::ONE), 2)]
    fn closed_solids_have_their_euler_characteristic(#[case] mesh: Mesh, #[case] chi: i64) {
        let t = Topology::of(&mesh);
        assert_eq!(t.euler_characteristic, chi);
        assert_eq!(3 * mesh.face_count(), 2 * t.edges);
        assert_eq!(
            (t.open_edges, t.nonmanifold_edges, t.inconsistent_edges),
            (0, 0, 0)
        );
        assert_eq!(
            (t.components, t.degenerate_faces, t.duplicate_faces),
            (1, 0, 0)
        );
    }

    #[test]
    fn a_missing_face_opens_one_loop_of_three() {
        let mut mesh = shapes::icosphere(1.0, 1);
        mesh.corners.truncate(mesh.corners.len() - 3);
        mesh.runs[0].faces.end -= 1;
        let t = Topology::of(&mesh);
        assert_eq!((t.open_edges, t.open_loops), (3, 1));
    }

    #[test]
    fn a_fin_makes_its_edge_non_manifold() {
        let mut mesh = shapes::cuboid(glam::Vec3::ONE);
        let [a, b] = [mesh.corners[0], mesh.corners[1]];
        let v = mesh.vertex_point.len() as u32;
        mesh.vertex_point.push(mesh.points.len() as u32);
        mesh.points.push(glam::Vec3::splat(9.0));
        mesh.corners.extend([a, b, v]);
        mesh.runs[0].faces.end += 1;
        assert_eq!(Topology::of(&mesh).nonmanifold_edges, 1);
    }
}
