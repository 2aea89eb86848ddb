//! Copies that share their texels with the first of them.

use ectome_mesh::Mesh;
use ectome_uv::{layout::Layout, stacks};

/// Moves the islands that lie on an earlier one beyond the last sheet, so that only that one is baked, also where a copy covers a
/// texel more.
pub(super) fn lay_aside(low: &mut Mesh, sheets: u32) {
    let layout = Layout::of(low);
    let first = stacks::of(&layout);
    let mut moved = vec![false; low.vertex_count()];
    for (f, &island) in layout.island.iter().enumerate() {
        let is_copy = first.get(island as usize).is_some_and(|&i| i != island);
        if is_copy {
            low.face(f).iter().for_each(|&v| moved[v as usize] = true);
        }
    }
    if let Some(uvs) = low.uv_sets.first_mut() {
        let copies = uvs.iter_mut().zip(moved).filter(|(_, moved)| *moved);
        copies.for_each(|(uv, _)| uv.x += sheets as f32);
    }
}
