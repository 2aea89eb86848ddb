//! How far apart two surfaces are.
//!
//! One way: the distance from places spread over one surface to the nearest place on the other; the
//! largest of them is the one-sided Hausdorff distance, their mean an area integral (P. Cignoni,
//! C. Rocchini, R. Scopigno, *Metro: Measuring Error on Simplified Surfaces*, 1998).

use ectome_mesh::{Mesh, Progress, measure, nearest, sample};
use glam::Vec3;

use crate::error::CompareError;

/// Distances one way, in metres.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Deviation {
    /// Mean over the area.
    pub mean_m: f64,
    /// Largest found.
    pub max_m: f64,
    /// Where the largest stands.
    pub worst: Vec3,
    /// How the distances are spread: counts of area places in [`BINS`] steps of equal width from 0 to the largest.
    pub histogram: Vec<u32>,
    /// The largest distances that stand apart from one another, largest first.
    pub spots: Vec<Spot>,
}

/// A place that is further off than what is around it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Spot {
    /// Where, in metres.
    pub at: Vec3,
    /// How far off, in metres.
    pub distance_m: f64,
}

/// Steps of a histogram.
pub const BINS: usize = 32;
/// The most spots that are listed.
const SPOTS: usize = 8;
/// A spot is at least so far off, as a share of the largest distance.
pub const SPOT_SHARE: f32 = 0.25;
/// Places measured between two looks at whether to stop.
const AT_ONCE: usize = 65_536;
/// How far spots stand apart, as a share of the diagonal.
const APART: f32 = 0.06;

/// How the points of a surface are measured, beside the places spread over it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Points {
    /// Each to its distance.
    Each,
    /// Only those that are further off than a [`SPOT_SHARE`] of the furthest of the spread places; the others count as 0. Nothing that
    /// [`Distances::sum`] says asks for them, and there are millions.
    OnlyFar,
}

/// The distances of places of a surface to another.
pub struct Distances {
    /// The places: those spread by area, then the points.
    places: Vec<Vec3>,
    /// The face of each place that was spread by area.
    faces: Vec<u32>,
    /// A face of each point behind them.
    point_faces: Vec<u32>,
    metres: Vec<f32>,
    /// How far spots stand apart, in metres.
    apart: f32,
}

/// The distance from `from` to `to`, by `samples` places spread by area and all of `from`'s points.
/// The mean is taken over the spread places only.
///
/// # Errors
/// [`CompareError::Empty`] when a surface has no area, [`CompareError::Cancelled`].
pub fn one_way(
    from: &Mesh,
    to: &nearest::SurfaceIndex,
    samples: usize,
    progress: &Progress,
) -> Result<Deviation, CompareError> {
    Ok(Distances::of(from, to, samples, Points::OnlyFar, progress)?.sum())
}

impl Distances {
    /// Measures them.
    ///
    /// # Errors
    /// As [`one_way`].
    pub fn of(
        from: &Mesh,
        surface: &nearest::SurfaceIndex,
        samples: usize,
        points: Points,
        progress: &Progress,
    ) -> Result<Self, CompareError> {
        let spread = sample::by_area(from, samples);
        if spread.is_empty() {
            return Err(CompareError::Empty);
        }
        let mut face_of = vec![u32::MAX; from.points.len()];
        for f in 0..from.face_count() {
            for &v in from.face(f) {
                face_of[from.vertex_point[v as usize] as usize] = f as u32;
            }
        }
        let used = || (0..from.points.len()).filter(|&p| face_of[p] != u32::MAX);
        let places: Vec<Vec3> = spread
            .iter()
            .map(|s| s.point)
            .chain(used().map(|p| from.points[p]))
            .collect();
        let mut metres = Vec::with_capacity(places.len());
        let mut measure = |from: usize, to: usize, within: Option<f32>| {
            for (i, chunk) in places[from..to].chunks(AT_ONCE).enumerate() {
                progress.at((from + i * AT_ONCE) as f32 / places.len() as f32)?;
                match within {
                    Some(within) => metres.extend(surface.distance_beyond_each(chunk, within)),
                    None => {
                        let found = surface.nearest_each(chunk);
                        metres.extend(found.iter().map(|n| n.map_or(f32::NAN, |n| n.distance)));
                    }
                }
            }
            Ok::<f32, CompareError>(metres.iter().copied().fold(0.0, f32::max))
        };
        let furthest = measure(0, spread.len(), None)?;
        measure(
            spread.len(),
            places.len(),
            (points == Points::OnlyFar).then_some(SPOT_SHARE * furthest),
        )?;
        if metres.iter().any(|d| d.is_nan()) {
            return Err(CompareError::Empty);
        }
        Ok(Self {
            faces: spread.iter().map(|s| s.face).collect(),
            point_faces: used().map(|p| face_of[p]).collect(),
            places,
            metres,
            apart: measure::bounds(from).diagonal() * APART,
        })
    }

