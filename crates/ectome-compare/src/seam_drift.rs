//! How far the ends of UV islands have moved in the UV square.

use ectome_mesh::{Mesh, islands, nearest::SurfaceIndex};
use glam::{Vec2, Vec3};

/// Places looked at on each side.
const PLACES: usize = 20_000;

/// Distances in units of the UV square.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct SeamDrift {
    /// Mean over the length of the outlines, both ways.
    pub mean: f64,
    /// The largest found.
    pub max: f64,
}

/// The outlines of the islands of a mesh.
pub struct Outlines {
    places: Vec<Vec3>,
    surface: SurfaceIndex,
}

impl Outlines {
    /// Of the first UV set.
    pub fn of(mesh: &Mesh) -> Self {
        let list = islands::outlines(mesh);
        Self {
            places: spread(&list),
            surface: SurfaceIndex::of(&stretches(&list)),
        }
    }

    /// The distance of each place on these outlines to others.
    fn distances(&self, to: &Self) -> Vec<f64> {
        let found = to.surface.nearest_each(&self.places);
        let found = found.into_iter().flatten();
        found.map(|p| f64::from(p.distance)).collect()
    }
}

/// The distance from each place on the outlines of one mesh's islands to the nearest of the other's, both
/// ways; `None` when one has none.
pub fn drift(high: &Outlines, low: &Outlines) -> Option<SeamDrift> {
    if high.places.is_empty() || low.places.is_empty() {
        return None;
    }
    let there = high.distances(low);
    let back = low.distances(high);
    let mean = |d: &[f64]| d.iter().sum::<f64>() / d.len().max(1) as f64;
    Some(SeamDrift {
        mean: (mean(&there) + mean(&back)) / 2.0,
        max: there.into_iter().chain(back).fold(0.0, f64::max),
    })
}

/// Stretches as triangles without width.
fn stretches(list: &[[Vec2; 2]]) -> Mesh {
    let points: Vec<Vec3> = list
        .iter()
        .flat_map(|[a, b]| [a.extend(0.0), b.extend(0.0)])
        .collect();
    Mesh {
        vertex_point: (0..points.len() as u32).collect(),
        corners: (0..list.len() as u32)
            .flat_map(|i| [2 * i, 2 * i + 1, 2 * i + 1])
            .collect(),
        points,
        ..Mesh::default()
    }
}

/// Places spread evenly along stretches.
fn spread(list: &[[Vec2; 2]]) -> Vec<Vec3> {
    let length: f32 = list.iter().map(|[a, b]| a.distance(*b)).sum();
    let step = (length / PLACES as f32).max(f32::MIN_POSITIVE);
    let mut out = Vec::with_capacity(PLACES + list.len());
    for [a, b] in list {
        let n = (a.distance(*b) / step).ceil().max(1.0);
        out.extend((0..n as usize).map(|i| a.lerp(*b, i as f32 / n).extend(0.0)));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{MeshBuilder, Primitive};
    use glam::Affine3A;

    fn square(grow: f32) -> Mesh {
        let positions = vec![Vec3::ZERO, Vec3::X, Vec3::X + Vec3::Y, Vec3::Y];
        let mut builder = MeshBuilder::new();
        builder
            .part("square", Affine3A::IDENTITY)
            .primitive(Primitive {
                uv_sets: vec![
                    positions
                        .iter()
                        .map(|p| (p.truncate() - 0.5) * (0.5 + grow) + 0.5)
                        .collect(),
                ],
                positions,
                corners: vec![0, 1, 2, 0, 2, 3],
                ..Primitive::default()
            });
        builder.finish()
    }

    /// Closed form: sides 0.01 further out; the corners are √2 times as far.
    #[test]
    fn a_grown_island_has_moved_by_what_it_grew() {
        let drift = |high: &Mesh, low: &Mesh| drift(&Outlines::of(high), &Outlines::of(low));
        let d = drift(&square(0.0), &square(0.02)).unwrap();
        assert!((d.mean - 0.01).abs() < 2e-4, "{d:?}");
        assert!((d.max - 0.01 * 2f64.sqrt()).abs() < 1e-5, "{d:?}");
        assert!(drift(&square(0.0), &square(0.0)).unwrap().max < 1e-7);
    }
}
