//! Why a cut could not be made.

use ectome_mesh::Cancelled;
use thiserror::Error;

use crate::log::Holding;

/// Why a cut could not be made.
#[derive(Debug, Error)]
pub enum CutError {
    /// The mesh has faces with more than three corners.
    #[error("the mesh has faces with more than three corners: triangulate it first")]
    NotTriangulated,
    /// Topology stops the cut above the target.
    #[error(
        "{target} triangles cannot be met: at {reached} nothing can go any more{}", held_in_words(.held)
    )]
    Held {
        /// Triangles asked for.
        target: usize,
        /// Triangles at which nothing could go any more.
        reached: usize,
        /// What holds them.
        held: Vec<Holding>,
    },
    /// The work was stopped.
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
}

fn held_in_words(held: &[Holding]) -> String {
    let mut by: Vec<(&str, u32)> = Vec::new();
    for h in held {
        match by.iter_mut().find(|(name, _)| *name == h.by) {
            Some((_, n)) => *n += h.triangles,
            None => by.push((&h.by, h.triangles)),
        }
    }
    by.sort_by_key(|&(_, n)| std::cmp::Reverse(n));
    let list: Vec<String> = by
        .iter()
        .map(|(name, n)| format!("{n} triangles are held by {name}"))
        .collect();
    if list.is_empty() {
        String::new()
    } else {
        format!(": {}", list.join(", "))
    }
}
