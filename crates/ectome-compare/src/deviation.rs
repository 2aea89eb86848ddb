//! How far apart two surfaces are.
//!
//! One way: the distance from places spread over one surface to the nearest place on the other; the
//! largest of them is the one-sided Hausdorff distance, their mean an area integral (P. Cignoni,
//! C. Rocchini, R. Scopigno, *Metro: Measuring Error on Simplified Surfaces*, 1998).

use ectome_mesh::{Mesh, Progress, nearest, sample};
use glam::Vec3;
use rayon::prelude::*;

use crate::report::CompareError;

/// Distances one way, in metres.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Deviation {
    /// Mean over the area.
    pub mean_m: f64,
    /// Largest found.
    pub max_m: f64,
    /// Where the largest stands.
    pub worst: Vec3,
}

/// The distance from `from` to `to`, by `samples` places spread by area and all of `from`'s points.
/// The mean is taken over the spread places only.
///
/// # Errors
/// [`CompareError::Empty`] when a surface has no area, [`CompareError::Cancelled`].
pub fn one_way(
    from: &Mesh,
    to: &nearest::Surface,
    samples: usize,
    progress: &Progress,
) -> Result<Deviation, CompareError> {
    let spread = sample::by_area(from, samples);
    if spread.is_empty() {
        return Err(CompareError::Empty);
    }
    let mut used = vec![false; from.points.len()];
    for &v in &from.corners {
        used[from.vertex_point[v as usize] as usize] = true;
    }
    let points = from
        .points
        .iter()
        .zip(used)
        .filter_map(|(&p, u)| u.then_some(p));
    let places: Vec<Vec3> = spread.iter().map(|s| s.point).chain(points).collect();
    let mut distances = Vec::with_capacity(places.len());
    for (i, chunk) in places.chunks(65_536).enumerate() {
        progress.at(i as f32 * 65_536.0 / places.len() as f32)?;
        let part: Vec<f32> = chunk
            .par_iter()
            .map(|&p| to.nearest(p).map_or(f32::NAN, |n| n.distance))
            .collect();
        distances.extend(part);
    }
    if distances.iter().any(|d| d.is_nan()) {
        return Err(CompareError::Empty);
    }
    let sum: f64 = distances[..spread.len()]
        .iter()
        .map(|&d| f64::from(d))
        .sum();
    let (worst, max) = distances
        .iter()
        .enumerate()
        .max_by(|a, b| a.1.total_cmp(b.1))
        .unwrap_or((0, &0.0));
    Ok(Deviation {
        mean_m: sum / spread.len() as f64,
        max_m: f64::from(*max),
        worst: places[worst],
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;

    #[test]
    fn concentric_spheres_are_their_difference_in_radius_apart() {
        let outer = shapes::icosphere(1.1, 6);
        let inner = nearest::Surface::of(&shapes::icosphere(1.0, 6));
        let d = one_way(&outer, &inner, 20_000, &Progress::new()).unwrap();
        assert!((d.mean_m - 0.1).abs() < 2e-4, "{d:?}");
        assert!((d.max_m - 0.1).abs() < 5e-4, "{d:?}");
    }

    #[test]
    fn an_inscribed_icosahedron_sags_by_its_inradius() {
        // The face centres of an icosahedron of circumradius 1 lie at its inradius
        // φ² / √(φ² + 1) / √3 ≈ 0.794654 (closed form).
        let phi: f64 = (1.0 + 5f64.sqrt()) / 2.0;
        let inradius = phi * phi / (phi * phi + 1.0).sqrt() / 3f64.sqrt();
        let ball = shapes::icosphere(1.0, 6);
        let rough = nearest::Surface::of(&shapes::icosphere(1.0, 0));
        let d = one_way(&ball, &rough, 20_000, &Progress::new()).unwrap();
        assert!((d.max_m - (1.0 - inradius)).abs() < 1e-3, "{d:?}");
    }
}
