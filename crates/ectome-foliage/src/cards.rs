//! Which pieces of a mesh are cards.

use ectome_mesh::{Mesh, topology::face_components};
use ectome_texture::Material;
use glam::{Vec2, Vec3};

/// A piece of more triangles is no card.
pub const MOST_TRIANGLES: usize = 16;

/// A card.
#[derive(Clone, Debug, PartialEq)]
pub struct Card {
    /// Its faces, in order.
    pub faces: Vec<u32>,
    /// The middle of its points.
    pub centre: Vec3,
}

/// The cards of a mesh of triangles, in the order of their first faces: loose pieces of at most [`MOST_TRIANGLES`], all of one material whose
/// opacity counts and comes from a picture, which shows on several of them at the same place. Panes that each have their own stretch of a
/// picture are none.
pub fn of(mesh: &Mesh, materials: &[Material]) -> Vec<Card> {
    let leafy = |m: Option<u32>| {
        let material = materials.get(m? as usize)?;
        let slot = material.base_texture.filter(|_| material.alpha.counts())?;
        (slot.uv_set < mesh.uv_sets.len()).then_some((m?, slot.uv_set))
    };
    if !mesh.runs.iter().any(|r| leafy(r.material).is_some()) {
        return Vec::new();
    }
    let (piece, count) = face_components(mesh);
    let mut faces: Vec<Vec<u32>> = vec![Vec::new(); count];
    let mut fits = vec![true; count];
    let mut material = vec![None; count];
    for run in &mesh.runs {
        let own = leafy(run.material);
        for f in run.faces.clone() {
            let p = piece[f as usize] as usize;
            let known = *material[p].get_or_insert(own);
            if own.is_none() || known != own || faces[p].len() == MOST_TRIANGLES {
                fits[p] = false;
                faces[p].clear();
            }
            if fits[p] {
                faces[p].push(f);
            }
        }
    }
    let found = (0..count).filter(|&p| fits[p] && !faces[p].is_empty());
    let found: Vec<(usize, (u32, usize))> = found
        .filter_map(|p| Some((p, material[p].flatten()?)))
        .collect();
    let middles: Vec<(u32, Vec2)> = (found.iter())
        .map(|&(p, (material, set))| (material, middle_of_uvs(mesh, &faces[p], set)))
        .collect();
    let share = sharing(&middles);
    (found.iter().zip(share))
        .filter(|(_, shares)| *shares)
        .map(|(&(p, _), _)| {
            let own = std::mem::take(&mut faces[p]);
            Card {
                centre: centre(mesh, &own),
                faces: own,
            }
        })
        .collect()
}

fn centre(mesh: &Mesh, faces: &[u32]) -> Vec3 {
    let sum: Vec3 = faces.iter().flat_map(|&f| mesh.triangle(f as usize)).sum();
    sum / (3 * faces.len()) as f32
}

/// The middle of a piece on its picture; pictures repeat.
fn middle_of_uvs(mesh: &Mesh, faces: &[u32], set: usize) -> Vec2 {
    let uvs = &mesh.uv_sets[set];
    let at = |f: &u32| mesh.face(*f as usize).iter().map(|&v| uvs[v as usize]);
    let sum: Vec2 = faces.iter().flat_map(at).sum();
    let middle = sum / (3 * faces.len()) as f32;
    middle - middle.floor()
}

/// Cells along each side of a picture in which middles count as one.
const CELLS: f32 = 64.0;

/// Which of some middles lie where another of the same material does.
fn sharing(middles: &[(u32, Vec2)]) -> Vec<bool> {
    let cell = |&(material, uv): &(u32, Vec2)| {
        let at = (uv * CELLS).floor().as_ivec2();
        (material, at.x, at.y)
    };
    let mut sorted: Vec<_> = middles.iter().map(cell).collect();
    sorted.sort_unstable();
    middles
        .iter()
        .map(|m| {
            let key = cell(m);
            let first = sorted.partition_point(|k| *k < key);
            sorted.get(first + 1) == Some(&key)
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::examples;

    #[test]
    fn a_crown_is_all_cards_and_its_trunk_is_none() {
        let (tree, materials, _) = examples::tree(300);
        let cards = of(&tree, &materials);
        assert_eq!(cards.len(), 300);
        assert!(cards.iter().all(|c| c.faces.len() == 2));
        let mut opaque = materials.clone();
        opaque
            .iter_mut()
            .for_each(|m| m.alpha = ectome_texture::Alpha::Opaque);
        assert!(of(&tree, &opaque).is_empty());
    }

    /// Panes each show a stretch of their own.
    #[test]
    fn panes_are_no_cards() {
        let (mut crown, materials, _) = examples::crown(50);
        for card in 0..50 {
            for v in &mut crown.uv_sets[0][4 * card..4 * card + 4] {
                *v = *v / 8.0 + Vec2::new((card % 8) as f32, (card / 8) as f32) / 8.0;
            }
        }
        assert!(of(&crown, &materials).is_empty());
    }
}
