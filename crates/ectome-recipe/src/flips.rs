//! Faces that look against their source, put right after the fit.

use ectome_compare::Judge;
use ectome_mesh::{Mesh, topology::is_degenerate};
use ectome_reduce::Cut;
use glam::Vec3;

/// Faces that look against the source after the fit get their points back.
pub(crate) fn undo_flips(judge: &Judge, cut: &mut Cut, plain: &[Vec3]) {
    for _ in 0..8 {
        let flipped = judge.flipped(&cut.mesh);
        let mut any = false;
        for f in flipped {
            for p in cut.mesh.triangle_points(f as usize) {
                let (now, before) = (&mut cut.mesh.points[p as usize], plain[p as usize]);
                any |= *now != before;
                *now = before;
            }
        }
        if !any {
            return;
        }
    }
}

/// Faces that look against the source from the cut itself: one of their points goes between its neighbours, onto
/// the source, where that leaves fewer such faces. Only without guards, which no point may be moved against.
pub(crate) fn settle_flips(judge: &Judge, mesh: &mut Mesh) {
    for f in judge.flipped(mesh) {
        for p in mesh.triangle_points(f as usize) {
            let around: Vec<usize> = (0..mesh.face_count())
                .filter(|&g| mesh.triangle_points(g).contains(&p))
                .collect();
            let neighbours = around.iter().flat_map(|&g| mesh.triangle_points(g));
            let (sum, n) = neighbours
                .filter(|&q| q != p)
                .fold((Vec3::ZERO, 0.0f32), |(sum, n), q| {
                    (sum + mesh.points[q as usize], n + 1.0)
                });
            let Some(place) = judge.surface().nearest(sum / n) else {
                continue;
            };
            let flips = |mesh: &Mesh| {
                let triangles = around.iter().map(|&g| mesh.triangle(g));
                triangles.filter(|t| judge.is_flipped(*t)).count()
            };
            let were = flips(mesh);
            let before = std::mem::replace(&mut mesh.points[p as usize], place.point);
            let sound = around.iter().all(|&g| !is_degenerate(mesh.triangle(g)));
            if sound && flips(mesh) < were {
                break;
            }
            mesh.points[p as usize] = before;
        }
    }
}
