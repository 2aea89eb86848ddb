//! How much cards grow so that the crown covers what it did.

use std::collections::HashMap;

use ectome_mesh::{Mesh, topology::face_components};
use ectome_raster::{Surfaces, seen_faces};
use glam::{IVec3, Vec3};
use rayon::prelude::*;

use crate::crown::Crown;

/// Edges grow to so many times their length at most: beyond, a leaf is as large as a crown.
const MOST: f32 = 16.0;
/// How often the span in which the right size lies is halved.
const HALVINGS: usize = 5;
/// By how much larger cards are tried until they cover enough.
const STEP: f32 = 1.4;
/// Every so many of the views are looked at: opposite ones show nearly the same outline.
const VIEWS: usize = 2;

/// Neighbours are looked for so many times as far away as a grown card reaches.
const AROUND: f32 = 3.0;
/// The middle of half a ball lies so far from its centre, of its radius: closed form.
const HALF_BALL: f32 = 0.375;
/// Of the way that would leave the outline where it was, cards go none until they are twice as large, then more, and half of it at most: moved
/// earlier, they leave the border of the crown thin, so that all have to grow more; not moved at all, a few large ones stand far out of it.
fn share_moved(size: f32) -> f32 {
    (0.25 * (size - 2.0)).clamp(0.0, 0.5)
}

/// Grows the pieces of a mesh of cards about their middles until they and the trunk cover as many samples as the crown did, and says how much.
/// At the border of the crown they move inward as they grow, so that it keeps its outline: towards the middle of the `centres` of all cards
/// around.
pub(crate) fn grow(
    cards: &mut Mesh,
    surfaces: &Surfaces<'_>,
    crown: &Crown,
    centres: &[Vec3],
) -> f32 {
    let given = cards.points.clone();
    let pieces = Pieces::of(cards);
    let wanted: u64 = crown.covered.iter().step_by(VIEWS).sum();
    let mut covers = |size: f32| {
        pieces.sized(cards, &given, size, centres);
        covered(cards, surfaces, crown) >= wanted
    };
    // Step by step from below: the larger cards are, the longer they take to draw.
    let (mut small, mut large) = (1.0f32, STEP);
    while large < MOST && !covers(large) {
        small = large;
        large *= STEP;
    }
    for _ in 0..HALVINGS {
        let size = (small * large).sqrt();
        if covers(size) {
            large = size;
        } else {
            small = size;
        }
    }
    let size = (small * large).sqrt();
    pieces.sized(cards, &given, size, centres);
    size
}

/// Samples that cards and trunk cover together, over the views that are looked at.
fn covered(cards: &Mesh, surfaces: &Surfaces<'_>, crown: &Crown) -> u64 {
    (crown.cameras.par_iter().zip(&crown.trunk))
        .step_by(VIEWS)
        .map(|(camera, trunk)| {
            let seen = seen_faces(cards, surfaces, camera);
            let both = seen.iter().zip(trunk).filter(|(s, t)| s.is_some() || **t);
            both.count() as u64
        })
        .sum()
}

/// The pieces of a mesh of cards.
struct Pieces {
    /// The piece of each point.
    of_point: Vec<u32>,
    /// The middle of each piece, and how far it reaches from there.
    balls: Vec<(Vec3, f32)>,
}

impl Pieces {
    fn of(mesh: &Mesh) -> Self {
        let (piece, count) = face_components(mesh);
        let mut sums = vec![(Vec3::ZERO, 0.0f32); count];
        let mut of_point = vec![0; mesh.points.len()];
        for (f, &p) in piece.iter().enumerate() {
            for point in mesh.triangle_points(f) {
                let sum = &mut sums[p as usize];
                *sum = (sum.0 + mesh.points[point as usize], sum.1 + 1.0);
                of_point[point as usize] = p;
            }
        }
        let mut balls: Vec<(Vec3, f32)> =
            sums.iter().map(|(s, n)| (*s / n.max(1.0), 0.0)).collect();
        for (point, &p) in of_point.iter().enumerate() {
            if let Some((middle, reach)) = balls.get_mut(p as usize) {
                *reach = reach.max(middle.distance(mesh.points[point]));
            }
        }
        Self { of_point, balls }
    }

    /// Puts the points of the mesh where they are with every piece so many times as large as given.
    fn sized(&self, mesh: &mut Mesh, given: &[Vec3], size: f32, centres: &[Vec3]) {
        let share = share_moved(size);
        let widest = self.balls.iter().map(|b| b.1).fold(0.0, f32::max);
        let grid = Grid::of(centres, (AROUND * size * widest).max(f32::MIN_POSITIVE));
        let moved: Vec<Vec3> = (self.balls.par_iter())
            .map(|&(middle, reach)| {
                let around = AROUND * size * reach;
                let inward = grid.middle(centres, middle, around) - middle;
                middle + inward * (share * (size - 1.0) / (AROUND * HALF_BALL * size))
            })
            .collect();
        for (i, (p, from)) in mesh.points.iter_mut().zip(given).enumerate() {
            let piece = self.of_point[i] as usize;
            *p = moved[piece] + (*from - self.balls[piece].0) * size;
        }
    }
}

/// Places by the cells of a grid.
struct Grid {
    cell: f32,
    cells: HashMap<IVec3, Vec<u32>>,
}

impl Grid {
    fn of(places: &[Vec3], cell: f32) -> Self {
        let mut cells: HashMap<IVec3, Vec<u32>> = HashMap::new();
        for (i, p) in places.iter().enumerate() {
            cells
                .entry((*p / cell).floor().as_ivec3())
                .or_default()
                .push(i as u32);
        }
        Self { cell, cells }
    }

    /// The middle of the places within a distance (at most a cell) of one; that one where there are none.
    fn middle(&self, places: &[Vec3], at: Vec3, within: f32) -> Vec3 {
        let own = (at / self.cell).floor().as_ivec3();
        let (mut sum, mut n) = (Vec3::ZERO, 0.0);
        for k in 0..27 {
            let cell = own + IVec3::new(k % 3 - 1, k / 3 % 3 - 1, k / 9 - 1);
            for &i in self.cells.get(&cell).into_iter().flatten() {
                let p = places[i as usize];
                if p.distance_squared(at) <= within * within {
                    sum += p;
                    n += 1.0;
                }
            }
        }
        if n > 0.0 { sum / n } else { at }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// In the middle of places spread evenly nothing moves; at their border, inward by the closed form.
    #[test]
    fn the_middle_of_half_a_ball_lies_inward() {
        let places: Vec<Vec3> = (0..40 * 40 * 40)
            .map(|i| Vec3::new((i % 40) as f32, (i / 40 % 40) as f32, (i / 1600) as f32))
            .collect();
        let grid = Grid::of(&places, 10.0);
        let at = Vec3::new(20.0, 20.0, 20.0);
        assert!(grid.middle(&places, at, 10.0).distance(at) < 1e-3);
        let at = Vec3::new(20.0, 20.0, 0.0);
        let inward = grid.middle(&places, at, 10.0) - at;
        assert!((inward.z / 10.0 - HALF_BALL).abs() < 0.04, "{inward}");
        assert!(inward.truncate().length() < 1e-3);
        let far = Vec3::splat(500.0);
        assert_eq!(grid.middle(&places, far, 10.0), far);
    }
}
