//! How far the shading normals have turned.

use ectome_mesh::{Mesh, measure, measure::barycentric, nearest::Surface, sample};
use glam::Vec3;
use rayon::prelude::*;

/// Places looked at.
const PLACES: usize = 40_000;

/// The mean angle between the normal of `low` and the normal of the nearest place of `high`, over places spread by
/// area, in degrees. Meshes without normals are smooth.
pub fn mean_degrees(high: &Mesh, surface: &Surface, low: &Mesh) -> f64 {
    let (high_normals, low_normals) = (shading(high), shading(low));
    let places = sample::by_area(low, PLACES);
    let queries: Vec<Vec3> = places.iter().map(|s| s.point).collect();
    let angles: Vec<f64> = (places.par_iter().zip(surface.nearest_each(&queries)))
        .filter_map(|(s, place)| {
            let here = at(low, &low_normals, s.face, s.point)?;
            let place = place?;
            let there = at(high, &high_normals, place.face, place.point)?;
            Some(f64::from(
                here.dot(there).clamp(-1.0, 1.0).acos().to_degrees(),
            ))
        })
        .collect();
    angles.iter().sum::<f64>() / angles.len().max(1) as f64
}

fn shading(mesh: &Mesh) -> Vec<Vec3> {
    match mesh.normals.is_empty() {
        true => measure::smooth_normals(mesh),
        false => mesh.normals.clone(),
    }
}

fn at(mesh: &Mesh, normals: &[Vec3], face: u32, place: Vec3) -> Option<Vec3> {
    let weights = barycentric(place, mesh.triangle(face as usize))?;
    let corners = mesh.face(face as usize);
    let sum: Vec3 = corners
        .iter()
        .zip(weights)
        .map(|(&v, w)| normals[v as usize] * w as f32)
        .sum();
    sum.try_normalize()
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;

    #[test]
    fn a_turned_box_is_off_by_its_turn() {
        let still = shapes::cuboid(Vec3::new(4.0, 4.0, 2.0));
        let turn = glam::Quat::from_rotation_y(0.02);
        let mut turned = still.clone();
        turned.points.iter_mut().for_each(|p| *p = turn * *p);
        turned.normals.iter_mut().for_each(|n| *n = turn * *n);
        let d = mean_degrees(&still, &Surface::of(&still), &turned);
        // But for places that come to lie beyond an edge.
        assert!((d / 0.02f64.to_degrees() - 1.0).abs() < 0.6, "{d}");
        assert!(mean_degrees(&still, &Surface::of(&still), &still) < 0.01);
    }
}
