//! How well the outlines agree, seen from all around.
//!
//! Both meshes are drawn as filled shapes in parallel projection, from the 26 directions towards the
//! middles of the faces, edges and corners of a cube, in pictures that the two of them fill. Parallel projection is what
//! a viewer sees from far; lengths on the pictures are lengths in metres across the line of sight, so one comparison
//! answers for any distance and screen.

use ectome_mesh::{Mesh, silhouette::View};
use glam::Vec3;
use rayon::prelude::*;

/// Width and height of the pictures, in pixels.
pub const PIXELS: usize = 1024;

/// How outlines differ seen from one direction.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Difference {
    /// The direction of sight, of length 1.
    pub direction: Vec3,
    /// Area both cover over the area either covers (0–1).
    pub agreement: f64,
    /// Mean distance between the outlines, in metres: the area that only one covers, per length of the source's
    /// outline.
    pub mean_m: f64,
    /// The furthest that one filled shape reaches beyond the other, in metres.
    pub worst_m: f64,
    /// Metres that a pixel of the picture covers.
    pub pixel_m: f64,
}

/// How outlines differ over all directions.
#[derive(Clone, Debug, PartialEq)]
pub struct Outline {
    /// One for each direction.
    pub views: Vec<Difference>,
}

impl Outline {
    fn mean(&self, of: impl Fn(&Difference) -> f64) -> f64 {
        self.views.iter().map(of).sum::<f64>() / self.views.len() as f64
    }

    /// Area both cover over the area either covers, the mean over the directions (0–1).
    pub fn agreement(&self) -> f64 {
        self.mean(|v| v.agreement)
    }

    /// Mean distance between the outlines over all directions, in pixels of pictures of `pixels` × `pixels`.
    pub fn mean_pixels(&self, pixels: f64) -> f64 {
        self.mean(|v| v.mean_m / v.pixel_m) * pixels / PIXELS as f64
    }

    /// The furthest that one outline leaves the other, in pixels of pictures of `pixels` × `pixels`.
    pub fn worst_pixels(&self, pixels: f64) -> f64 {
        let worst = self.views.iter().map(|v| v.worst_m / v.pixel_m);
        worst.fold(0.0, f64::max) * pixels / PIXELS as f64
    }

    /// The same where in every view something of a size in metres is missing besides.
    pub fn at_least(mut self, size_m: f64) -> Self {
        for view in &mut self.views {
            view.worst_m = view.worst_m.max(size_m);
        }
        self
    }

    /// The view in which the outlines differ most.
    pub fn worst(&self) -> Option<&Difference> {
        self.views
            .iter()
            .max_by(|a, b| a.worst_m.total_cmp(&b.worst_m))
    }
}

/// The 26 directions.
pub fn directions() -> impl Iterator<Item = Vec3> {
    (0..27).filter(|&i| i != 13).map(|i| {
        let step = |n: i32| (n % 3 - 1) as f32;
        Vec3::new(step(i), step(i / 3), step(i / 9)).normalize()
    })
}

/// The outlines of a source, drawn once for any number of cuts.
pub struct Shapes {
    views: Vec<Shape>,
}

/// One of them.
struct Shape {
    direction: Vec3,
    view: View,
    covered: Vec<bool>,
    /// Pixels along its border.
    border: usize,
}

impl Shape {
    fn of(mesh: &Mesh, direction: Vec3, view: View) -> Self {
        let covered = view.shape(mesh);
        Self {
            border: view.border(&covered).iter().filter(|&&b| b).count(),
            direction,
            view,
            covered,
        }
    }

    /// Whether a mesh stays inside the picture.
    fn holds(&self, mesh: &Mesh) -> bool {
        let inside = |v: f32| (0.0..=PIXELS as f32).contains(&v);
        let pixels = mesh.points.iter().map(|&p| self.view.pixel(p));
        pixels.into_iter().all(|q| inside(q.x) && inside(q.y))
    }

    fn beside(&self, low: &Mesh) -> Difference {
        let (both, either, worst) = difference(&self.covered, &self.view.shape(low));
        let pixel_m = f64::from(self.view.pixel_m());
        Difference {
            direction: self.direction,
            agreement: both as f64 / either.max(1) as f64,
            mean_m: (either - both) as f64 / self.border.max(1) as f64 * pixel_m,
            worst_m: worst * pixel_m,
            pixel_m,
        }
    }
}

impl Shapes {
    /// Of an all-triangle mesh, from one half of the directions.
    pub fn of(high: &Mesh) -> Self {
        let directions: Vec<Vec3> = directions().collect();
        // From behind, a parallel projection shows the mirrored shape: 13 pictures answer for 26 directions.
        let half = directions.len() / 2;
        let views = directions[..half].par_iter().filter_map(|&direction| {
            let view = View::upright(&[high], direction, PIXELS)?;
            Some(Shape::of(high, direction, view))
        });
        Self {
            views: views.collect(),
        }
    }

