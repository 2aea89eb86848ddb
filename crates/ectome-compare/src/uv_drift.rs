//! How far a texture has slipped over the surface.

use ectome_mesh::{Mesh, measure, measure::barycentric, nearest::Surface, sample};
use glam::{Vec2, Vec3};
use rayon::prelude::*;

/// Places looked at.
const PLACES: usize = 40_000;

/// A slip this large (in units of the UV square) may be a place that has come to lie beyond its seam…
const ANOTHER_ISLAND: f32 = 0.01;
/// …so its own island is looked for this far around, in diagonals.
const SEAM_REACH: f32 = 0.005;

/// A slip, in units of the UV square.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Drift {
    /// Mean over the area.
    pub mean: f64,
    /// Largest found.
    pub max: f64,
}

/// The distance between the UV of `low` and the UV of the nearest place of `high`, over places spread by
/// area; `None` without UVs on both. Beside a seam the nearest place may lie on the other side of it: of
/// all places of `high` that are about as near, the one whose UV is nearest counts.
pub fn drift(high: &Mesh, surface: &Surface, low: &Mesh) -> Option<Drift> {
    let (high_uv, low_uv) = (high.uv_sets.first()?, low.uv_sets.first()?);
    let reach = measure::bounds(high).diagonal() * SEAM_REACH;
    let slips: Vec<f64> = sample::by_area(low, PLACES)
        .par_iter()
        .filter_map(|s| {
            let uv = at(low, low_uv, s.face, s.point)?;
            let least = |radius: f32| {
                let mut slip = f32::INFINITY;
                surface.visit_within(s.point, radius, |place| {
                    if let Some(there) = at(high, high_uv, place.face, place.point) {
                        slip = slip.min(there.distance(uv));
                    }
                    radius
                });
                slip
            };
            let mut slip = least(surface.nearest(s.point)?.distance * 1.5 + 1e-6);
            if slip > ANOTHER_ISLAND {
                slip = slip.min(least(reach));
            }
            slip.is_finite().then_some(f64::from(slip))
        })
        .collect();
    if slips.is_empty() {
        return None;
    }
    Some(Drift {
        mean: slips.iter().sum::<f64>() / slips.len() as f64,
        max: slips.iter().fold(0.0, |a, &b| a.max(b)),
    })
}

fn at(mesh: &Mesh, set: &[Vec2], face: u32, place: Vec3) -> Option<Vec2> {
    let weights = barycentric(place, mesh.triangle(face as usize))?;
    let corners = mesh.face(face as usize);
    Some(
        corners
            .iter()
            .zip(weights)
            .map(|(&v, w)| set[v as usize] * w as f32)
            .sum(),
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;

    #[test]
    fn a_shifted_texture_has_slipped_by_its_shift() {
        let mut high = shapes::icosphere(1.0, 3);
        let uv = |m: &Mesh| {
            (0..m.vertex_count() as u32)
                .map(|v| m.position(v).truncate())
                .collect::<Vec<_>>()
        };
        high.uv_sets = vec![uv(&high)];
        let surface = Surface::of(&high);
        let mut low = high.clone();
        assert!(drift(&high, &surface, &low).unwrap().max < 1e-5);
        for uv in &mut low.uv_sets[0] {
            *uv += Vec2::new(0.003, 0.004);
        }
        let d = drift(&high, &surface, &low).unwrap();
        assert!((d.mean - 0.005).abs() < 3e-4, "{d:?}");
        assert_eq!(drift(&shapes::icosphere(1.0, 1), &surface, &low), None);
    }
}
