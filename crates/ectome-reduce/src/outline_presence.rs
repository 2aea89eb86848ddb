//! How often each point is on the outline, seen from all around.
//!
//! The mesh is drawn as a filled shape from directions spread evenly over one half of the sphere
//! (an outline is the same from behind). A point that falls
//! on a pixel at the edge of the shape is on the outline from there.

use ectome_mesh::{Mesh, rays, silhouette::View};
use rayon::prelude::*;

/// Directions looked from.
const DIRECTIONS: usize = 96;
/// Width and height of the pictures, in pixels.
const PIXELS: usize = 512;

/// For each point of an all-triangle mesh the number of directions from which it is on the outline, divided
/// by the mean over all points; empty when the mesh has no outline.
pub fn presence(mesh: &Mesh) -> Vec<f32> {
    let hits = rays::half_directions(DIRECTIONS)
        .par_iter()
        .fold(
            || vec![0u16; mesh.points.len()],
            |mut hits, &direction| {
                if let Some(view) = View::of(mesh, direction, PIXELS) {
                    let border = view.border(&view.shape(mesh));
                    for (hit, &p) in hits.iter_mut().zip(&mesh.points) {
                        let q = view.pixel(p).as_uvec2();
                        *hit += u16::from(border[q.y as usize * PIXELS + q.x as usize]);
                    }
                }
                hits
            },
        )
        .reduce(
            || vec![0u16; mesh.points.len()],
            |mut a, b| {
                a.iter_mut().zip(b).for_each(|(a, b)| *a += b);
                a
            },
        );
    let sum: u64 = hits.iter().map(|&h| u64::from(h)).sum();
    if sum == 0 {
        return Vec::new();
    }
    let mean = sum as f32 / hits.len() as f32;
    hits.into_iter().map(|h| f32::from(h) / mean).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;

    /// Every point of a ball is outline from some side; one inside another never is.
    #[test]
    fn the_outer_of_two_balls_is_outline_and_the_inner_is_not() {
        let (outer, inner) = (shapes::icosphere(1.0, 4), shapes::icosphere(0.8, 4));
        let presence = presence(&crate::test_meshes::joined(&[outer, inner]));
        let (outer, inner) = presence.split_at(presence.len() / 2);
        assert!(inner.iter().all(|&p| p == 0.0));
        // The mean over both is one, so over the outer alone it is two, much the same everywhere.
        let mean = outer.iter().sum::<f32>() / outer.len() as f32;
        assert!((mean - 2.0).abs() < 1e-3, "{mean}");
        let there = outer.iter().filter(|&&p| p > 0.0).count();
        assert!(10 * there > 9 * outer.len(), "{there} of {}", outer.len());
    }

    #[test]
    fn a_mesh_without_extent_has_no_outline() {
        assert!(presence(&Mesh::default()).is_empty());
    }
}