    /// Compares them with those of a cut of `high`, whose they are; `None` when it has no extent.
    pub fn compare(&self, high: &Mesh, low: &Mesh) -> Option<Outline> {
        let ahead: Vec<Difference> = self
            .views
            .par_iter()
            .filter_map(|shape| {
                if shape.holds(low) {
                    return Some(shape.beside(low));
                }
                // What reaches further than its source needs a larger picture.
                let view = View::upright(&[high, low], shape.direction, PIXELS)?;
                Some(Shape::of(high, shape.direction, view).beside(low))
            })
            .collect();
        let behind = ahead.iter().rev().map(|v| Difference {
            direction: -v.direction,
            ..*v
        });
        let views: Vec<Difference> = ahead.iter().copied().chain(behind).collect();
        (!views.is_empty()).then_some(Outline { views })
    }
}

/// Compares the outlines of two all-triangle meshes; `None` when the source has no extent.
pub fn compare(high: &Mesh, low: &Mesh) -> Option<Outline> {
    Shapes::of(high).compare(high, low)
}

/// Pixels both cover, pixels either covers, and how far the outlines part, in pixels.
fn difference(high: &[bool], low: &[bool]) -> (usize, usize, f64) {
    let both = high.iter().zip(low).filter(|(h, l)| **h && **l).count();
    let either = high.iter().zip(low).filter(|(h, l)| **h || **l).count();
    if both == either {
        return (both, either, 0.0);
    }
    // The Hausdorff distance of the filled shapes: how far a pixel that only one covers is from what the other covers.
    // Unlike the distance between the border lines it is never larger than that of the surfaces themselves: a
    // pinhole is as small as it looks, wherever it opens.
    let furthest = beyond(high, low).max(beyond(low, high));
    // An outline runs half way between a pixel inside and one outside.
    let worst = (f64::from(furthest).sqrt() - 0.5).max(0.0);
    (both, either, worst)
}

/// What stands for a distance where a shape covers nothing, squared.
const NOWHERE: f32 = 1e9;
/// Where a row holds no more pixels than this that may be the furthest, each looks for its nearest one by itself; for more, the whole row
/// is transformed.
const FEW: usize = 24;

/// The largest squared distance of a pixel that only `one` covers from what `other` covers, in pixels.
///
/// The distance of a pixel is the least over the columns of its row of the distance along the row and of that down the column, squared
/// (T. Saito, J. Toriwaki, *New Algorithms for Euclidean Distance Transformation*, 1994). Only what may be further than the furthest so
/// far is looked at: no pixel is further than what its own column says.
fn beyond(one: &[bool], other: &[bool]) -> f32 {
    let is_only = |(&a, &b): (&bool, &bool)| a && !b;
    if !one.iter().zip(other).any(is_only) {
        return 0.0;
    }
    let down = down_columns(other);
    let mut furthest = 0.0_f32;
    let mut envelope = Envelope::new(PIXELS);
    let mut line = vec![0.0_f32; PIXELS];
    let mut far = Vec::with_capacity(PIXELS);
    let rows = one.chunks_exact(PIXELS).zip(other.chunks_exact(PIXELS));
    for ((one, other), down) in rows.zip(down.chunks_exact(PIXELS)) {
        far.clear();
        far.extend((0..PIXELS).filter(|&x| one[x] && !other[x] && squared(down[x]) > furthest));
        if far.len() <= FEW {
            for &x in &far {
                furthest = furthest.max(nearest_in_row(down, x, furthest));
            }
            continue;
        }
        line.iter_mut()
            .zip(down)
            .for_each(|(d, &n)| *d = squared(n));
        envelope.transform(&mut line);
        furthest = far.iter().map(|&x| line[x]).fold(furthest, f32::max);
    }
    furthest
}

/// How many pixels it is to the nearest covered one in the same column, up or down; `u16::MAX` where the column has none.
fn down_columns(shape: &[bool]) -> Vec<u16> {
    let n = PIXELS;
    let mut down: Vec<u16> = shape
        .iter()
        .map(|&on| if on { 0 } else { u16::MAX })
        .collect();
    let pull = |row: &mut [u16], from: &[u16]| {
        for (d, &f) in row.iter_mut().zip(from) {
            *d = (*d).min(f.saturating_add(1));
        }
    };
    for y in 1..n {
        let (above, rest) = down.split_at_mut(y * n);
        pull(&mut rest[..n], &above[(y - 1) * n..]);
    }
    for y in (1..n).rev() {
        let (above, rest) = down.split_at_mut(y * n);
        pull(&mut above[(y - 1) * n..], &rest[..n]);
    }
    down
}

