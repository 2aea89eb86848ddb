//! A heavy source thinned for looking at.

use std::collections::HashMap;

use ectome_formats::Scene;
use ectome_mesh::{edit, measure};
use foldhash::fast::FixedState;

/// The most triangles that a stage is given as they are.
pub const HEAVY: usize = 3_000_000;

/// A copy of a scene of triangles for the stage, `None` when the scene is light enough itself: points in one cell of a grid
/// become one (J. Rossignac, P. Borrel, *Multi-resolution 3D Approximations for Rendering Complex Scenes*, 1993). It is
/// made in seconds and shown only; nothing is cut from it.
pub fn thinned(scene: &Scene) -> Option<Scene> {
    let mesh = &scene.mesh;
    if mesh.triangle_count() <= HEAVY {
        return None;
    }
    // Two triangles to a cell of surface, half of what the stage takes.
    let cell = (measure::area(mesh) / (HEAVY as f64 / 4.0)).sqrt() as f32;
    Some(thinned_within(scene, cell))
}

/// The same in cells of a size, in metres.
pub fn thinned_within(scene: &Scene, cell: f32) -> Scene {
    let mesh = &scene.mesh;
    let bounds = measure::bounds(mesh);
    let cell = cell.max(bounds.diagonal() / 100_000.0);
    let key = |p: u32| {
        let at = (mesh.points[p as usize] - bounds.min) / cell;
        at.to_array().map(|v| v as u32)
    };
    let mut first: HashMap<(u32, [u32; 3]), u32, FixedState> = HashMap::default();
    let run = mesh.run_of_faces();
    let out = edit::rebuilt(mesh, |f, face, sink| {
        let kept: Vec<u32> = face
            .iter()
            .map(|&v| {
                let place = (run[f], key(mesh.vertex_point[v as usize]));
                *first.entry(place).or_insert(v)
            })
            .collect();
        if kept[0] != kept[1] && kept[1] != kept[2] && kept[2] != kept[0] {
            sink.push(&kept);
        }
    });
    let mut out = out;
    out.drop_unused();
    Scene {
        mesh: out,
        library: scene.library.clone(),
        copyright: scene.copyright.clone(),
        ..Scene::default()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;

    #[test]
    fn a_heavy_ball_is_thinned_and_a_light_one_is_not() {
        let ball = |level| Scene::from(shapes::icosphere(1.0, level));
        assert!(thinned(&ball(5)).is_none());
        let heavy = ball(9);
        assert!(heavy.mesh.triangle_count() > HEAVY);
        let shown = thinned(&heavy).unwrap();
        let n = shown.mesh.triangle_count();
        assert!((HEAVY / 20..HEAVY).contains(&n), "{n}");
        shown.mesh.check().unwrap();
        assert!((measure::area(&shown.mesh) / measure::area(&heavy.mesh) - 1.0).abs() < 0.05);
    }
}
