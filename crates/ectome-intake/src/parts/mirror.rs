//! Parts that are their own mirror image.

use ectome_mesh::{Cancelled, Mesh, Progress};
use glam::{DMat3, DVec3};
use rayon::prelude::*;

use super::{
    fall::Ground,
    motion::Motion,
    shape::{Shape, of_parts},
};

/// A plane that halves a part into mirror images.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Halves {
    /// The part.
    pub part: u32,
    /// A point on the plane, in metres.
    pub point: DVec3,
    /// Its unit normal, towards the half that stands for both.
    pub normal: DVec3,
    /// UVs of mirrored corners are equal.
    pub same_uvs: bool,
    /// No face crosses the plane, so one half can be worked and mirrored.
    pub clean: bool,
}

/// The parts that are symmetric, each with the first plane found: across the axes of the scene, then across
/// those of its own spread.
///
/// # Errors
/// [`Cancelled`].
pub fn find(mesh: &Mesh, progress: &Progress) -> Result<Vec<Halves>, Cancelled> {
    let shapes = of_parts(mesh, progress)?;
    let found: Result<Vec<Option<Halves>>, Cancelled> = shapes
        .par_iter()
        .enumerate()
        .map(|(part, shape)| {
            if shape.face_count() >= 4 {
                halves(part as u32, shape, progress)
            } else {
                Ok(None)
            }
        })
        .collect();
    Ok(found?.into_iter().flatten().collect())
}

fn halves(part: u32, shape: &Shape, progress: &Progress) -> Result<Option<Halves>, Cancelled> {
    progress.go_on()?;
    let mut normals = axes(shape);
    normals.retain(|&n| reaches_alike(shape, n));
    if normals.is_empty() {
        return Ok(None);
    }
    let ground = Ground::new(shape, shape.colours());
    for normal in normals {
        let m = Motion::mirror(normal, shape.middle);
        let Some(same_uvs) = ground.takes(shape, &ground.colours, &m, &mut 0, progress)? else {
            continue;
        };
        let near = shape.tolerance();
        let height = |i: &u32| (shape.points[*i as usize] - shape.middle).dot(normal);
        let clean = (0..shape.face_count()).all(|f| {
            let mut heights = shape.face(f).iter().map(height);
            heights.clone().all(|h| h >= -near) || heights.all(|h| h <= near)
        });
        return Ok(Some(Halves {
            part,
            point: shape.middle,
            normal,
            same_uvs,
            clean,
        }));
    }
    Ok(None)
}

/// Whether the shape reaches as far to one side of its middle as to the other.
fn reaches_alike(shape: &Shape, normal: DVec3) -> bool {
    let heights = shape.points.iter().map(|&p| (p - shape.middle).dot(normal));
    let (low, high) = heights.fold((0.0f64, 0.0f64), |(l, h), d| (l.min(d), h.max(d)));
    (low + high).abs() <= 2.0 * shape.tolerance()
}

/// Normals worth trying.
fn axes(shape: &Shape) -> Vec<DVec3> {
    let mut list = vec![DVec3::X, DVec3::Z, DVec3::Y];
    let mut spread = DMat3::ZERO;
    for &p in &shape.points {
        let d = p - shape.middle;
        spread += DMat3::from_cols(d * d.x, d * d.y, d * d.z);
    }
    list.extend(eigenvectors(spread));
    list
}

/// Eigenvectors of a symmetric matrix by Jacobi rotations (C. G. J. Jacobi, 1846; G. Golub and C. Van Loan,
/// *Matrix Computations*, §8.5).
fn eigenvectors(m: DMat3) -> [DVec3; 3] {
    let mut a = m.to_cols_array_2d();
    let mut v = DMat3::IDENTITY.to_cols_array_2d();
    for _ in 0..24 {
        for (p, q) in [(0, 1), (0, 2), (1, 2)] {
            if a[p][q].abs() < 1e-18 {
                continue;
            }
            let theta = (a[q][q] - a[p][p]) / (2.0 * a[p][q]);
            let t = theta.signum() / (theta.abs() + (theta * theta + 1.0).sqrt());
            let c = 1.0 / (t * t + 1.0).sqrt();
            let s = t * c;
            for row in &mut a {
                (row[p], row[q]) = (c * row[p] - s * row[q], s * row[p] + c * row[q]);
            }
            for k in 0..3 {
                (a[p][k], a[q][k]) = (c * a[p][k] - s * a[q][k], s * a[p][k] + c * a[q][k]);
                (v[p][k], v[q][k]) = (c * v[p][k] - s * v[q][k], s * v[p][k] + c * v[q][k]);
            }
        }
    }
    v.map(|axis| DVec3::from_array(axis).normalize_or(DVec3::X))
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{MeshBuilder, Primitive, shapes};
    use glam::{Affine3A, Quat, Vec3};

    fn put(mesh: &Mesh, motion: Affine3A) -> Mesh {
        let mut builder = MeshBuilder::new();
        builder.part("p", motion).primitive(Primitive {
            positions: mesh
                .vertex_point
                .iter()
                .map(|&p| mesh.points[p as usize])
                .collect(),
            corners: mesh.corners.clone(),
            ..Primitive::default()
        });
        builder.finish()
    }

    #[test]
    fn a_turned_ellipsoid_is_halved_and_a_lump_is_not() {
        let mut egg = shapes::icosphere(1.0, 3);
        for p in &mut egg.points {
            *p *= Vec3::new(1.0, 1.7, 0.6);
        }
        let turn = Affine3A::from_rotation_translation(
            Quat::from_euler(glam::EulerRot::XYZ, 0.4, 1.1, 0.2),
            Vec3::new(3.0, 0.0, 1.0),
        );
        assert_eq!(find(&put(&egg, turn), &Progress::new()).unwrap().len(), 1);
        for p in &mut egg.points {
            p.x += 0.2 * (p.y * 3.0).sin() * p.z + 0.1 * p.y * p.z * p.x;
        }
        assert!(find(&put(&egg, turn), &Progress::new()).unwrap().is_empty());
    }

    #[test]
    fn a_box_is_halved_but_not_cleanly() {
        // Split into triangles its diagonals do not mirror; as it is, four of its sides cross every plane.
        let solid = shapes::cuboid(Vec3::new(1.0, 2.0, 3.0));
        assert!(find(&solid, &Progress::new()).unwrap().is_empty());
        let corner = |i: u32| {
            Vec3::new(
                (i & 1) as f32,
                2.0 * (i >> 1 & 1) as f32,
                3.0 * (i >> 2) as f32,
            )
        };
        let mut builder = MeshBuilder::new();
        builder.primitive(Primitive {
            positions: (0..8).map(corner).collect(),
            corners: vec![
                0, 2, 3, 1, 4, 5, 7, 6, 0, 1, 5, 4, 2, 6, 7, 3, 0, 4, 6, 2, 1, 3, 7, 5,
            ],
            face_sizes: vec![4; 6],
            ..Primitive::default()
        });
        let halves = find(&builder.finish(), &Progress::new()).unwrap();
        assert!(!halves.is_empty() && halves.iter().all(|h| !h.clean));
    }
}
