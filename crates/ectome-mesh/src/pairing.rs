//! Triangles two by two into quads.

use glam::Vec3;

/// A quad is good enough when no corner is further than this from a right angle, in radians: 72°. Beyond it is nearly a triangle.
const MOST_BEND: f32 = 1.25;

/// Chooses quads among candidates, each with the two triangles that it is made of: the squarest first, convex ones only, and no
/// triangle twice. Best first, a greedy choice; ties stay in the order of the candidates.
pub fn good_quads(
    place: impl Fn(u32) -> Vec3,
    candidates: impl Iterator<Item = ([u32; 4], [usize; 2])>,
    triangles: usize,
) -> Vec<([u32; 4], [usize; 2])> {
    let mut choices: Vec<(f32, [u32; 4], [usize; 2])> = candidates
        .filter_map(|(quad, two)| Some((bend(quad.map(&place))?, quad, two)))
        .filter(|c| c.0 < MOST_BEND)
        .collect();
    choices.sort_by(|x, y| x.0.total_cmp(&y.0));
    let mut taken = vec![false; triangles];
    choices.retain(|&(_, _, [i, j])| {
        let free = !taken[i] && !taken[j];
        if free {
            (taken[i], taken[j]) = (true, true);
        }
        free
    });
    choices
        .into_iter()
        .map(|(_, quad, two)| (quad, two))
        .collect()
}

/// How far the worst corner of a quad is from a right angle, in radians; `None` where it is not convex.
fn bend(p: [Vec3; 4]) -> Option<f32> {
    let sides = |k: usize| (p[(k + 1) % 4] - p[k], p[(k + 3) % 4] - p[k]);
    let turn = |k: usize| {
        let (to, from) = sides(k);
        to.cross(from)
    };
    let up: Vec3 = (0..4).map(turn).sum();
    let convex = (0..4).all(|k| turn(k).dot(up) > 1e-4 * up.length_squared());
    let off = |k: usize| {
        let (to, from) = sides(k);
        (to.angle_between(from) - std::f32::consts::FRAC_PI_2).abs()
    };
    convex.then(|| (0..4).map(off).fold(0.0, f32::max))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_squarest_goes_first_and_no_triangle_twice() {
        // Two unit squares side by side, cut by parallel diagonals: the pair over the middle line is a slanted one.
        let place = |v: u32| Vec3::new((v % 3) as f32, (v / 3) as f32, 0.0);
        let candidates = [
            ([0, 1, 4, 3], [0, 1]),
            ([0, 1, 5, 4], [0, 2]),
            ([1, 2, 5, 4], [2, 3]),
        ];
        let made = good_quads(place, candidates.into_iter(), 4);
        assert_eq!(made, [candidates[0], candidates[2]]);
        // A dart is no quad.
        let dart = |v: u32| [Vec3::ZERO, Vec3::X, Vec3::new(0.2, 0.2, 0.0), Vec3::Y][v as usize];
        assert_eq!(
            good_quads(dart, [([0, 1, 2, 3], [0, 1])].into_iter(), 2),
            []
        );
    }
}