fn squared(down: u16) -> f32 {
    if down == u16::MAX {
        NOWHERE
    } else {
        f32::from(down) * f32::from(down)
    }
}

/// The squared distance of pixel `x` of a row from the nearest covered one, by what is known down the columns. Where it is no further
/// than `known`, its exact distance does not matter.
fn nearest_in_row(down: &[u16], x: usize, known: f32) -> f32 {
    let mut best = squared(down[x]);
    for away in 1..PIXELS {
        let along = (away * away) as f32;
        if along >= best || best <= known {
            break;
        }
        for column in [x.checked_sub(away), Some(x + away)].into_iter().flatten() {
            if let Some(&d) = down.get(column) {
                best = best.min(along + squared(d));
            }
        }
    }
    best
}

/// The lower envelope of parabolas over a line of pixels, with the room it needs: P. F. Felzenszwalb, D. P. Huttenlocher, *Distance
/// Transforms of Sampled Functions*, 2012.
struct Envelope {
    /// Pixels whose parabolas take part.
    at: Vec<usize>,
    /// Their heights there.
    height: Vec<f32>,
    /// Where each begins to be the lowest.
    from: Vec<f32>,
}

impl Envelope {
    fn new(n: usize) -> Self {
        Self {
            at: Vec::with_capacity(n),
            height: Vec::with_capacity(n),
            from: Vec::with_capacity(n),
        }
    }

    fn transform(&mut self, line: &mut [f32]) {
        self.at.clear();
        self.height.clear();
        self.from.clear();
        for (q, &f) in line.iter().enumerate() {
            let mut start = f32::NEG_INFINITY;
            while let Some(&v) = self.at.last() {
                let h = self.height[self.at.len() - 1];
                let (q, v) = (q as f32, v as f32);
                let meet = ((f - h) + (q * q - v * v)) / (2.0 * (q - v));
                if meet > self.from[self.at.len() - 1] {
                    start = meet;
                    break;
                }
                self.at.pop();
                self.height.pop();
                self.from.pop();
            }
            self.at.push(q);
            self.height.push(f);
            self.from.push(start);
        }
        let mut k = 0;
        for (q, out) in line.iter_mut().enumerate() {
            while k + 1 < self.at.len() && self.from[k + 1] < q as f32 {
                k += 1;
            }
            let away = q as f32 - self.at[k] as f32;
            *out = away * away + self.height[k];
        }
    }
}

/// What a pixel of a pair of outlines shows.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Cell {
    /// Neither mesh.
    Neither,
    /// Both.
    Both,
    /// Only the cut.
    Gained,
    /// Only the source.
    Lost,
}

