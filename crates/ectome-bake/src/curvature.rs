//! How a surface bends: mean curvature at each point.
//!
//! The mean curvature normal of a triangle mesh by cotangents over the mixed area of a point (M. Meyer, M. Desbrun, P. Schröder,
//! A. H. Barr, *Discrete Differential-Geometry Operators for Triangulated 2-Manifolds*, 2003). At open borders nothing can be
//! said, and it is 0 there.

use ectome_mesh::{Mesh, topology::sorted_half_edges};
use glam::DVec3;

/// In 1/m, above zero where the surface bulges outward.
pub fn mean(mesh: &Mesh) -> Vec<f32> {
    let count = mesh.points.len();
    let mut bend = vec![DVec3::ZERO; count];
    let mut area = vec![0.0f64; count];
    let mut normal = vec![DVec3::ZERO; count];
    for f in 0..mesh.face_count() {
        let p = mesh.triangle(f).map(|p| p.as_dvec3());
        let points = mesh.triangle_points(f).map(|p| p as usize);
        let twice = (p[1] - p[0]).cross(p[2] - p[0]);
        let double_area = twice.length();
        if double_area <= 0.0 {
            continue;
        }
        let cot = |k: usize| {
            let (a, b) = (p[(k + 1) % 3] - p[k], p[(k + 2) % 3] - p[k]);
            a.dot(b) / double_area
        };
        let cots = [cot(0), cot(1), cot(2)];
        let is_obtuse = cots.iter().position(|c| *c < 0.0);
        for k in 0..3 {
            let (i, j) = ((k + 1) % 3, (k + 2) % 3);
            // The edge across from corner k.
            let along = (p[i] - p[j]) * cots[k];
            bend[points[i]] += along;
            bend[points[j]] -= along;
            normal[points[k]] += twice;
            area[points[k]] += match is_obtuse {
                None => {
                    let to = |q: DVec3, c: f64| (q - p[k]).length_squared() * c;
                    (to(p[i], cots[j]) + to(p[j], cots[i])) / 8.0
                }
                Some(o) if o == k => double_area / 4.0,
                Some(_) => double_area / 8.0,
            };
        }
    }
    let mut open = vec![false; count];
    for edge in sorted_half_edges(mesh).chunk_by(|a, b| (a.low, a.high) == (b.low, b.high)) {
        if let [one] = edge {
            (open[one.low as usize], open[one.high as usize]) = (true, true);
        }
    }
    (0..count)
        .map(|p| {
            if open[p] || area[p] <= 0.0 {
                return 0.0;
            }
            // The operator gives twice the mean curvature along the normal.
            let k = bend[p] / (2.0 * area[p]);
            let sign = if k.dot(normal[p]) >= 0.0 { 1.0 } else { -1.0 };
            (0.5 * k.length() * sign) as f32
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;

    /// Closed forms: a sphere of radius r bends by 1/r everywhere; a torus of ring R and tube r by (R + 2 r cos φ) over
    /// 2 r (R + r cos φ) (any textbook of differential geometry).
    #[test]
    fn spheres_and_tori_bend_by_the_closed_form() {
        for r in [0.5f32, 2.0] {
            let k = mean(&shapes::icosphere(r, 5));
            let off = k.iter().map(|k| (k * r - 1.0).abs()).fold(0.0, f32::max);
            assert!(off < 0.05, "{off}");
        }
        let (ring, tube) = (1.0f32, 0.4f32);
        let torus = shapes::torus(ring, tube, 240, 96);
        let k = mean(&torus);
        for (p, k) in torus.points.iter().zip(k) {
            let from_ring = (p.x * p.x + p.z * p.z).sqrt() - ring;
            let cos = from_ring / tube;
            let want = (ring + 2.0 * tube * cos) / (2.0 * tube * (ring + tube * cos));
            assert!(
                (k - want).abs() < 0.05 * want.abs().max(0.5),
                "{k} for {want}"
            );
        }
    }
}
