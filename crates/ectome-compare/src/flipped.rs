//! Faces that look against the source.

use ectome_mesh::{Mesh, measure, nearest, topology::is_degenerate};
use glam::Vec3;
use rayon::prelude::*;

/// Faces of `low` that look the other way than every part of `high` near them: the source within
/// twice the distance from the face's middle (and within a quarter of its longest edge) has no face
/// with a normal on the same side. Thin walls, and parts that stand in each other, have both sides
/// there and do not count.
pub fn faces(low: &Mesh, high: &nearest::SurfaceIndex) -> Vec<u32> {
    (0..low.face_count() as u32)
        .into_par_iter()
        .filter(|&f| is_flipped(low.triangle(f as usize), high))
        .collect()
}

/// Whether one triangle looks the other way than every part of `high` near it, as in [`faces`].
pub fn is_flipped(triangle: [Vec3; 3], high: &nearest::SurfaceIndex) -> bool {
    if is_degenerate(triangle) {
        return false;
    }
    let normal = measure::area_vector(triangle).as_vec3();
    let middle = (triangle[0] + triangle[1] + triangle[2]) / 3.0;
    let Some(nearest) = high.nearest(middle) else {
        return false;
    };
    let agrees = |face: u32| {
        measure::area_vector(high.triangle(face))
            .as_vec3()
            .dot(normal)
            > 0.0
    };
    if agrees(nearest.face) {
        return false;
    }
    let [a, b, c] = triangle;
    let longest = a.distance(b).max(b.distance(c)).max(c.distance(a));
    let radius = (2.0 * nearest.distance).max(0.25 * longest);
    let mut found = false;
    high.visit_within(middle, radius, |place| {
        found |= agrees(place.face);
        if found { 0.0 } else { radius }
    });
    !found
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;

    #[test]
    fn turned_faces_are_counted_and_others_are_not() {
        let ball = shapes::icosphere(1.0, 4);
        let high = nearest::SurfaceIndex::of(&ball);
        let mut low = shapes::icosphere(1.0, 2);
        assert_eq!(faces(&low, &high).len(), 0);
        low.corners.swap(0, 1);
        low.corners.swap(30, 31);
        assert_eq!(faces(&low, &high).len(), 2);
    }
}
