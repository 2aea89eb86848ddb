//! Leaf cards: small pieces by the thousand that share a picture of leaves.
//!
//! A crown of cards cannot be simplified edge by edge: each card is as simple as it can be. It is pruned: some cards go, and those that
//! stay grow until the crown covers as much as before (R. L. Cook, J. Halstead, M. Planck, D. Ryu, *Stochastic Simplification of Aggregate
//! Detail*, 2007). UVs and picture stay.
//!
//! ```
//! use ectome_foliage::{Foliage, examples};
//!
//! let (crown, materials, textures) = examples::crown(200);
//! let surfaces = ectome_raster::Surfaces { materials: &materials, textures: &textures, either_side: &[] };
//! let foliage = Foliage::of(&crown, &surfaces, 24).unwrap();
//! let pruned = foliage.pruned(&crown, &surfaces, 100);
//! assert!(pruned.mesh.triangle_count() <= 100);
//! assert!(pruned.grown > 1.0);
//! ```
//!
//! | module | what it holds |
//! |---|---|
//! | [`cards`] | which pieces are cards |
//! | `crown` | what each card adds to what is seen from all around |
//! | `choice` | which cards stay |
//! | `growth` | how much they grow |
//! | [`examples`] | crowns of cards, for tests and benchmarks |

pub mod cards;
mod choice;
mod crown;
pub mod examples;
mod growth;

use std::sync::OnceLock;

use ectome_mesh::{Mesh, edit};
use ectome_raster::Surfaces;
use glam::Vec3;

use cards::Card;
use crown::Crown;

/// The cards of a mesh, and what is seen of them.
pub struct Foliage {
    cards: Vec<Card>,
    /// Made when somebody asks for it.
    crown: OnceLock<Crown>,
    is_card: Vec<bool>,
}

/// Cards that stayed.
#[derive(Clone, Debug)]
pub struct Pruned {
    /// They alone, grown.
    pub mesh: Mesh,
    /// How many there are.
    pub kept: usize,
    /// How many there were.
    pub of: usize,
    /// Their edges are so many times as long.
    pub grown: f32,
}

impl Foliage {
    /// Finds the cards of a mesh of triangles; `None` where there are fewer than `least`.
    pub fn of(mesh: &Mesh, surfaces: &Surfaces<'_>, least: usize) -> Option<Self> {
        let cards = cards::of(mesh, surfaces.materials);
        if cards.len() < least.max(1) {
            return None;
        }
        let mut is_card = vec![false; mesh.face_count()];
        for f in cards.iter().flat_map(|c| &c.faces) {
            is_card[*f as usize] = true;
        }
        Some(Self {
            crown: OnceLock::new(),
            cards,
            is_card,
        })
    }

    /// How many cards there are.
    pub fn count(&self) -> usize {
        self.cards.len()
    }

    /// Triangles of all cards.
    pub fn triangles(&self) -> usize {
        self.is_card.iter().filter(|c| **c).count()
    }

    /// The mesh without its cards.
    pub fn rest(&self, mesh: &Mesh) -> Mesh {
        edit::kept(mesh, |f| !self.is_card[f])
    }

    /// The cards alone.
    pub fn alone(&self, mesh: &Mesh) -> Mesh {
        edit::kept(mesh, |f| self.is_card[f])
    }

    /// How much of what is seen of the mesh that they were found in is no card, 0 to 1.
    pub fn share_of_rest(&self, mesh: &Mesh, surfaces: &Surfaces<'_>) -> f64 {
        self.crown(mesh, surfaces).share_of_rest()
    }

    fn crown(&self, mesh: &Mesh, surfaces: &Surfaces<'_>) -> &Crown {
        self.crown
            .get_or_init(|| Crown::of(mesh, surfaces, &self.cards, &self.is_card))
    }

    /// As many cards as have room in so many triangles, grown until the crown covers what it did.
    pub fn pruned(&self, mesh: &Mesh, surfaces: &Surfaces<'_>, room: usize) -> Pruned {
        let crown = self.crown(mesh, surfaces);
        let chosen = choice::chosen(&self.cards, &crown.seen, room);
        let mut stays = vec![false; mesh.face_count()];
        for f in chosen.iter().flat_map(|&c| &self.cards[c].faces) {
            stays[*f as usize] = true;
        }
        let mut own = edit::kept(mesh, |f| stays[f]);
        let grown = if chosen.len() == self.cards.len() {
            1.0
        } else {
            let centres: Vec<Vec3> = self.cards.iter().map(|c| c.centre).collect();
            growth::grow(&mut own, surfaces, crown, &centres)
        };
        Pruned {
            mesh: own,
            kept: chosen.len(),
            of: self.cards.len(),
            grown,
        }
    }
}
