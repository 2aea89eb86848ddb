//! Bounds, areas, volume and normals. Sums are taken in `f64`.

use glam::{DVec3, Vec3};
use rayon::prelude::*;

use crate::Mesh;

/// Axis-aligned bounds in metres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Bounds {
    /// The lowest corner.
    pub min: Vec3,
    /// The highest corner.
    pub max: Vec3,
}

impl Bounds {
    /// The length of the diagonal.
    pub fn diagonal(&self) -> f32 {
        (self.max - self.min).length()
    }

    /// The middle.
    pub fn centre(&self) -> Vec3 {
        (self.min + self.max) * 0.5
    }
}

/// The bounds of all points, or zero bounds for an empty mesh.
pub fn bounds(mesh: &Mesh) -> Bounds {
    let mut points = mesh.points.iter();
    let Some(&first) = points.next() else {
        return Bounds {
            min: Vec3::ZERO,
            max: Vec3::ZERO,
        };
    };
    points.fold(
        Bounds {
            min: first,
            max: first,
        },
        |b, &p| Bounds {
            min: b.min.min(p),
            max: b.max.max(p),
        },
    )
}

/// The area vector of a triangle: its normal times its area.
#[inline]
pub fn area_vector([a, b, c]: [Vec3; 3]) -> DVec3 {
    let a = a.as_dvec3();
    0.5 * (b.as_dvec3() - a).cross(c.as_dvec3() - a)
}

/// The area of an all-triangle mesh, in square metres.
pub fn area(mesh: &Mesh) -> f64 {
    (0..mesh.face_count())
        .map(|f| area_vector(mesh.triangle(f)).length())
        .sum()
}

/// The signed volume an all-triangle mesh encloses, in cubic metres: the sum of the tetrahedra that
/// its faces span with the origin (divergence theorem). Means nothing for open meshes.
pub fn volume(mesh: &Mesh) -> f64 {
    (0..mesh.face_count())
        .map(|f| {
            let [a, b, c] = mesh.triangle(f).map(|p| p.as_dvec3());
            a.dot(b.cross(c)) / 6.0
        })
        .sum()
}

/// Normals of the vertices of an all-triangle mesh: the area-weighted mean of the faces around each
/// vertex. Vertices of one point that carry different UVs share a normal.
pub fn smooth_normals(mesh: &Mesh) -> Vec<Vec3> {
    let mut sums = vec![DVec3::ZERO; mesh.points.len()];
    for f in 0..mesh.face_count() {
        let area = area_vector(mesh.triangle(f));
        for p in mesh.triangle_points(f) {
            sums[p as usize] += area;
        }
    }
    mesh.vertex_point
        .par_iter()
        .map(|&p| {
            sums[p as usize]
                .try_normalize()
                .map_or(Vec3::Y, |n| n.as_vec3())
        })
        .collect()
}

/// Weights of the corners of a triangle that make `place`, which should lie in its plane; they sum to
/// one. `None` for a triangle without area.
pub fn barycentric(place: Vec3, triangle: [Vec3; 3]) -> Option<[f64; 3]> {
    let [a, b, c] = triangle.map(|p| p.as_dvec3());
    let (u, v, w) = (b - a, c - a, place.as_dvec3() - a);
    let (uu, uv, vv, wu, wv) = (u.dot(u), u.dot(v), v.dot(v), w.dot(u), w.dot(v));
    let d = uu * vv - uv * uv;
    if d <= 1e-12 * uu * vv {
        return None;
    }
    let s = (vv * wu - uv * wv) / d;
    let t = (uu * wv - uv * wu) / d;
    Some([1.0 - s - t, s, t])
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::shapes;
    use std::f64::consts::PI;

    // Closed forms: sphere 4πr², 4/3πr³; torus 4π²Rr, 2π²Rr².
    #[test]
    fn a_fine_sphere_has_the_area_and_volume_of_the_sphere() {
        let ball = shapes::icosphere(0.5, 6);
        assert!((area(&ball) / (4.0 * PI * 0.25) - 1.0).abs() < 1e-3);
        assert!((volume(&ball) / (4.0 / 3.0 * PI * 0.125) - 1.0).abs() < 2e-3);
    }

    #[test]
    fn a_fine_torus_has_the_area_and_volume_of_the_torus() {
        let ring = shapes::torus(1.0, 0.25, 256, 96);
        assert!((area(&ring) / (4.0 * PI * PI * 0.25) - 1.0).abs() < 1e-3);
        assert!((volume(&ring) / (2.0 * PI * PI * 0.0625) - 1.0).abs() < 2e-3);
    }

    #[test]
    fn a_box_is_exact() {
        let mesh = shapes::cuboid(Vec3::new(1.0, 2.0, 3.0));
        assert_eq!(area(&mesh), 22.0);
        assert_eq!(volume(&mesh), 6.0);
        assert_eq!(bounds(&mesh).max, Vec3::new(0.5, 1.0, 1.5));
    }
}
