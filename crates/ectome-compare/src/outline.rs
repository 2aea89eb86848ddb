//! How well the outlines agree, seen from all around.
//!
//! Both meshes are drawn as filled shapes in parallel projection, from the 26 directions towards the
//! middles of the faces, edges and corners of a cube, in pictures that the source fills.

use ectome_mesh::Mesh;
use glam::{Mat3, Vec2, Vec3};
use rayon::prelude::*;

/// Width and height of the pictures, in pixels.
pub const PIXELS: usize = 512;
/// Pixels left free around the source.
const MARGIN: f32 = 4.0;

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
            let view = View::of(high, direction)?;
            Some(difference(&view.shape(high), &view.shape(low)))
        })
        .collect();
    let mean = |of: fn(&Outline) -> f64| each.iter().map(of).sum::<f64>() / each.len() as f64;
    (!each.is_empty()).then(|| Outline {
        agreement: mean(|o| o.agreement),
        mean_pixels: mean(|o| o.mean_pixels),
        worst_pixels: each.iter().map(|o| o.worst_pixels).fold(0.0, f64::max),
    })
}

/// A parallel projection onto pixels.
struct View {
    axes: Mat3,
    low: Vec2,
    scale: f32,
}

impl View {
    fn of(mesh: &Mesh, direction: Vec3) -> Option<Self> {
        let (right, up) = direction.any_orthonormal_pair();
        let axes = Mat3::from_cols(right, up, direction).transpose();
        let (mut low, mut high) = (Vec2::INFINITY, Vec2::NEG_INFINITY);
        for &p in &mesh.points {
            let q = (axes * p).truncate();
            low = low.min(q);
            high = high.max(q);
        }
        let extent = (high - low).max_element();
        (extent > 0.0 && extent.is_finite()).then(|| Self {
            axes,
            low,
            scale: (PIXELS as f32 - 2.0 * MARGIN) / extent,
        })
    }

    fn pixel(&self, p: Vec3) -> Vec2 {
        ((self.axes * p).truncate() - self.low) * self.scale + MARGIN
    }

    /// The pixels whose middles the mesh covers.
    fn shape(&self, mesh: &Mesh) -> Vec<bool> {
        let points: Vec<Vec2> = mesh.points.iter().map(|&p| self.pixel(p)).collect();
        let mut shape = vec![false; PIXELS * PIXELS];
        for f in 0..mesh.face_count() {
            fill(
                mesh.triangle_points(f).map(|p| points[p as usize]),
                &mut shape,
            );
        }
        shape
    }
}

/// Fills the pixels whose middles lie in a triangle, its sides included, whichever way it turns.
fn fill([a, b, c]: [Vec2; 3], shape: &mut [bool]) {
    let low = (a.min(b).min(c) - 0.5).ceil().max(Vec2::ZERO);
    let high = (a.max(b).max(c) - 0.5)
        .floor()
        .min(Vec2::splat(PIXELS as f32 - 1.0));
    if low.x > high.x || low.y > high.y {
        return;
    }
    let turn = (b - a).perp_dot(c - a);
    let sign = if turn < 0.0 { -1.0 } else { 1.0 };
    for y in low.y as usize..=high.y as usize {
        for x in low.x as usize..=high.x as usize {
            let q = Vec2::new(x as f32 + 0.5, y as f32 + 0.5);
            let inside = [(a, b), (b, c), (c, a)]
                .iter()
                .all(|&(s, t)| sign * (t - s).perp_dot(q - s) >= 0.0);
            if inside {
                shape[y * PIXELS + x] = true;
            }
        }
    }
}

fn difference(high: &[bool], low: &[bool]) -> Outline {
    let both = high.iter().zip(low).filter(|(h, l)| **h && **l).count();
    let either = high.iter().zip(low).filter(|(h, l)| **h || **l).count();
    let from_outline = distances(high);
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

/// Distance of every pixel from the border of a shape, by the two sweeps of P.-E. Danielsson, *Euclidean
/// Distance Mapping*, 1980, with steps of 1 and √2. Pixels of the shape beside one outside it are at 0.
fn distances(shape: &[bool]) -> Vec<f32> {
    let n = PIXELS;
    let on = |x: usize, y: usize| shape[y * n + x];
    let mut d = vec![f32::INFINITY; n * n];
    for y in 0..n {
        for x in 0..n {
            let edge = on(x, y)
                && ((x == 0 || !on(x - 1, y))
                    || (y == 0 || !on(x, y - 1))
                    || (x + 1 == n || !on(x + 1, y))
                    || (y + 1 == n || !on(x, y + 1)));
            if edge {
                d[y * n + x] = 0.0;
            }
        }
    }
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
