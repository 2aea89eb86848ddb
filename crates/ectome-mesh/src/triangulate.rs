//! Polygons to triangles.

use earcut::{Earcut, utils3d::project3d_to_2d};
use glam::Vec3;

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
/// facing the quad's own way, the shorter one if both do; larger faces by ear clipping in their
/// plane, or as a fan when they have no plane. Vertices stay as they are.
pub fn triangulate(mesh: &Mesh) -> (Mesh, Triangulated) {
    let Some(starts) = &mesh.face_starts else {
        return (mesh.clone(), Triangulated::default());
    };
    let mut done = Triangulated::default();
    let mut corners = Vec::with_capacity(3 * mesh.triangle_count());
    let mut runs = Vec::with_capacity(mesh.runs.len());
    let mut earcut = Earcut::new();
    let (mut flat, mut ears) = (Vec::new(), Vec::<u32>::new());
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
                    let places: Vec<[f32; 3]> =
                        face.iter().map(|&v| mesh.position(v).to_array()).collect();
                    ears.clear();
                    if project3d_to_2d(&places, places.len(), &mut flat) {
                        earcut.earcut(flat.iter().copied(), &[], &mut ears);
                    }
                    if ears.len() == 3 * (face.len() - 2) {
                        corners.extend(oriented(&ears, &places).map(|i| face[i as usize]));
                    } else {
                        for k in 1..face.len() - 1 {
                            corners.extend([face[0], face[k], face[k + 1]]);
                        }
                    }
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

/// The triangles of one polygon, as indices into `places`, facing the way it does: by ear clipping in its
/// plane, or as a fan when it has none.
pub fn polygon(places: &[Vec3]) -> Vec<[u32; 3]> {
    let places: Vec<[f32; 3]> = places.iter().map(Vec3::to_array).collect();
    let (mut flat, mut ears) = (Vec::new(), Vec::<u32>::new());
    if project3d_to_2d(&places, places.len(), &mut flat) {
        Earcut::new().earcut(flat.iter().copied(), &[], &mut ears);
    }
    if ears.len() + 6 != 3 * places.len() {
        return (1..places.len() as u32 - 1)
            .map(|k| [0, k, k + 1])
            .collect();
    }
    let turned: Vec<u32> = oriented(&ears, &places).collect();
    turned.chunks_exact(3).map(|t| [t[0], t[1], t[2]]).collect()
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
