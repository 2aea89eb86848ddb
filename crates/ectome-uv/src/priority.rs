//! How many texels an island is worth: as many as it is seen.

use ectome_mesh::Mesh;

use crate::{face_graph::FaceGraph, measure::Island, seam_cost};

/// The steps that suggestions are made in.
const STEPS: [f64; 4] = [0.25, 0.5, 0.75, 1.0];

/// A factor for the texel density of each island. How much of the time a face can be seen is taken as the share of
/// directions it is open to, those from below the horizon counted a third: common practice, no published source. Length on a
/// texture goes with the root of what an area deserves.
pub fn suggested(mesh: &Mesh, surface: &FaceGraph, islands: &[Island]) -> Vec<f64> {
    let open = seam_cost::openness(mesh, surface);
    let seen: Vec<f64> = islands
        .iter()
        .map(|island| {
            let (sum, area) = island.faces.iter().fold((0.0, 0.0), |(s, a), &f| {
                let up = surface.normal[f as usize].y;
                let below = if up < -0.5 { 1.0 / 3.0 } else { 1.0 };
                let area = surface.area[f as usize];
                (s + area * f64::from(open[f as usize]) * below, a + area)
            });
            if area > 0.0 { sum / area } else { 0.0 }
        })
        .collect();
    let most = seen.iter().copied().fold(1e-9, f64::max);
    let nearest = |v: f64| {
        STEPS
            .into_iter()
            .min_by(|a, b| (a - v).abs().total_cmp(&(b - v).abs()))
            .unwrap_or(1.0)
    };
    seen.iter().map(|s| nearest((s / most).sqrt())).collect()
}
