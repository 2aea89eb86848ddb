//! How far a texture has slipped over the surface.

use ectome_mesh::{Mesh, measure, measure::barycentric, nearest::SurfaceIndex, sample};
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
    /// What the slip does to a picture: mean difference of a test pattern of full contrast, in steps of
    /// 255.
    pub colour: f64,
}

/// The distance between the UV of `low` and the UV of the nearest place of `high`, over places spread by
/// area; `None` without UVs on both. Beside a seam the nearest place may lie on the other side of it: of
/// all places of `high` that are about as near, the one whose UV is nearest counts.
pub fn drift(high: &Mesh, surface: &SurfaceIndex, low: &Mesh) -> Option<Drift> {
    let (high_uv, low_uv) = (high.uv_sets.first()?, low.uv_sets.first()?);
    let reach = measure::bounds(high).diagonal() * SEAM_REACH;
    let places = sample::by_area(low, PLACES);
    let queries: Vec<Vec3> = places.iter().map(|s| s.point).collect();
    let slips: Vec<(f64, f64)> = (places.par_iter().zip(surface.nearest_each(&queries)))
        .filter_map(|(s, near)| {
            let uv = at(low, low_uv, s.face, s.point)?;
            let nearest_uv = |radius: f32| {
                let mut best: Option<(f32, Vec2)> = None;
                surface.visit_within(s.point, radius, |place| {
                    if let Some(there) = at(high, high_uv, place.face, place.point) {
                        let slip = there.distance(uv);
                        if best.is_none_or(|(least, _)| slip < least) {
                            best = Some((slip, there));
                        }
                    }
                    radius
                });
                best
            };
            let mut best = nearest_uv(near?.distance * 1.5 + 1e-6)?;
            if best.0 > ANOTHER_ISLAND
                && let Some(other) = nearest_uv(reach)
                && other.0 < best.0
            {
                best = other;
            }
            let (slip, there) = best;
            let colour = (pattern(uv) - pattern(there)).abs() * 255.0;
            Some((f64::from(slip), f64::from(colour)))
        })
        .collect();
    if slips.is_empty() {
        return None;
    }
    let n = slips.len() as f64;
    Some(Drift {
        mean: slips.iter().map(|s| s.0).sum::<f64>() / n,
        max: slips.iter().map(|s| s.0).fold(0.0, f64::max),
        colour: slips.iter().map(|s| s.1).sum::<f64>() / n,
    })
}

/// A checker of 64 × 32 fields times a gradient, as a texture of 2048 texels shows it: black and white
/// meet over the width of a texel.
fn pattern(uv: Vec2) -> f32 {
    let edge = |x: f32, fields: f32| {
        let half_texel = fields / 4096.0;
        let t = (x * fields).rem_euclid(2.0);
        let sign = if t < 1.0 { 1.0 } else { -1.0 };
        sign * (t.fract().min(1.0 - t.fract()) / half_texel).min(1.0)
    };
    let checker = 0.5 + 0.5 * edge(uv.x, 64.0) * edge(uv.y, 32.0);
    checker * (0.5 + 0.5 * uv.x.rem_euclid(1.0))
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
        let surface = SurfaceIndex::of(&high);
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
