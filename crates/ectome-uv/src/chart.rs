//! A connected set of faces with vertices of its own, ready to be laid flat.

use ectome_mesh::topology::UnionFind;
use glam::DVec2;

use crate::face_graph::{FaceGraph, NONE};

/// A triangle thinner than this over its longest side is flattened as if it had that height.
const THINNEST: f64 = 1e-4;

/// A side of a border: the face within the chart and the corner it leaves from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct BorderSide {
    /// The face, counted within the chart.
    pub face: u32,
    /// 0, 1 or 2.
    pub corner: u32,
}

/// A chart: faces that hang together across edges that are no seams. Its vertices are counted within it; where a seam
/// ends inside, both banks have vertices of their own.
#[derive(Clone, Debug)]
pub struct Chart {
    /// The faces, in rising order.
    pub faces: Vec<u32>,
    /// The vertices of each face.
    pub corners: Vec<[u32; 3]>,
    /// The point of each vertex.
    pub point: Vec<u32>,
    /// Each triangle laid into a plane: its first corner at the origin, its second on the positive x axis.
    pub rest: Vec<[DVec2; 2]>,
    /// Area of each triangle, in square metres.
    pub area: Vec<f64>,
    /// The borders, each in the direction of the faces.
    pub loops: Vec<Vec<BorderSide>>,
    /// V − E + F.
    pub euler: i64,
}

impl Chart {
    /// Gathers `faces` (in rising order); `open` tells which edges are seams.
    pub fn new(surface: &FaceGraph, faces: Vec<u32>, open: impl Fn(u32) -> bool) -> Self {
        debug_assert!(faces.is_sorted());
        let n = faces.len();
        let local = |f: u32| faces.binary_search(&f).ok();
        let mut sets = UnionFind::new(3 * n);
        let mut border = Vec::new();
        let mut inner = 0i64;
        for (i, &f) in faces.iter().enumerate() {
            for k in 0..3 {
                let e = surface.face_edges[f as usize][k];
                let g = surface.across(e, f);
                let j = (g != NONE && !open(e)).then(|| local(g)).flatten();
                let Some(j) = j else {
                    border.push(BorderSide {
                        face: i as u32,
                        corner: k as u32,
                    });
                    continue;
                };
                if j < i {
                    continue;
                }
                inner += 1;
                // The edge runs the other way in its other face.
                let m = (0..3).find(|&m| surface.face_edges[g as usize][m] == e);
                let m = m.unwrap_or(0);
                sets.join((3 * i + k) as u32, (3 * j + (m + 1) % 3) as u32);
                sets.join((3 * i + (k + 1) % 3) as u32, (3 * j + m) as u32);
            }
        }
        let mut number = vec![NONE; 3 * n];
        let mut point = Vec::new();
        let mut corners = vec![[0u32; 3]; n];
        for (c, corner) in corners.as_flattened_mut().iter_mut().enumerate() {
            let root = sets.find(c as u32) as usize;
            if number[root] == NONE {
                number[root] = point.len() as u32;
                point.push(surface.faces[faces[c / 3] as usize][c % 3]);
            }
            *corner = number[root];
        }
        let loops = loops_of(&corners, &border, point.len());
        let euler = point.len() as i64 - (inner + border.len() as i64) + n as i64;
        let rest = faces.iter().map(|&f| rest_of(surface, f)).collect();
        let area = faces.iter().map(|&f| surface.area[f as usize]).collect();
        Self {
            faces,
            corners,
            point,
            rest,
            area,
            loops,
            euler,
        }
    }

    /// True for a disk: one border, Euler characteristic one.
    pub fn is_disk(&self) -> bool {
        self.euler == 1 && self.loops.len() == 1
    }

    /// The vertex a side leaves from.
    pub fn from(&self, side: BorderSide) -> u32 {
        self.corners[side.face as usize][side.corner as usize]
    }

