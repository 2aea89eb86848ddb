//! Edges of polygons, between points: who shares them, where they are open, what hangs together.

use std::collections::HashMap;

use rayon::prelude::*;

use crate::{Mesh, topology::UnionFind};

/// One side of an edge of a polygon.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Side {
    /// The lower point.
    pub low: u32,
    /// The higher point.
    pub high: u32,
    /// The face.
    pub face: u32,
    /// Which corner of the face the side leaves from.
    pub corner: u32,
    /// True when it runs from the lower to the higher point.
    pub up: bool,
}

impl Side {
    /// The points it runs from and to.
    pub fn ends(&self) -> [u32; 2] {
        if self.up {
            [self.low, self.high]
        } else {
            [self.high, self.low]
        }
    }

    /// True when both are sides of one edge.
    pub fn same_edge(&self, other: &Self) -> bool {
        (self.low, self.high) == (other.low, other.high)
    }
}

/// All sides of the faces of a mesh, those of one edge together. Corners that stay on their point make none.
pub fn sorted_sides(mesh: &Mesh) -> Vec<Side> {
    let mut sides = Vec::with_capacity(mesh.corners.len());
    for f in 0..mesh.face_count() {
        let face = mesh.face(f);
        for (k, &v) in face.iter().enumerate() {
            let a = mesh.vertex_point[v as usize];
            let b = mesh.vertex_point[face[(k + 1) % face.len()] as usize];
            if a != b {
                sides.push(Side {
                    low: a.min(b),
                    high: a.max(b),
                    face: f as u32,
                    corner: k as u32,
                    up: a < b,
                });
            }
        }
    }
    sides.par_sort_unstable();
    sides
}

/// The edges of sorted sides: the sides of one edge at a time.
pub fn edges(sides: &[Side]) -> impl Iterator<Item = &[Side]> {
    sides.chunk_by(Side::same_edge)
}

/// The piece each face belongs to: faces hang together through shared points. Pieces are numbered from 0
/// in order of first occurrence; returns their count too.
pub fn pieces(mesh: &Mesh) -> (Vec<u32>, usize) {
    let mut sets = UnionFind::new(mesh.points.len());
    for f in 0..mesh.face_count() {
        let mut points = mesh.face_points(f);
        if let Some(first) = points.next() {
            points.for_each(|p| sets.join(first, p));
        }
    }
    let mut number = vec![u32::MAX; mesh.points.len()];
    let mut count = 0;
    let of_face = (0..mesh.face_count())
        .map(|f| {
            let root = mesh.face_points(f).next().map_or(0, |p| sets.find(p)) as usize;
            if number[root] == u32::MAX {
                number[root] = count;
                count += 1;
            }
            number[root]
        })
        .collect();
    (of_face, count as usize)
}

/// A closed run of open sides, each as the face and the corner it leaves from, in the direction of the faces.
pub type Loop = Vec<Side>;

/// The loops that open edges form. A point that is met twice closes a loop of its own, so that loops which
/// touch stay apart. Chains that do not close are left out.
pub fn open_loops(mesh: &Mesh) -> Vec<Loop> {
    let sides = sorted_sides(mesh);
    let open = edges(&sides).filter(|e| e.len() == 1).map(|e| e[0]);
    loops_of(open.collect())
}

/// The closed loops that directed sides form, as [`open_loops`] follows them.
pub fn loops_of(mut open: Vec<Side>) -> Vec<Loop> {
    open.sort_unstable_by_key(|s| (s.ends()[0], s.face, s.corner));
    let mut used = vec![false; open.len()];
    let unused_from = |p: u32, used: &[bool]| {
        let first = open.partition_point(|s| s.ends()[0] < p);
        (first..open.len())
            .take_while(|&i| open[i].ends()[0] == p)
            .find(|&i| !used[i])
    };
    let mut loops = Vec::new();
    let mut on_path: HashMap<u32, usize> = HashMap::new();
    for start in 0..open.len() {
        let mut path: Vec<Side> = Vec::new();
        on_path.clear();
        let mut at = (!used[start]).then_some(start);
        while let Some(i) = at {
            used[i] = true;
            let [from, to] = open[i].ends();
            on_path.insert(from, path.len());
            path.push(open[i]);
            if let Some(&k) = on_path.get(&to) {
                for side in &path[k..] {
                    on_path.remove(&side.ends()[0]);
                }
                loops.push(path.split_off(k));
            }
            at = if path.is_empty() {
                None
            } else {
                unused_from(to, &used)
            };
        }
    }
    loops
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{edit::kept, shapes};

    #[test]
    fn two_missing_faces_leave_two_loops_of_three() {
        let ball = shapes::icosphere(1.0, 2);
        let holed = kept(&ball, |f| f != 0 && f != 200);
        let loops = open_loops(&holed);
        assert_eq!(loops.iter().map(Vec::len).collect::<Vec<_>>(), [3, 3]);
    }

    #[test]
    fn loops_that_touch_in_a_point_stay_apart() {
        // A flat grid of 4 × 4 quads with two holes that share the middle point.
        let mut builder = crate::MeshBuilder::new();
        let at = |x: u32, y: u32| y * 5 + x;
        let mut corners = Vec::new();
        for y in 0..4 {
            for x in 0..4 {
                if (x, y) != (1, 1) && (x, y) != (2, 2) {
                    corners.extend([at(x, y), at(x + 1, y), at(x + 1, y + 1), at(x, y + 1)]);
                }
            }
        }
        builder.primitive(crate::Primitive {
            positions: (0..25)
                .map(|i| glam::Vec3::new((i % 5) as f32, (i / 5) as f32, 0.0))
                .collect(),
            face_sizes: vec![4; corners.len() / 4],
            corners,
            ..Default::default()
        });
        let mut sizes: Vec<usize> = open_loops(&builder.finish()).iter().map(Vec::len).collect();
        sizes.sort_unstable();
        assert_eq!(sizes, [4, 4, 16]);
    }

    #[test]
    fn pieces_of_polygons_are_counted() {
        assert_eq!(pieces(&shapes::torus(1.0, 0.3, 8, 6)).1, 1);
    }
}
