//! Where a seam is seen least: in hollows, along creases, underneath, and where little light gets in.

use ectome_mesh::{Mesh, rays};
use glam::Vec3;
use rayon::prelude::*;

use crate::face_graph::{FaceGraph, NONE};

/// Rays that tell how open a face lies.
const RAYS: usize = 16;

/// Angle between faces from which an edge counts as a crease, in radians (30°).
pub const CREASE: f64 = 30.0 * std::f64::consts::PI / 180.0;

/// How much of the half space over each face is open (0–1), from rays.
pub fn openness(mesh: &Mesh, surface: &FaceGraph) -> Vec<f32> {
    let blocker = rays::Blocker::of(mesh);
    let directions = rays::directions(2 * RAYS);
    let size = ectome_mesh::measure::bounds(mesh).diagonal();
    (0..surface.faces.len())
        .into_par_iter()
        .map(|f| {
            let normal = surface.normal[f].as_vec3();
            if normal == Vec3::ZERO {
                return 0.0;
            }
            let [a, b, c] = mesh.triangle(f);
            let origin = (a + b + c) / 3.0 + normal * (1e-5 * size);
            let (mut free, mut all) = (0.0, 0.0);
            for &d in &directions {
                let lean = d.dot(normal);
                if lean > 0.05 {
                    all += lean;
                    if blocker.escapes(origin, d, f as u32) {
                        free += lean;
                    }
                }
            }
            if all > 0.0 { free / all } else { 0.0 }
        })
        .collect()
}

/// What a seam costs along each edge, per metre: 1 in full view on a smooth surface, less elsewhere.
pub fn costs(surface: &FaceGraph, openness: &[f32]) -> Vec<f64> {
    surface
        .edges
        .iter()
        .map(|e| {
            let [f, g] = e.faces;
            let of = |f: u32| match f {
                NONE => 0.0,
                f => f64::from(openness[f as usize]),
            };
            let seen = 0.15 + 0.85 * of(f).max(of(g));
            let up = |f: u32| {
                if f == NONE {
                    0.0
                } else {
                    surface.normal[f as usize].y
                }
            };
            let under = if up(f) + up(g) < -1.0 { 0.6 } else { 1.0 };
            let bent = match e.turn {
                t if t < -CREASE => 0.2,
                t if t > CREASE => 0.35,
                t => {
                    1.0 - 0.5 * (-t / CREASE).clamp(0.0, 1.0) - 0.25 * (t / CREASE).clamp(0.0, 1.0)
                }
            };
            seen * under * bent
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;

    #[test]
    fn a_convex_thing_is_open_all_over_and_its_underside_is_cheaper() {
        let mesh = shapes::icosphere(1.0, 2);
        let surface = FaceGraph::of(&mesh);
        let open = openness(&mesh, &surface);
        assert!(open.iter().all(|&o| o > 0.99));
        let costs = costs(&surface, &open);
        let mean = |under: bool| {
            let (sum, n) = surface
                .edges
                .iter()
                .zip(&costs)
                .fold((0.0, 0), |(s, n), (e, c)| {
                    let y: f64 = e.points.iter().map(|&p| surface.points[p as usize].y).sum();
                    if (y < -1.2) == under {
                        (s + c, n + 1)
                    } else {
                        (s, n)
                    }
                });
            sum / f64::from(n)
        };
        assert!(mean(true) < 0.7 * mean(false));
    }
}