/// The outlines seen along `direction` in a picture of `pixels` × `pixels`, rows from the top; `None` when
/// the source has no extent.
pub fn cells(high: &Mesh, low: &Mesh, direction: Vec3, pixels: usize) -> Option<Vec<Cell>> {
    let view = View::upright(&[high, low], direction, pixels)?;
    let (high, low) = (view.shape(high), view.shape(low));
    let rows = (0..pixels).rev();
    let cells = rows.flat_map(|y| y * pixels..(y + 1) * pixels);
    let cell = |i: usize| match (high[i], low[i]) {
        (false, false) => Cell::Neither,
        (true, true) => Cell::Both,
        (false, true) => Cell::Gained,
        (true, false) => Cell::Lost,
    };
    Some(cells.map(cell).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;
    use rstest::rstest;

    #[test]
    fn directions_are_26_and_all_different() {
        let all: Vec<Vec3> = directions().collect();
        assert_eq!(all.len(), 26);
        for (i, a) in all.iter().enumerate() {
            assert!(
                a.distance(-all[25 - i]) < 1e-6,
                "the second half is the first from behind"
            );
            assert!((a.length() - 1.0).abs() < 1e-6);
            assert!(all[..i].iter().all(|b| a.distance(*b) > 0.3));
        }
    }

    /// The squared distance of every pixel from the nearest one that a shape covers, rows first and then columns.
    fn squared_distances(shape: &[bool]) -> Vec<f32> {
        let n = PIXELS;
        let mut d: Vec<f32> = shape
            .iter()
            .map(|&s| if s { 0.0 } else { NOWHERE })
            .collect();
        let mut envelope = Envelope::new(n);
        for row in d.chunks_exact_mut(n) {
            envelope.transform(row);
        }
        let mut column = vec![0.0; n];
        for x in 0..n {
            (0..n).for_each(|y| column[y] = d[y * n + x]);
            envelope.transform(&mut column);
            (0..n).for_each(|y| d[y * n + x] = column[y]);
        }
        d
    }

    /// What is looked for where it may be furthest is what the distances of all pixels say, near and far, in rows of few and of many.
    #[test]
    fn the_furthest_agrees_with_the_distance_of_every_pixel() {
        let mut state = 7u32;
        let mut random = move |n: usize| {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (state >> 8) as usize % n
        };
        for size in [3, 9, 40] {
            let mut draw = || {
                let mut shape = vec![false; PIXELS * PIXELS];
                for _ in 0..30 {
                    let (x, y) = (300 + random(60), 300 + random(60));
                    for dy in 0..size {
                        (0..size).for_each(|dx| shape[(y + dy) * PIXELS + x + dx] = true);
                    }
                }
                shape
            };
            let (mut one, other) = (draw(), draw());
            if size == 40 {
                // Far off, and wide.
                one[(PIXELS - 3) * PIXELS + 20..][..300].fill(true);
            }
            let distances = squared_distances(&other);
            let only = (0..one.len()).filter(|&i| one[i] && !other[i]);
            let want = only.map(|i| distances[i]).fold(0.0, f32::max);
            assert_eq!(beyond(&one, &other), want, "{size}");
        }
    }

    #[test]
    fn what_covers_nothing_is_nowhere() {
        let mut dot = vec![false; PIXELS * PIXELS];
        let nothing = dot.clone();
        dot[5 * PIXELS + 5] = true;
        assert_eq!(
            (beyond(&dot, &nothing), beyond(&nothing, &dot)),
            (NOWHERE, 0.0)
        );
    }

    #[test]
    fn a_mesh_agrees_with_itself() {
        let ball = shapes::icosphere(1.0, 4);
        let o = compare(&ball, &ball).unwrap();
        assert_eq!(
            (o.agreement(), o.mean_pixels(512.0), o.worst_pixels(512.0)),
            (1.0, 0.0, 0.0)
        );
    }

    /// Closed form: a disc of radius r inside one of radius R covers (r/R)² of it, and their outlines
    /// are R − r apart, from every side.
    #[rstest]
    #[case::smaller(1.0, 0.9)]
    #[case::a_little_smaller(1.0, 0.99)]
    #[case::larger(0.8, 0.83)]
    fn a_scaled_ball_differs_by_the_closed_form(#[case] source: f32, #[case] cut: f32) {
        let ball = |r| shapes::icosphere(r, 6);
        let o = compare(&ball(source), &ball(cut)).unwrap();
        let share = f64::from(source.min(cut) / source.max(cut)).powi(2);
        assert!((o.agreement() - share).abs() < 2e-3, "{o:?}");
        for view in &o.views {
            let apart = f64::from((source - cut).abs()) / view.pixel_m;
            let worst = view.worst_m / view.pixel_m;
            assert!((worst - apart).abs() < 1.0, "{worst} for {apart}");
        }
    }

    #[test]
    fn distances_are_euclidean() {
        let mut shape = vec![false; PIXELS * PIXELS];
        for (x, y) in [(10, 20), (700, 900)] {
            shape[y * PIXELS + x] = true;
        }
        let d = squared_distances(&shape);
        for (x, y) in [(10, 20), (13, 24), (0, 0), (600, 400), (1023, 1023)] {
            let to = |(a, b): (i64, i64)| (x - a).pow(2) + (y - b).pow(2);
            let want = to((10, 20)).min(to((700, 900)));
            let have = d[y as usize * PIXELS + x as usize];
            assert!(
                (have - want as f32).abs() <= want as f32 * 1e-6,
                "{x} {y}: {have} {want}"
            );
        }
    }

    #[test]
    fn cells_say_who_covers_what() {
        let (high, low) = (shapes::icosphere(1.0, 4), shapes::icosphere(0.8, 4));
        let cells = cells(&high, &low, Vec3::X, 64).unwrap();
        let count = |cell| cells.iter().filter(|c| **c == cell).count();
        assert_eq!(count(Cell::Gained), 0);
        let lost = count(Cell::Lost) as f64 / (count(Cell::Lost) + count(Cell::Both)) as f64;
        assert!((lost - 0.36).abs() < 0.03, "{lost}");
        assert_eq!(cells[0], Cell::Neither);
    }

    /// A pinhole in the middle of a plate is as large as it is, not as far as it is from the plate's rim.
    #[test]
    fn a_pinhole_is_as_small_as_it_looks() {
        let mut plate = vec![false; PIXELS * PIXELS];
        for y in 200..800 {
            plate[y * PIXELS + 200..y * PIXELS + 800].fill(true);
        }
        let mut pierced = plate.clone();
        pierced[500 * PIXELS + 500] = false;
        assert_eq!(difference(&plate, &pierced).2, 0.5);
        assert_eq!(difference(&pierced, &plate).2, 0.5);
    }
}
