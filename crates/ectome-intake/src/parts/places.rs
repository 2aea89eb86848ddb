//! Points by where they are.

use glam::DVec3;

use super::shape::mixed;

/// Points in the cells of a grid that is kept as a table of hashes. Flat arrays: thousands of parts have one each.
pub(super) struct Places<'a> {
    points: &'a [DVec3],
    /// Side of a cell, in metres.
    side: f64,
    /// Where the points of each slot of the table begin in `order`, and the end of the last.
    slots: Vec<u32>,
    order: Vec<u32>,
}

/// Side of a cell in distances within which is mostly asked: mostly one cell is looked into, and few points stand in it.
const CELL: f64 = 8.0;

impl<'a> Places<'a> {
    /// `near` is about how near will be asked for, in metres.
    pub fn of(points: &'a [DVec3], near: f64) -> Self {
        let mut places = Self {
            points,
            side: CELL * near.max(f64::MIN_POSITIVE),
            slots: vec![0; points.len().next_power_of_two() + 1],
            order: vec![0; points.len()],
        };
        let slot_of: Vec<u32> = points
            .iter()
            .map(|&p| places.slot((p / places.side).floor().as_i64vec3().to_array()) as u32)
            .collect();
        // Counted, summed, and filled from the back, so that each slot ends at its beginning.
        slot_of
            .iter()
            .for_each(|&s| places.slots[s as usize + 1] += 1);
        for s in 1..places.slots.len() {
            places.slots[s] += places.slots[s - 1];
        }
        let mut next = places.slots.clone();
        for (i, &s) in slot_of.iter().enumerate() {
            places.order[next[s as usize] as usize] = i as u32;
            next[s as usize] += 1;
        }
        places
    }

    fn slot(&self, [x, y, z]: [i64; 3]) -> usize {
        let hash = mixed(x as u64 ^ mixed(y as u64 ^ mixed(z as u64)));
        (hash as usize) & (self.slots.len() - 2)
    }

    /// The point nearest to a place, if it is within `near`.
    pub fn at(&self, place: DVec3, near: f64) -> Option<u32> {
        let cell = |p: DVec3| (p / self.side).floor().as_i64vec3();
        let (low, high) = (cell(place - near), cell(place + near));
        let mut best: Option<(f64, u32)> = None;
        for x in low.x..=high.x {
            for y in low.y..=high.y {
                for z in low.z..=high.z {
                    let slot = self.slot([x, y, z]);
                    let here = self.slots[slot] as usize..self.slots[slot + 1] as usize;
                    for &i in &self.order[here] {
                        let d = self.points[i as usize].distance(place);
                        if d <= near && best.is_none_or(|b| (d, i) < b) {
                            best = Some((d, i));
                        }
                    }
                }
            }
        }
        best.map(|(_, i)| i)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn the_nearest_within_reach_is_found(
            points in prop::collection::vec((-9f64..9.0, -9f64..9.0, -9f64..9.0), 1..60),
            at in (-9f64..9.0, -9f64..9.0, -9f64..9.0),
            near in 0.01f64..6.0,
            share in 0.2f64..5.0,
        ) {
            let points: Vec<DVec3> = points.into_iter().map(DVec3::from).collect();
            let at = DVec3::from(at);
            let all = points.iter().enumerate().map(|(i, p)| (p.distance(at), i as u32));
            let nearest = all.min_by(|a, b| a.partial_cmp(b).unwrap()).filter(|n| n.0 <= near);
            prop_assert_eq!(Places::of(&points, near * share).at(at, near), nearest.map(|n| n.1));
        }
    }
}
