//! Which cells of a grid a triangle covers, row by row.
//!
//! A cell is covered when its middle lies in the triangle. Two triangles that share a side both touch the middles that lie exactly
//! on it, so a caller says what it needs: [`Sides::Shared`] gives such a middle to one of the two (so that areas add up, as the
//! top-left rule of graphics hardware does), [`Sides::Whole`] to both (so that nothing is left out).

use std::ops::Range;

use glam::DVec2;

/// Whether a middle that lies exactly on a side is covered.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Sides {
    /// By one of the two triangles that share the side.
    Shared,
    /// By every triangle that has the side.
    Whole,
}

/// Where the horizontal line at height `y` enters and leaves a triangle, whichever way the triangle turns; `None` where they do
/// not meet. The same side gives the same figure in both triangles that share it.
pub fn span(triangle: &[DVec2; 3], y: f64, sides: Sides) -> Option<(f64, f64)> {
    let (mut enters, mut leaves) = (f64::INFINITY, f64::NEG_INFINITY);
    let mut meet = |x: f64| {
        enters = enters.min(x);
        leaves = leaves.max(x);
    };
    for k in 0..3 {
        let (a, b) = (triangle[k], triangle[(k + 1) % 3]);
        let (a, b) = if (a.y, a.x) <= (b.y, b.x) {
            (a, b)
        } else {
            (b, a)
        };
        let met = match sides {
            Sides::Shared => (a.y <= y) != (b.y <= y),
            Sides::Whole => a.y <= y && y <= b.y,
        };
        if met && a.y == b.y {
            [a.x, b.x].into_iter().for_each(&mut meet);
        } else if met {
            meet(a.x + (y - a.y) / (b.y - a.y) * (b.x - a.x));
        }
    }
    (enters <= leaves).then_some((enters, leaves))
}

/// Calls `row` with each row of a grid of `width` × `height` cells of side 1 that a triangle covers, and the columns it covers
/// there. A triangle without area, or with a corner that is not finite, covers nothing.
pub fn rows(
    triangle: [DVec2; 3],
    [width, height]: [usize; 2],
    sides: Sides,
    mut row: impl FnMut(usize, Range<usize>),
) {
    let [a, b, c] = triangle;
    let area = (b - a).perp_dot(c - a);
    if area == 0.0 || !area.is_finite() {
        return;
    }
    // Middles lie at halves: the first at or after a place, and the number of those before it.
    let first = |v: f64, most: usize| (v - 0.5).ceil().clamp(0.0, most as f64) as usize;
    let last = |v: f64, most: usize| ((v - 0.5).floor() + 1.0).clamp(0.0, most as f64) as usize;
    let (low, high) = (a.y.min(b.y).min(c.y), a.y.max(b.y).max(c.y));
    for y in first(low, height)..last(high, height) {
        if let Some((enters, leaves)) = span(&triangle, y as f64 + 0.5, sides) {
            let end = match sides {
                Sides::Shared => first(leaves, width),
                Sides::Whole => last(leaves, width),
            };
            let start = first(enters, width);
            if start < end {
                row(y, start..end);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn counts(triangles: &[[DVec2; 3]], size: [usize; 2], sides: Sides) -> Vec<u32> {
        let mut counts = vec![0; size[0] * size[1]];
        for &t in triangles {
            rows(t, size, sides, |y, columns| {
                columns.for_each(|x| counts[y * size[0] + x] += 1);
            });
        }
        counts
    }

    fn square(x: f64, y: f64, side: f64) -> [[DVec2; 3]; 2] {
        let at = |i: f64, j: f64| DVec2::new(x + side * i, y + side * j);
        // The second turns the other way.
        [
            [at(0., 0.), at(0., 1.), at(1., 1.)],
            [at(0., 0.), at(0.0, 0.0) + DVec2::X * side, at(1., 1.)],
        ]
    }

    /// A square of 16 cells has 256 of them, and its corners are where they should be.
    #[test]
    fn a_square_on_the_grid_is_covered_once() {
        let counts = counts(&square(16.0, 32.0, 16.0), [64, 64], Sides::Shared);
        assert_eq!(counts.iter().sum::<u32>(), 256);
        assert!(counts.iter().all(|&n| n <= 1));
        let at = |x: usize, y: usize| counts[y * 64 + x];
        assert_eq!(
            (at(16, 32), at(15, 32), at(31, 47), at(32, 47)),
            (1, 0, 1, 0)
        );
    }

    /// Middles on the diagonal and on the sides: once when shared, in both triangles when whole.
    #[test]
    fn middles_on_sides_go_where_the_caller_says() {
        let half = square(0.5, 0.5, 2.0);
        let shared = counts(&half, [4, 4], Sides::Shared);
        assert_eq!(shared.iter().sum::<u32>(), 4);
        let whole = counts(&half, [4, 4], Sides::Whole);
        assert_eq!(whole.iter().filter(|&&n| n > 0).count(), 9);
        assert_eq!(whole.iter().filter(|&&n| n == 2).count(), 3);
    }

    #[test]
    fn nothing_is_covered_without_area_or_beyond_the_grid() {
        let flat = [DVec2::ZERO, DVec2::ONE, DVec2::splat(3.0)];
        let off = [
            DVec2::splat(-9.0),
            DVec2::new(-5.0, -9.0),
            DVec2::new(-9.0, -5.0),
        ];
        let bad = [DVec2::ZERO, DVec2::new(f64::NAN, 1.0), DVec2::splat(3.0)];
        for t in [flat, off, bad] {
            rows(t, [4, 4], Sides::Whole, |y, x| {
                panic!("{t:?} covers {x:?} of row {y}")
            });
        }
    }

    proptest! {
        /// Against the definition: a middle is inside when it lies on the inner side of all three sides.
        #[test]
        fn rows_are_the_middles_inside(p in prop::array::uniform3((-4.0..36.0f64, -4.0..36.0f64))) {
            let [a, b, c] = p.map(|(x, y)| DVec2::new(x, y));
            let turn = (b - a).perp_dot(c - a).signum();
            let counts = counts(&[[a, b, c]], [32, 32], Sides::Whole);
            for y in 0..32 {
                for x in 0..32 {
                    let at = DVec2::new(x as f64 + 0.5, y as f64 + 0.5);
                    let depth = [(a, b), (b, c), (c, a)]
                        .map(|(s, t)| turn * (t - s).normalize_or_zero().perp_dot(at - s))
                        .into_iter()
                        .fold(f64::INFINITY, f64::min);
                    // Within rounding of a side either answer will do.
                    if depth.abs() > 1e-9 {
                        prop_assert_eq!(counts[y * 32 + x] == 1, depth > 0.0, "({}, {})", x, y);
                    }
                }
            }
        }
    }
}
