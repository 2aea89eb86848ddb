//! Which cards stay.
//!
//! Cards are taken at equal steps along what is seen of them, in an order that follows a curve through the crown (G. M. Morton, 1966), so that
//! those that stay are spread over it as what is seen is, and what nobody sees goes first.

use glam::Vec3;

use crate::cards::Card;

/// The cards that stay within so many triangles, by their numbers, in order. At least one does.
pub(crate) fn chosen(cards: &[Card], seen: &[u32], room: usize) -> Vec<usize> {
    let triangles = |list: &[usize]| list.iter().map(|&c| cards[c].faces.len()).sum::<usize>();
    let all: Vec<usize> = (0..cards.len()).collect();
    if triangles(&all) <= room {
        return all;
    }
    let mut along: Vec<usize> = all.iter().copied().filter(|&c| seen[c] > 0).collect();
    if along.is_empty() {
        along = all;
    }
    if triangles(&along) > room {
        let order = order(cards, &along);
        // The most steps whose cards have room: halving works since more steps take more cards.
        let (mut fits, mut fails) = (1, along.len() + 1);
        while fails - fits > 1 {
            let steps = fits + (fails - fits) / 2;
            if triangles(&at_steps(&order, seen, steps)) <= room {
                fits = steps;
            } else {
                fails = steps;
            }
        }
        along = at_steps(&order, seen, fits);
    }
    along.sort_unstable();
    along
}

/// The cards at the middles of so many equal steps along what is seen of them; one that is met twice counts once.
fn at_steps(order: &[usize], seen: &[u32], steps: usize) -> Vec<usize> {
    let weight = |c: usize| u64::from(seen[c].max(1));
    let whole: u64 = order.iter().map(|&c| weight(c)).sum();
    let mut list = Vec::with_capacity(steps);
    let (mut sum, mut step) = (0, 0);
    for &c in order {
        sum += weight(c);
        let middle = |step: usize| (2 * step as u64 + 1) * whole / (2 * steps as u64);
        if step < steps && sum > middle(step) {
            list.push(c);
            while step < steps && sum > middle(step) {
                step += 1;
            }
        }
    }
    list
}

/// Cards in the order in which a curve through the crown meets their middles.
fn order(cards: &[Card], some: &[usize]) -> Vec<usize> {
    let (low, high) = some
        .iter()
        .fold((Vec3::INFINITY, Vec3::NEG_INFINITY), |(low, high), &c| {
            (low.min(cards[c].centre), high.max(cards[c].centre))
        });
    let size = (high - low).max(Vec3::splat(f32::MIN_POSITIVE));
    let code = |c: usize| {
        let at = ((cards[c].centre - low) / size * 1023.0).as_uvec3();
        spread(at.x) | spread(at.y) << 1 | spread(at.z) << 2
    };
    let mut list = some.to_vec();
    list.sort_by_key(|&c| (code(c), c));
    list
}

/// The ten lowest bits, two places apart.
fn spread(v: u32) -> u32 {
    (0..10).map(|bit| (v >> bit & 1) << (3 * bit)).sum()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn cards(n: usize) -> Vec<Card> {
        (0..n)
            .map(|i| Card {
                faces: vec![2 * i as u32, 2 * i as u32 + 1],
                centre: Vec3::new(i as f32, (i * 7 % 13) as f32, (i * 3 % 5) as f32),
            })
            .collect()
    }

    proptest! {
        /// Never over the room (but for the one that always stays), in order, none twice, and nothing that nobody sees while others have room.
        #[test]
        fn what_stays_has_room(seen in proptest::collection::vec(0u32..50, 1..200), room in 2usize..300) {
            let list = chosen(&cards(seen.len()), &seen, room);
            prop_assert!(!list.is_empty() && 2 * list.len() <= room.max(2));
            prop_assert!(list.windows(2).all(|w| w[0] < w[1]));
            let all_fit = 2 * seen.len() <= room;
            if !all_fit && seen.iter().any(|s| *s > 0) {
                prop_assert!(list.iter().all(|&c| seen[c] > 0));
            }
        }
    }
}
