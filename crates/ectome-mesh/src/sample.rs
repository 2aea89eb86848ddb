//! Places spread evenly over a surface.

use glam::Vec3;

use crate::{Mesh, measure};

/// A place on triangle `face`.
#[derive(Clone, Copy, Debug)]
pub struct Sample {
    /// The triangle.
    pub face: u32,
    /// The place, in metres.
    pub point: Vec3,
}

/// `count` places on an all-triangle mesh, as dense everywhere by area: stratified over the running
/// sum of areas, and inside each triangle by the additive recurrence R2 (M. Roberts, *The
/// Unreasonable Effectiveness of Quasirandom Sequences*, 2018). No random numbers: the same mesh
/// gives the same places.
pub fn by_area(mesh: &Mesh, count: usize) -> Vec<Sample> {
    on_faces(mesh, 0..mesh.face_count() as u32, count)
}

/// The same on some of the triangles.
pub fn on_faces(mesh: &Mesh, faces: impl Iterator<Item = u32>, count: usize) -> Vec<Sample> {
    let mut sums: Vec<(u32, f64)> = Vec::with_capacity(faces.size_hint().0);
    let mut total = 0.0;
    for f in faces {
        total += measure::area_vector(mesh.triangle(f as usize)).length();
        sums.push((f, total));
    }
    if total <= 0.0 || count == 0 {
        return Vec::new();
    }
    let mut k = 0;
    (0..count)
        .map(|i| {
            let at = total * (i as f64 + 0.5) / count as f64;
            while k + 1 < sums.len() && sums[k].1 < at {
                k += 1;
            }
            let face = sums[k].0;
            let mut u = (i as f64 * 0.754_877_666_246_692_7).fract() as f32;
            let mut v = (i as f64 * 0.569_840_290_998_053_3).fract() as f32;
            if u + v > 1.0 {
                (u, v) = (1.0 - u, 1.0 - v);
            }
            let [a, b, c] = mesh.triangle(face as usize);
            Sample {
                face,
                point: a + (b - a) * u + (c - a) * v,
            }
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::shapes;

    #[test]
    fn samples_fall_on_faces_in_proportion_to_their_area() {
        let mesh = shapes::cuboid(Vec3::new(1.0, 1.0, 4.0));
        let samples = by_area(&mesh, 18_000);
        // Areas: two ends of 1 m², four sides of 4 m².
        let ends = samples.iter().filter(|s| s.point.z.abs() > 1.9999).count();
        assert!((1_990..=2_010).contains(&ends), "{ends} of 2 000");
    }
}
