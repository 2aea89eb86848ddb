//! Polygons to triangles.

use earcut::{Earcut, utils3d::project3d_to_2d};
use glam::{DVec3, Vec3};
use spade::{ConstrainedDelaunayTriangulation, Point2, Triangulation, handles::FixedVertexHandle};

use crate::{Mesh, Run};

/// What [`triangulate`] did.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Triangulated {
    /// Quads split.
    pub quads: usize,
    /// Faces with more than four corners split.
    pub ngons: usize,
}

/// Splits every face into triangles. A quad is split along the diagonal that keeps both halves
/// facing the quad's own way, the shorter one if both do; larger faces as [`polygon`] says. Vertices stay as
/// they are.
pub fn triangulate(mesh: &Mesh) -> (Mesh, Triangulated) {
    let Some(starts) = &mesh.face_starts else {
        return (mesh.clone(), Triangulated::default());
    };
    let mut done = Triangulated::default();
    let mut corners = Vec::with_capacity(3 * mesh.triangle_count());
    let mut runs = Vec::with_capacity(mesh.runs.len());
    for run in &mesh.runs {
        let first = corners.len() / 3;
        for f in run.faces.clone() {
            let face = &mesh.corners[starts[f as usize] as usize..starts[f as usize + 1] as usize];
            match *face {
                [a, b, c] => corners.extend([a, b, c]),
                [a, b, c, d] => {
                    done.quads += 1;
                    if splits_along_first_diagonal([a, b, c, d].map(|v| mesh.position(v))) {
                        corners.extend([a, b, c, a, c, d]);
                    } else {
                        corners.extend([a, b, d, b, c, d]);
                    }
                }
                _ => {
                    done.ngons += 1;
                    let places: Vec<Vec3> = face.iter().map(|&v| mesh.position(v)).collect();
                    let split = polygon(&places);
                    corners.extend(split.iter().flatten().map(|&i| face[i as usize]));
                }
            }
        }
        runs.push(Run {
            faces: first as u32..(corners.len() / 3) as u32,
            ..run.clone()
        });
    }
    let mesh = Mesh {
        corners,
        face_starts: None,
        runs,
        ..mesh.clone()
    };
    (mesh, done)
}

/// The triangles of one polygon, as indices into `places`, facing the way it does: the Delaunay triangulation of its plane that
/// keeps its sides (L. P. Chew, *Constrained Delaunay Triangulations*, 1989). Where its outline crosses or touches itself there is none:
/// then by ear clipping, or as a fan when it has no plane.
pub fn polygon(places: &[Vec3]) -> Vec<[u32; 3]> {
    delaunay(places)
        .or_else(|| ears(places))
        .unwrap_or_else(|| {
            (1..places.len() as u32 - 1)
                .map(|k| [0, k, k + 1])
                .collect()
        })
}

/// By Delaunay's rule inside the sides; `None` where these are no simple outline.
fn delaunay(places: &[Vec3]) -> Option<Vec<[u32; 3]>> {
    let n = places.len();
    let place = |i: usize| places[i % n].as_dvec3();
    // Newell's sum: twice the area vector of the polygon, counter-clockwise from its end.
    let normal: DVec3 = (1..n - 1)
        .map(|i| (place(i) - place(0)).cross(place(i + 1) - place(0)))
        .sum();
    let (along, across) = normal.try_normalize()?.any_orthonormal_pair();
    // Tiny coordinates would underflow in exact arithmetic.
    let size = (1..n)
        .map(|i| place(i).distance(place(0)))
        .fold(0.0, f64::max);
    let flat = (0..n).map(|i| {
        let off = (place(i) - place(0)) / size;
        let tiny = |v: f64| if v.abs() < 1e-40 { 0.0 } else { v };
        Point2::new(tiny(off.dot(along)), tiny(off.dot(across)))
    });
    let sides = (0..n).map(|i| [i, (i + 1) % n]).collect();
    let mut crosses = false;
    let made = ConstrainedDelaunayTriangulation::<Point2<f64>>::try_bulk_load_cdt(
        flat.collect(),
        sides,
        |_| crosses = true,
    )
    .ok()?;
    if crosses || made.num_vertices() != n || made.num_constraints() != n {
        return None;
    }
    // Inside is what lies to the left of a side, and everything that no side parts from it.
    let mut inside = vec![false; made.num_all_faces()];
    let mut waiting: Vec<_> = (0..n)
        .filter_map(|i| {
            let ends = [i, (i + 1) % n].map(FixedVertexHandle::from_index);
            Some(made.get_edge_from_neighbors(ends[0], ends[1])?.face().fix())
        })
        .collect();
    let mut list = Vec::with_capacity(n - 2);
    while let Some(face) = waiting.pop() {
        if std::mem::replace(&mut inside[face.index()], true) {
            continue;
        }
        let inner = made.face(face).as_inner()?;
        list.push(inner.vertices().map(|v| v.fix().index() as u32));
        for edge in inner.adjacent_edges() {
            if !edge.is_constraint_edge() {
                waiting.push(edge.rev().face().fix());
            }
        }
    }
    (list.len() == n - 2).then_some(list)
}

