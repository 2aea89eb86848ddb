//! Leaf cards set aside: they are pruned where other surfaces are cut, and keep their UVs and pictures where others get new ones.

use std::sync::OnceLock;

use ectome_foliage::Foliage;
use ectome_formats::Scene;
use ectome_mesh::{Mesh, together::together};
use serde::{Deserialize, Serialize};

use crate::maps::Looks;

/// So many cards that share a picture are foliage; fewer are cut as everything else is.
pub(crate) const LEAST: usize = 8;
/// The least and the most of a budget that goes to what is no card, as a share.
const REST: [f64; 2] = [0.1, 0.9];

/// What became of leaf cards in a cut.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct CardsReport {
    /// Cards before.
    pub before: usize,
    /// Cards that stayed.
    pub after: usize,
    /// Their edges are so many times as long.
    pub grown: f32,
}

/// The cards of a scene of triangles, and the scene without them.
pub(crate) struct Leaves {
    foliage: Foliage,
    looks: Looks,
    /// The share of a budget that is for what is no card, once it is known.
    share: OnceLock<f64>,
    /// The scene without them.
    pub rest: Scene,
}

impl Leaves {
    /// `None` where there are none to speak of.
    pub fn of(scene: &Scene) -> Option<Self> {
        let looks = Looks::of_cards(scene)?;
        let foliage = Foliage::of(&scene.mesh, &looks.surfaces(&[]), LEAST)?;
        Some(Self {
            rest: Scene {
                mesh: foliage.rest(&scene.mesh),
                library: scene.library.clone(),
                copyright: scene.copyright.clone(),
                copies: scene.copies.clone(),
                notes: scene.notes.clone(),
            },
            foliage,
            looks,
            share: OnceLock::new(),
        })
    }

    /// The share of a budget that is for what is no card: more than is seen of it, by the root, since a crown of few cards still covers
    /// what it did while a trunk of few triangles loses its outline.
    fn share_of_rest(&self, scene: &Mesh) -> f64 {
        *self.share.get_or_init(|| {
            let seen = self.foliage.share_of_rest(scene, &self.looks.surfaces(&[]));
            seen.sqrt().clamp(REST[0], REST[1])
        })
    }

    /// Of so many triangles, those that are for what is no card, with what the cards do not need.
    pub fn for_rest(&self, scene: &Mesh, target: usize) -> usize {
        let own = (target as f64 * self.share_of_rest(scene)).round() as usize;
        let left = target.saturating_sub(self.foliage.triangles());
        own.max(left).min(self.rest.mesh.triangle_count())
    }

    /// How many triangles in all it takes until so many are for what is no card.
    pub fn for_all(&self, scene: &Mesh, rest: u32) -> u32 {
        let by_share = f64::from(rest) / self.share_of_rest(scene);
        let with_all = f64::from(rest) + self.foliage.triangles() as f64;
        by_share.min(with_all) as u32
    }

    /// What a cut of the rest is together with as many cards of the scene as have room.
    pub fn with(&self, scene: &Mesh, rest: &Mesh, target: usize) -> (Mesh, CardsReport) {
        let room = target.saturating_sub(rest.triangle_count());
        let pruned = self.foliage.pruned(scene, &self.looks.surfaces(&[]), room);
        let report = CardsReport {
            before: pruned.of,
            after: pruned.kept,
            grown: pruned.grown,
        };
        (together(rest, &pruned.mesh), report)
    }

    /// How many there are.
    pub fn count(&self) -> usize {
        self.foliage.count()
    }

    /// Puts the cards of the scene that they were found in beside what was made of its rest, in the materials that they had.
    pub fn put_back(&self, scene: &Scene, mut made: Scene) -> Scene {
        let mut cards = self.foliage.alone(&scene.mesh);
        if made.library != scene.library {
            let mut used = vec![false; scene.library.materials.len()];
            for run in cards.runs.iter().filter(|r| !r.faces.is_empty()) {
                if let Some(slot) = run.material.and_then(|m| used.get_mut(m as usize)) {
                    *slot = true;
                }
            }
            let (own, place) = scene.library.pruned(&used);
            let among = made.library.take(own);
            for run in &mut cards.runs {
                let kept = run.material.and_then(|m| place.get(m as usize));
                run.material = kept.and_then(|m| among.get(*m as usize)).copied();
            }
        }
        made.mesh = together(&made.mesh, &cards);
        made
    }
}

/// The leaf cards of a scene beside which something is left; `None` where it has none, or is not made of triangles.
pub(crate) fn beside_others(scene: &Scene) -> Option<Leaves> {
    let leaves = scene.mesh.is_triangulated().then(|| Leaves::of(scene))??;
    (leaves.rest.mesh.face_count() > 0).then_some(leaves)
}
