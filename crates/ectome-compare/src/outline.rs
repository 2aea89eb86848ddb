//! How well the outlines agree, seen from all around.
//!
//! Both meshes are drawn as filled shapes in parallel projection, from the 26 directions towards the
//! middles of the faces, edges and corners of a cube, in pictures that the source fills.

use ectome_mesh::{Mesh, silhouette::View};
use glam::Vec3;
use rayon::prelude::*;

/// Width and height of the pictures, in pixels.
pub const PIXELS: usize = 512;

/// How outlines differ over all directions.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Outline {
    /// Area both cover over the area either covers, the mean over the directions (0–1).
    pub agreement: f64,
    /// Mean distance between the outlines, in pixels of [`PIXELS`]: the area that only one covers, per
    /// length of the source's outline.
    pub mean_pixels: f64,
    /// The furthest that a pixel only one covers is from the source's outline, in pixels.
    pub worst_pixels: f64,
}

/// The 26 directions.
pub fn directions() -> impl Iterator<Item = Vec3> {
    (0..27).filter(|&i| i != 13).map(|i| {
        let step = |n: i32| (n % 3 - 1) as f32;
        Vec3::new(step(i), step(i / 3), step(i / 9)).normalize()
    })
}

/// Compares the outlines of two all-triangle meshes; `None` when the source has no extent.
pub fn compare(high: &Mesh, low: &Mesh) -> Option<Outline> {
    let views: Vec<Vec3> = directions().collect();
    let each: Vec<Outline> = views
        .par_iter()
        .filter_map(|&direction| {
            let view = View::of(high, direction, PIXELS)?;
            let shape = view.shape(high);
            Some(difference(&shape, &view.shape(low), &view.border(&shape)))
        })
        .collect();
    let mean = |of: fn(&Outline) -> f64| each.iter().map(of).sum::<f64>() / each.len() as f64;
    (!each.is_empty()).then(|| Outline {
        agreement: mean(|o| o.agreement),
        mean_pixels: mean(|o| o.mean_pixels),
        worst_pixels: each.iter().map(|o| o.worst_pixels).fold(0.0, f64::max),
    })
}

fn difference(high: &[bool], low: &[bool], border: &[bool]) -> Outline {
    let both = high.iter().zip(low).filter(|(h, l)| **h && **l).count();
    let either = high.iter().zip(low).filter(|(h, l)| **h || **l).count();
    let from_outline = distances(border);
    let length = from_outline.iter().filter(|&&d| d == 0.0).count();
    let worst = high
        .iter()
        .zip(low)
        .zip(&from_outline)
        .filter(|((h, l), _)| h != l)
        .map(|(_, &d)| d)
        .fold(0.0, f32::max);
    Outline {
        agreement: both as f64 / either.max(1) as f64,
        mean_pixels: (either - both) as f64 / length.max(1) as f64,
        worst_pixels: f64::from(worst),
    }
}

/// Distance of every pixel from the border of a shape (which is at 0), by the two sweeps of P.-E. Danielsson, *Euclidean
/// Distance Mapping*, 1980, with steps of 1 and √2.
fn distances(border: &[bool]) -> Vec<f32> {
    let n = PIXELS;
    let mut d: Vec<f32> = border
        .iter()
        .map(|&b| if b { 0.0 } else { f32::INFINITY })
        .collect();
    const DIAGONAL: f32 = std::f32::consts::SQRT_2;
    let mut relax = |x: usize, y: usize, sign: isize| {
        let mut best = d[y * n + x];
        for (dx, dy, step) in [
            (-1, 0, 1.0),
            (0, -1, 1.0),
            (-1, -1, DIAGONAL),
            (1, -1, DIAGONAL),
        ] {
            let (qx, qy) = (x as isize + sign * dx, y as isize + sign * dy);
            if (0..n as isize).contains(&qx) && (0..n as isize).contains(&qy) {
                best = best.min(d[qy as usize * n + qx as usize] + step);
            }
        }
        d[y * n + x] = best;
    };
    for y in 0..n {
        (0..n).for_each(|x| relax(x, y, 1));
        (0..n).rev().for_each(|x| relax(x, y, 1));
    }
    for y in (0..n).rev() {
        (0..n).rev().for_each(|x| relax(x, y, -1));
        (0..n).for_each(|x| relax(x, y, -1));
    }
    d
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;

    #[test]
    fn directions_are_26_and_all_different() {
        let all: Vec<Vec3> = directions().collect();
        assert_eq!(all.len(), 26);
        for (i, a) in all.iter().enumerate() {
            assert!((a.length() - 1.0).abs() < 1e-6);
            assert!(all[..i].iter().all(|b| a.distance(*b) > 0.3));
        }
    }

    #[test]
    fn a_mesh_agrees_with_itself() {
        let ball = shapes::icosphere(1.0, 4);
        let o = compare(&ball, &ball).unwrap();
        assert_eq!(
            (o.agreement, o.mean_pixels, o.worst_pixels),
            (1.0, 0.0, 0.0)
        );
    }

    /// Closed form: a disc of radius r inside one of radius R covers (r/R)² of it, and their outlines
    /// are R − r apart.
    #[test]
    fn a_smaller_ball_differs_by_the_closed_form() {
        let (big, small) = (shapes::icosphere(1.0, 6), shapes::icosphere(0.9, 6));
        let o = compare(&big, &small).unwrap();
        assert!((o.agreement - 0.81).abs() < 2e-3, "{o:?}");
        let apart = 0.1 * (PIXELS as f64 - 8.0) / 2.0;
        assert!((o.worst_pixels - apart).abs() < 2.5, "{o:?}");
        // The area between them over the outline's length, counted in pixels of a staircase: a circle
        // crosses 4√2 R of them instead of 2πR.
        let ring = std::f64::consts::PI * (1.0 - 0.81) * (apart * 10.0).powi(2);
        let length = 4.0 * std::f64::consts::SQRT_2 * apart * 10.0;
        assert!(
            (o.mean_pixels / (ring / length) - 1.0).abs() < 0.05,
            "{o:?}"
        );
    }
}
