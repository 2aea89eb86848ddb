//! Which texels of a picture the triangles of a surface use.

use glam::Vec2;
use rayon::prelude::*;

/// How far outside a side, in texels, the middle of one may lie that counts: its own half, and the neighbour that smoothing reads.
const ROOM: f32 = 1.5;

/// Rows that one thread marks at a time: a sixteenth of a picture, but not so few that going through the triangles costs more than marking.
const SHARES: usize = 16;
const LEAST_ROWS: usize = 64;

/// Marks the texels that triangles touch, and those beside them. `mask` holds a row of `width` after the other; corners are in texels,
/// from the corner of the first. The same on any number of threads.
///
/// # Panics
/// Where `mask` holds less than `width` × `height`, or either is 0.
pub fn mark_used(mask: &mut [bool], [width, height]: [usize; 2], triangles: &[[Vec2; 3]]) {
    let rows = height.div_ceil(SHARES).max(LEAST_ROWS);
    mask[..width * height]
        .par_chunks_mut(width * rows)
        .enumerate()
        .for_each(|(band, mask)| {
            let from = band * rows;
            for &corners in triangles {
                mark(mask, [width, height], from, corners);
            }
        });
}

/// Marks what a triangle touches of the rows of a band that begins at row `from`.
fn mark(band: &mut [bool], [width, height]: [usize; 2], from: usize, [a, b, c]: [Vec2; 3]) {
    let (low, high) = (a.min(b).min(c), a.max(b).max(c));
    let clamp = |v: f32, most: usize| (v.max(0.0) as usize).min(most - 1);
    let to = from + band.len() / width - 1;
    let (y0, y1) = (clamp(low.y - 1.0, height), clamp(high.y + 1.0, height));
    let (y0, y1) = (y0.max(from), y1.min(to));
    if y0 > y1 {
        return;
    }
    let (x0, x1) = (clamp(low.x - 1.0, width), clamp(high.x + 1.0, width));
    let turn = (b - a).perp_dot(c - a).signum();
    // Each side with the least that a place inside may have beside it.
    let sides = [(a, b), (b, c), (c, a)].map(|(from, to)| {
        let side = to - from;
        (from, side, -ROOM * side.length())
    });
    for y in y0..=y1 {
        let row = &mut band[(y - from) * width + x0..=(y - from) * width + x1];
        for (x, used) in row.iter_mut().enumerate() {
            let at = Vec2::new((x0 + x) as f32 + 0.5, y as f32 + 0.5);
            let beside =
                |(from, side, least): (Vec2, Vec2, f32)| side.perp_dot(at - from) * turn < least;
            *used |= !(beside(sides[0]) | beside(sides[1]) | beside(sides[2]));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Hand-counted: half a square of 8 texels, whichever way it turns, with the texels within one and a half of its long side.
    #[test]
    fn a_triangle_marks_its_texels_and_those_beside_them() {
        let corners = [
            Vec2::new(2.0, 2.0),
            Vec2::new(10.0, 2.0),
            Vec2::new(2.0, 10.0),
        ];
        let [a, b, c] = corners;
        let marked = |corners| {
            let mut mask = vec![false; 16 * 16];
            mark_used(&mut mask, [16, 16], &[corners]);
            mask
        };
        let mask = marked([a, b, c]);
        assert_eq!(mask, marked([a, c, b]));
        let is_used = |x: usize, y: usize| mask[16 * y + x];
        // Inside, a row beside, two rows away.
        assert!(is_used(3, 3) && is_used(5, 1) && !is_used(5, 0));
        // Across the long side x + y = 12: middles up to 1.5 beyond it, which is 2.1 along both axes.
        assert!(is_used(6, 6) && !is_used(8, 6));
        // What lies outside the picture is let go.
        let away = marked(corners.map(|p| p - 40.0));
        assert!(!away.contains(&true));
    }

    /// Bands of rows come together to what one band of all rows gives.
    #[test]
    fn bands_change_nothing() {
        let (width, height) = (40, 40 * LEAST_ROWS);
        let at = |i: usize, k: usize| {
            let v = (i * 37 + k * 61) % 97;
            Vec2::new(v as f32 * 0.4, (v * (i + 1)) as f32 % height as f32)
        };
        let triangles: Vec<[Vec2; 3]> = (0..60).map(|i| [0, 1, 2].map(|k| at(i, k))).collect();
        let mut banded = vec![false; width * height];
        let mut whole = banded.clone();
        mark_used(&mut banded, [width, height], &triangles);
        for &corners in &triangles {
            mark(&mut whole, [width, height], 0, corners);
        }
        assert!(banded == whole && whole.contains(&true) && whole.contains(&false));
    }
}
