//! What each card adds to what is seen from all around.

use ectome_mesh::{Mesh, edit};
use ectome_raster::{Camera, Surfaces, seen_faces};
use glam::Vec3;
use rayon::prelude::*;

use crate::cards::Card;

/// Edge of the pictures, in pixels.
const EDGE: usize = 128;

/// A crown as it is seen.
pub(crate) struct Crown {
    /// From where.
    pub cameras: Vec<Camera>,
    /// Samples that show each card, over all views.
    pub seen: Vec<u32>,
    /// Samples that show what is no card.
    rest: u64,
    /// Samples of each view that what is no card covers.
    pub trunk: Vec<Vec<bool>>,
    /// Samples of each view that are covered at all.
    pub covered: Vec<u64>,
}

/// Towards the middles of the faces, edges and corners of a cube.
fn directions() -> impl Iterator<Item = Vec3> {
    (0..27).filter(|&i| i != 13).map(|i: i32| {
        let step = |n: i32| (n % 3 - 1) as f32;
        Vec3::new(step(i), step(i / 3), step(i / 9)).normalize()
    })
}

impl Crown {
    pub fn of(mesh: &Mesh, surfaces: &Surfaces<'_>, cards: &[Card], is_card: &[bool]) -> Self {
        let camera = |eye| Camera::from_direction(mesh, eye, EDGE, EDGE);
        let cameras: Vec<Camera> = directions().map(camera).collect();
        let mut card_of = vec![u32::MAX; mesh.face_count()];
        for (c, card) in cards.iter().enumerate() {
            for &f in &card.faces {
                card_of[f as usize] = c as u32;
            }
        }
        let trunk = edit::kept(mesh, |f| !is_card[f]);
        let views: Vec<(Vec<u32>, Vec<bool>)> = (cameras.par_iter())
            .map(|camera| {
                let seen = seen_faces(mesh, surfaces, camera);
                let trunk = seen_faces(&trunk, surfaces, camera);
                (
                    seen.into_iter().flatten().collect(),
                    trunk.iter().map(Option::is_some).collect(),
                )
            })
            .collect();
        let mut seen = vec![0; cards.len()];
        let mut rest = 0;
        for f in views.iter().flat_map(|(faces, _)| faces) {
            match seen.get_mut(card_of[*f as usize] as usize) {
                Some(n) => *n += 1,
                None => rest += 1,
            }
        }
        Self {
            cameras,
            seen,
            rest,
            covered: views.iter().map(|v| v.0.len() as u64).collect(),
            trunk: views.into_iter().map(|v| v.1).collect(),
        }
    }

    /// How much of what is seen is no card, 0 to 1.
    pub fn share_of_rest(&self) -> f64 {
        self.rest as f64 / self.covered.iter().sum::<u64>().max(1) as f64
    }
}