/// By ear clipping; `None` where the polygon has no plane.
fn ears(places: &[Vec3]) -> Option<Vec<[u32; 3]>> {
    let places: Vec<[f32; 3]> = places.iter().map(Vec3::to_array).collect();
    let (mut flat, mut ears) = (Vec::new(), Vec::<u32>::new());
    if project3d_to_2d(&places, places.len(), &mut flat) {
        Earcut::new().earcut(flat.iter().copied(), &[], &mut ears);
    }
    if ears.len() + 6 != 3 * places.len() {
        return None;
    }
    let turned: Vec<u32> = oriented(&ears, &places).collect();
    Some(turned.chunks_exact(3).map(|t| [t[0], t[1], t[2]]).collect())
}

/// True when the diagonal 0–2 is the better split of a quad.
fn splits_along_first_diagonal(p: [Vec3; 4]) -> bool {
    let normal = (p[2] - p[0]).cross(p[3] - p[1]);
    let faces = |a: usize, b: usize, c: usize| (p[b] - p[a]).cross(p[c] - p[a]).dot(normal) > 0.0;
    let first = faces(0, 1, 2) && faces(0, 2, 3);
    let second = faces(0, 1, 3) && faces(1, 2, 3);
    match (first, second) {
        (true, false) => true,
        (false, true) => false,
        _ => p[0].distance_squared(p[2]) <= p[1].distance_squared(p[3]),
    }
}

/// The ears, turned if need be so that they face the way the polygon does.
fn oriented<'a>(ears: &'a [u32], places: &[[f32; 3]]) -> impl Iterator<Item = u32> + 'a {
    let area = |i: u32, j: u32, k: u32| {
        let [a, b, c] = [i, j, k].map(|v| Vec3::from_array(places[v as usize]));
        (b - a).cross(c - a)
    };
    let polygon: Vec3 = (1..places.len() as u32 - 1)
        .map(|k| area(0, k, k + 1))
        .sum();
    let cut: Vec3 = ears.chunks_exact(3).map(|e| area(e[0], e[1], e[2])).sum();
    let turn = cut.dot(polygon) < 0.0;
    ears.chunks_exact(3).flat_map(move |e| {
        if turn {
            [e[0], e[2], e[1]]
        } else {
            [e[0], e[1], e[2]]
        }
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{MeshBuilder, Primitive, measure};
    use glam::Affine3A;
    use rstest::rstest;

    fn polygon(places: &[[f32; 2]]) -> Mesh {
        let mut builder = MeshBuilder::new();
        builder.part("p", Affine3A::IDENTITY).primitive(Primitive {
            positions: places.iter().map(|p| Vec3::new(p[0], p[1], 0.0)).collect(),
            corners: (0..places.len() as u32).collect(),
            face_sizes: vec![places.len() as u32],
            ..Primitive::default()
        });
        builder.finish()
    }

    // Areas by the shoelace formula.
    #[rstest]
    #[case::square(&[[0., 0.], [1., 0.], [1., 1.], [0., 1.]], 1.0)]
    #[case::dart(&[[0., 0.], [2., -1.], [0.5, 0.], [2., 1.]], 0.5)]
    #[case::l_shape(&[[0., 0.], [3., 0.], [3., 1.], [1., 1.], [1., 3.], [0., 3.]], 5.0)]
    #[case::comb(&[[0., 0.], [4., 0.], [4., 2.], [3., 2.], [3., 1.], [1., 1.], [1., 2.], [0., 2.]], 6.0)]
    fn the_triangles_cover_the_polygon_once(#[case] places: &[[f32; 2]], #[case] area: f32) {
        let (mesh, _) = triangulate(&polygon(places));
        mesh.check().unwrap();
        assert_eq!(mesh.face_count(), places.len() - 2);
        assert!((measure::area(&mesh) - f64::from(area)).abs() < 1e-5);
        for f in 0..mesh.face_count() {
            let [a, b, c] = mesh.triangle(f);
            assert!((b - a).cross(c - a).z > 0.0, "face {f} turned over");
        }
    }
}
