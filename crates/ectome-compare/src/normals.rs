//! How far the shading normals have turned.

use ectome_mesh::{Mesh, measure::barycentric, nearest::SurfaceIndex, normals, sample};
use glam::Vec3;
use rayon::prelude::*;

/// Places looked at.
const PLACES: usize = 40_000;

/// The mean angle between the normal of `low` and the normal of the nearest place of `high`, over places spread by
/// area, in degrees. Where a mesh has no normals, they are made (see [`ectome_mesh::normals`]).
/// `high_normals` are those of `high` by [`normals::at_corners`].
pub fn mean_degrees(high: &Mesh, high_normals: &[Vec3], surface: &SurfaceIndex, low: &Mesh) -> f64 {
    let low_normals = normals::at_corners(low);
    let places = sample::by_area(low, PLACES);
    let queries: Vec<Vec3> = places.iter().map(|s| s.point).collect();
    let angles: Vec<f64> = (places.par_iter().zip(surface.nearest_each(&queries)))
        .filter_map(|(s, place)| {
            let here = at(low, &low_normals, s.face, s.point)?;
            let place = place?;
            let there = at(high, high_normals, place.face, place.point)?;
            Some(f64::from(
                here.dot(there).clamp(-1.0, 1.0).acos().to_degrees(),
            ))
        })
        .collect();
    angles.iter().sum::<f64>() / angles.len().max(1) as f64
}

fn at(mesh: &Mesh, normals: &[Vec3], face: u32, place: Vec3) -> Option<Vec3> {
    let weights = barycentric(place, mesh.triangle(face as usize))?;
    let corners = &normals[3 * face as usize..3 * face as usize + 3];
    let sum: Vec3 = corners
        .iter()
        .zip(weights)
        .map(|(n, w)| *n * w as f32)
        .sum();
    sum.try_normalize()
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{MeshBuilder, Primitive, shapes};

    /// A turned square is off by its turn everywhere; a box is not off from itself, edges and all.
    #[test]
    fn what_is_turned_is_off_by_its_turn() {
        let square = |turn: f32| {
            let corners = [(-1.0, -1.0), (-1.0, 1.0), (1.0, 1.0), (1.0, -1.0)];
            let turn = glam::Quat::from_rotation_x(turn);
            let mut builder = MeshBuilder::new();
            builder.primitive(Primitive {
                positions: corners.map(|(x, z)| turn * Vec3::new(x, 0.0, z)).to_vec(),
                corners: vec![0, 1, 2, 0, 2, 3],
                ..Primitive::default()
            });
            builder.finish()
        };
        let still = square(0.0);
        let mean = |high: &Mesh, low: &Mesh| {
            mean_degrees(
                high,
                &normals::at_corners(high),
                &SurfaceIndex::of(high),
                low,
            )
        };
        let d = mean(&still, &square(0.02));
        assert!((d / 0.02f64.to_degrees() - 1.0).abs() < 0.01, "{d}");
        let cube = shapes::cuboid(Vec3::new(4.0, 4.0, 2.0));
        assert!(mean(&cube, &cube) < 0.01);
    }
}