    /// Makes no distance larger than `most` says for the face of its place.
    pub fn limit(&mut self, most: impl Fn(u32) -> f32) {
        let faces = self.faces.iter().chain(&self.point_faces);
        for (d, &face) in self.metres.iter_mut().zip(faces) {
            *d = d.min(most(face));
        }
    }

    /// What they come to.
    pub fn sum(&self) -> Deviation {
        let (places, distances) = (&self.places, &self.metres);
        let spread = &distances[..self.faces.len()];
        let sum: f64 = spread.iter().map(|&d| f64::from(d)).sum();
        let (worst, &max) = distances
            .iter()
            .enumerate()
            .max_by(|a, b| a.1.total_cmp(b.1))
            .unwrap_or((0, &0.0));
        let mut histogram = vec![0; BINS];
        for d in spread {
            let at = d / max.max(f32::MIN_POSITIVE) * BINS as f32;
            histogram[(at as usize).min(BINS - 1)] += 1;
        }
        Deviation {
            mean_m: sum / spread.len() as f64,
            max_m: f64::from(max),
            worst: places[worst],
            histogram,
            spots: spots(places, distances, self.apart),
        }
    }
}

/// The largest distances of which no two stand nearer than `apart`; none below a quarter of the largest.
fn spots(places: &[Vec3], distances: &[f32], apart: f32) -> Vec<Spot> {
    let largest = distances.iter().copied().fold(0.0, f32::max);
    let mut order: Vec<usize> = (0..places.len())
        .filter(|&i| distances[i] > SPOT_SHARE * largest)
        .collect();
    order.sort_unstable_by(|&a, &b| distances[b].total_cmp(&distances[a]).then(a.cmp(&b)));
    let mut list: Vec<Spot> = Vec::new();
    for i in order {
        if list.len() == SPOTS {
            break;
        }
        if list.iter().all(|s| s.at.distance(places[i]) > apart) {
            list.push(Spot {
                at: places[i],
                distance_m: f64::from(distances[i]),
            });
        }
    }
    list
}

/// The distance of each point of `from` to `to`, in metres.
pub fn at_points(from: &Mesh, to: &nearest::SurfaceIndex) -> Vec<f32> {
    let found = to.nearest_each(&from.points);
    found
        .iter()
        .map(|n| n.map_or(0.0, |n| n.distance))
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;

    #[test]
    fn concentric_spheres_are_their_difference_in_radius_apart() {
        let outer = shapes::icosphere(1.1, 6);
        let inner = nearest::SurfaceIndex::of(&shapes::icosphere(1.0, 6));
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
        let rough = nearest::SurfaceIndex::of(&shapes::icosphere(1.0, 0));
        let d = one_way(&ball, &rough, 20_000, &Progress::new()).unwrap();
        assert!((d.max_m - (1.0 - inradius)).abs() < 1e-3, "{d:?}");
    }

    /// A ball with two dents: both are listed, the deeper first, and most of the area is not off at all.
    #[test]
    fn dents_are_listed_as_spots() {
        let ball = shapes::icosphere(1.0, 6);
        let mut dented = ball.clone();
        for p in &mut dented.points {
            for (at, depth) in [(Vec3::X, 0.1), (Vec3::Y, 0.06)] {
                let near = (1.0 - p.distance(at) / 0.2).max(0.0);
                *p -= at * depth * near;
            }
        }
        let d = one_way(
            &ball,
            &nearest::SurfaceIndex::of(&dented),
            20_000,
            &Progress::new(),
        )
        .unwrap();
        assert_eq!(d.spots.len(), 2, "{:?}", d.spots);
        assert!(d.spots[0].at.distance(Vec3::X) < 0.05);
        assert!(d.spots[1].at.distance(Vec3::Y) < 0.05);
        assert_eq!(d.histogram.iter().sum::<u32>(), 20_000);
        assert!(d.histogram[0] > 18_000);
        let field = at_points(&ball, &nearest::SurfaceIndex::of(&ball));
        assert!(field.iter().all(|&v| v < 1e-6));
    }

    /// Closed form: a chord of a circle of radius 1 over an angle θ sags by 1 − cos(θ/2). On a fine lathe of few
    /// columns the sides sag so and the source is never further off.
    #[test]
    fn a_prism_in_a_cylinder_sags_by_the_sagitta() {
        let tube = shapes::torus(10.0, 1.0, 400, 256);
        let rough = shapes::torus(10.0, 1.0, 400, 8);
        let d = one_way(
            &tube,
            &nearest::SurfaceIndex::of(&rough),
            20_000,
            &Progress::new(),
        )
        .unwrap();
        let sagitta = 1.0 - (std::f64::consts::PI / 8.0).cos();
        assert!(
            (d.max_m - sagitta).abs() < 2e-3,
            "{} for {sagitta}",
            d.max_m
        );
    }
}
