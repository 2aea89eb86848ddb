//! Sums over all directions within a cone, among many.
//!
//! Where a file brings thousands of faces around one point, each of them asking every other would take time that grows with the square of
//! their number. Directions lie in a tree here, halved along the widest axis; a branch whose cap lies within the cone adds its sum at once.

use glam::Vec3;

/// Directions of a leaf, which are asked one by one.
const LEAF: usize = 16;

/// How far rounding may move the border of a cone, in radians: what lies nearer to it is asked itself.
const HAIR: f32 = 1e-3;

/// Directions with weights, ready to be asked for cones of one width.
pub struct ConeSums {
    /// Directions of length 1, leaf after leaf.
    directions: Vec<Vec3>,
    /// What each adds.
    adds: Vec<Vec3>,
    branches: Vec<Branch>,
    /// Cosine of half the cone's width.
    within: f32,
}

struct Branch {
    /// The middle of its directions; zero where they have none.
    middle: Vec3,
    /// How far they are from it at most, in radians.
    reach: f32,
    sum: Vec3,
    /// Its directions.
    begin: u32,
    end: u32,
    /// The branch that follows when this one and all that hangs on it are done.
    behind: u32,
}

impl ConeSums {
    /// Takes directions of length 1 and what each adds; cones reach to directions whose product with their axis is more than `within`.
    pub fn new(list: impl Iterator<Item = (Vec3, Vec3)>, within: f32) -> Self {
        let mut list: Vec<(Vec3, Vec3)> = list.collect();
        let mut branches = Vec::new();
        branch(&mut list, 0, &mut branches);
        let (directions, adds) = list.into_iter().unzip();
        Self {
            directions,
            adds,
            branches,
            within,
        }
    }

    /// The sum of what lies within the cone around an axis of length 1.
    pub fn around(&self, axis: Vec3) -> Vec3 {
        let half = self.within.clamp(-1.0, 1.0).acos();
        let mut sum = Vec3::ZERO;
        let mut next = 0;
        // Branches stand in the order in which they are met: a branch that is done is stepped over.
        while let Some(b) = self.branches.get(next) {
            let away = axis.dot(b.middle).clamp(-1.0, 1.0).acos();
            let known = b.middle != Vec3::ZERO;
            let (begin, end) = (b.begin as usize, b.end as usize);
            if known && away + b.reach < half - HAIR {
                sum += b.sum;
            } else if known && away - b.reach > half + HAIR {
                // Nothing of it is near.
            } else if end - begin <= LEAF {
                let pairs = self.directions[begin..end]
                    .iter()
                    .zip(&self.adds[begin..end]);
                let near = pairs.filter(|(d, _)| d.dot(axis) > self.within);
                sum += near.map(|(_, add)| *add).sum::<Vec3>();
            } else {
                next += 1;
                continue;
            }
            next = b.behind as usize;
        }
        sum
    }
}

/// Adds the branch of a list that stands at `begin` of all, and what hangs on it.
fn branch(list: &mut [(Vec3, Vec3)], begin: u32, branches: &mut Vec<Branch>) {
    let at = branches.len();
    let middle = list
        .iter()
        .map(|(d, _)| *d)
        .sum::<Vec3>()
        .normalize_or_zero();
    let farthest = list.iter().map(|(d, _)| d.dot(middle)).fold(1.0, f32::min);
    branches.push(Branch {
        middle,
        reach: farthest.clamp(-1.0, 1.0).acos(),
        sum: list.iter().map(|(_, add)| *add).sum(),
        begin,
        end: begin + list.len() as u32,
        behind: at as u32 + 1,
    });
    if list.len() <= LEAF {
        return;
    }
    let low = list.iter().fold(Vec3::INFINITY, |l, (d, _)| l.min(*d));
    let high = list.iter().fold(Vec3::NEG_INFINITY, |h, (d, _)| h.max(*d));
    let axis = (high - low).max_position();
    let half = list.len() / 2;
    list.select_nth_unstable_by(half, |a, b| a.0[axis].total_cmp(&b.0[axis]));
    let (first, second) = list.split_at_mut(half);
    branch(first, begin, branches);
    branch(second, begin + half as u32, branches);
    branches[at].behind = branches.len() as u32;
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn direction() -> impl Strategy<Value = Vec3> {
        let along = -1.0..1.0_f32;
        [along.clone(), along.clone(), along]
            .prop_filter_map("no length", |v| Vec3::from_array(v).try_normalize())
    }

    proptest! {
        /// Against all of them asked one by one. Whole numbers add up alike in any order.
        #[test]
        fn sums_are_those_of_all_within(
            list in prop::collection::vec((direction(), 1..5_i8, 1..40_usize), 0..40),
            axes in prop::collection::vec(direction(), 1..20),
            within in -0.9..0.99_f32,
        ) {
            let many = list
                .iter()
                .flat_map(|&(d, add, times)| std::iter::repeat_n((d, Vec3::splat(f32::from(add))), times));
            let sums = ConeSums::new(many.clone(), within);
            for axis in axes {
                let near = many.clone().filter(|(d, _)| d.dot(axis) > within);
                prop_assert_eq!(sums.around(axis), near.map(|(_, add)| add).sum::<Vec3>());
            }
        }
    }
}