    /// The edge of the surface a side lies on.
    pub fn edge(&self, surface: &FaceGraph, side: BorderSide) -> u32 {
        surface.face_edges[self.faces[side.face as usize] as usize][side.corner as usize]
    }

    /// Its area, in square metres.
    pub fn whole_area(&self) -> f64 {
        self.area.iter().sum()
    }
}

fn rest_of(surface: &FaceGraph, face: u32) -> [DVec2; 2] {
    let [a, b, c] = surface.faces[face as usize].map(|p| surface.points[p as usize]);
    let (ab, ac) = (b - a, c - a);
    let longest = ab.length().max(ac.length()).max(b.distance(c)).max(1e-12);
    let base = ab.length().max(longest * THINNEST);
    let along = ac.dot(ab) / base;
    let height = (ac.length_squared() - along * along).max(0.0).sqrt();
    let least = longest * longest * THINNEST / base;
    [DVec2::new(base, 0.0), DVec2::new(along, height.max(least))]
}

/// Every vertex of a chart has one fan of faces, so at most one border side leaves it.
fn loops_of(corners: &[[u32; 3]], border: &[BorderSide], vertices: usize) -> Vec<Vec<BorderSide>> {
    let mut leaving = vec![NONE; vertices];
    for (i, s) in border.iter().enumerate() {
        leaving[corners[s.face as usize][s.corner as usize] as usize] = i as u32;
    }
    let mut used = vec![false; border.len()];
    let mut loops = Vec::new();
    for start in 0..border.len() {
        let mut path = Vec::new();
        let mut at = start;
        while !used[at] {
            used[at] = true;
            path.push(border[at]);
            let s = border[at];
            let to = corners[s.face as usize][(s.corner as usize + 1) % 3];
            match leaving[to as usize] {
                NONE => break,
                next => at = next as usize,
            }
        }
        if !path.is_empty() {
            loops.push(path);
        }
    }
    loops
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;

    fn whole(mesh: &ectome_mesh::Mesh, open: impl Fn(u32) -> bool) -> Chart {
        let surface = FaceGraph::of(mesh);
        Chart::new(&surface, (0..mesh.face_count() as u32).collect(), open)
    }

    /// Euler–Poincaré: a closed sphere has 2, a torus 0, a sphere without a face is a disk.
    #[test]
    fn a_ball_with_a_face_missing_is_a_disk() {
        let ball = shapes::icosphere(1.0, 2);
        assert_eq!(
            (
                whole(&ball, |_| false).euler,
                whole(&ball, |_| false).loops.len()
            ),
            (2, 0)
        );
        assert_eq!(whole(&shapes::torus(1.0, 0.3, 12, 8), |_| false).euler, 0);
        let surface = FaceGraph::of(&ball);
        let chart = Chart::new(&surface, (1..ball.face_count() as u32).collect(), |_| false);
        assert!(chart.is_disk() && chart.loops[0].len() == 3);
    }

    #[test]
    fn an_open_edge_inside_parts_nothing_until_it_meets_another() {
        let ball = shapes::icosphere(1.0, 1);
        let one = whole(&ball, |e| e == 7);
        // A slit: both banks are one border of two sides, its ends stay single vertices.
        assert_eq!((one.loops.len(), one.loops[0].len(), one.euler), (1, 2, 1));
        assert_eq!(one.point.len(), ball.points.len());
    }

    #[test]
    fn the_rest_shape_has_the_sides_of_the_triangle() {
        let mesh = shapes::cuboid(glam::Vec3::new(3.0, 4.0, 1.0));
        let surface = FaceGraph::of(&mesh);
        for f in 0..12 {
            let [a, b, c] = surface.faces[f].map(|p| surface.points[p as usize]);
            let [p, q] = rest_of(&surface, f as u32);
            assert!((p.length() - a.distance(b)).abs() < 1e-9);
            assert!((q.length() - a.distance(c)).abs() < 1e-9);
            assert!((p.distance(q) - b.distance(c)).abs() < 1e-9);
        }
    }
}
