//! Triangles to fragments: which face each sample of a picture sees.

use std::{collections::HashSet, ops::Range};

use ectome_mesh::{
    Mesh,
    scanline::{self, Sides},
};
use glam::{Vec2, Vec3};

/// Samples along each side of a pixel.
pub(crate) const SAMPLES: usize = 2;
/// Rows of pixels a band has.
pub(crate) const BAND: usize = 16;

/// What a sample sees: a place on a face.
#[derive(Clone, Copy)]
pub(crate) struct Fragment {
    /// Distance along the line of sight, in metres.
    pub depth: f32,
    /// Perspective-correct weights of the face's corners.
    pub weights: Vec3,
    pub face: u32,
}

impl Fragment {
    pub const NONE: Self = Self {
        depth: f32::INFINITY,
        weights: Vec3::ZERO,
        face: u32::MAX,
    };
}

/// The points of each face of a mesh of triangles.
pub(crate) fn points_of_faces(mesh: &Mesh) -> Vec<[u32; 3]> {
    (0..mesh.face_count())
        .map(|f| mesh.triangle_points(f))
        .collect()
}

/// The faces that cover a sample in each band of so many rows, in order, so that a band need not look at all of them. Places are those of points, in
/// samples; the picture has so many of them across and down.
pub(crate) fn faces_of_bands(
    faces: &[[u32; 3]],
    places: &[Vec3],
    [width, height]: [usize; 2],
    rows: usize,
) -> Vec<Vec<u32>> {
    let mut list: Vec<Vec<u32>> = vec![Vec::new(); height.div_ceil(rows)];
    for (f, points) in faces.iter().enumerate() {
        let p = points.map(|p| places[p as usize]);
        if let Some([[_, y0], [_, y1]]) = samples_in_reach(&p, [width, height]) {
            for band in &mut list[y0 / rows..=(y1 - 1) / rows] {
                band.push(f as u32);
            }
        }
    }
    list
}

/// For each face whether an earlier one has the same points, so that it shows nowhere.
pub(crate) fn like_earlier(faces: &[[u32; 3]]) -> Vec<bool> {
    let mut known = HashSet::with_capacity(faces.len());
    let is_like = |points: &[u32; 3]| {
        let mut points = *points;
        points.sort_unstable();
        !known.insert(points)
    };
    faces.iter().map(is_like).collect()
}

/// The first column and row of samples whose middles a triangle may cover, and those after the last; `None` where it covers none.
fn samples_in_reach(p: &[Vec3; 3], [width, height]: [usize; 2]) -> Option<[[usize; 2]; 2]> {
    // What is not a number, or lies behind the eye, is in reach of nothing.
    if !p.iter().all(|v| v.is_finite() && v.z > 0.0) {
        return None;
    }
    let [a, b, c] = (*p).map(Vec3::truncate);
    let (low, high) = (a.min(b).min(c), a.max(b).max(c));
    let (x0, x1) = (first(low.x), after(high.x).min(width));
    let (y0, y1) = (first(low.y), after(high.y).min(height));
    (x0 < x1 && y0 < y1).then_some([[x0, y0], [x1, y1]])
}

/// The first sample whose middle lies at or after a place. Middles lie at halves.
fn first(at: f32) -> usize {
    let at = (at - 0.5).max(0.0);
    let low = at as usize;
    low + usize::from((low as f32) < at)
}

/// How many samples have their middles at or before a place.
fn after(at: f32) -> usize {
    (at + 0.5).max(0.0) as usize
}

/// Rows of samples of a picture as faces are drawn into them.
pub(crate) struct Target {
    from: usize,
    to: usize,
    width: usize,
    /// Tiles across.
    across: usize,
    fragments: Vec<Fragment>,
    /// For each tile, the farthest of its fragments when it was last looked at: what lies behind shows nowhere in it.
    far: Vec<f32>,
    /// Fragments drawn in each tile since.
    drawn: Vec<u32>,
    /// Samples in the boxes of all faces so far.
    boxes: usize,
}

/// Samples across a triangle up to which each is asked.
const FEW: usize = 4;

/// Samples across a tile and down.
const TILE: usize = 32;

/// Boxes of faces that cover the rows so many times over are worth a look for faces on the same points.
const OVERDRAWN: usize = 64;

impl Target {
    /// Some rows of samples, empty.
    pub fn of_rows(rows: Range<usize>, width: usize) -> Self {
        let across = width.div_ceil(TILE);
        let tiles = across * rows.len().div_ceil(TILE);
        Self {
            from: rows.start,
            to: rows.end,
            width,
            across,
            far: vec![f32::INFINITY; tiles],
            drawn: vec![0; tiles],
            fragments: vec![Fragment::NONE; rows.len() * width],
            boxes: 0,
        }
    }

    /// Whether so much was drawn that faces that show nowhere should be looked for.
    pub fn is_overdrawn(&self) -> bool {
        self.boxes > OVERDRAWN * self.fragments.len()
    }

    /// Draws one triangle given in samples and depth: where it is the nearest so far and not clear, fragments keep it with
    /// perspective-correct weights. What says whether it is clear is asked with the sample's column and row.
    pub fn triangle(
        &mut self,
        p: &[Vec3; 3],
        face: u32,
        is_clear: impl Fn(&Fragment, [usize; 2]) -> bool,
    ) {
        let Some([[x0, y0], [x1, y1]]) = samples_in_reach(p, [self.width, self.to]) else {
            return;
        };
        let y0 = y0.max(self.from);
        let Some(plane) = Plane::of(p).filter(|_| y0 < y1) else {
            return;
        };
        self.boxes += (x1 - x0) * (y1 - y0);
        let nearest = p[0].z.min(p[1].z).min(p[2].z);
        // Tile by tile, so that what is hidden altogether is passed over at once.
        for row in (y0 - self.from) / TILE..=(y1 - 1 - self.from) / TILE {
            let top = self.from + row * TILE;
            for column in x0 / TILE..=(x1 - 1) / TILE {
                let tile = row * self.across + column;
                if nearest >= self.far[tile] {
                    continue;
                }
                let columns = x0.max(column * TILE)..x1.min((column + 1) * TILE);
                let mut drawn = 0;
                for y in y0.max(top)..y1.min(top + TILE) {
                    // Where few samples are in reach, asking each costs less than finding a row's ends.
                    let columns = if x1 - x0 <= FEW {
                        columns.clone()
                    } else {
                        within(p, y, &columns)
                    };
                    for x in columns {
                        let known = &mut self.fragments[(y - self.from) * self.width + x];
                        let Some(fragment) = plane.fragment([x, y], face, known.depth) else {
                            continue;
                        };
                        if !is_clear(&fragment, [x, y]) {
                            *known = fragment;
                            drawn += 1;
                        }
                    }
                }
                if drawn > 0 {
                    self.drew(row, column, drawn);
                }
            }
        }
    }

    /// Looks how far a tile reaches back once enough was drawn in it.
    fn drew(&mut self, row: usize, column: usize, fragments: u32) {
        let tile = row * self.across + column;
        let columns = column * TILE..self.width.min((column + 1) * TILE);
        let rows = row * TILE..(self.to - self.from).min((row + 1) * TILE);
        self.drawn[tile] += fragments;
        if (self.drawn[tile] as usize) < rows.len() * columns.len() {
            return;
        }
        self.drawn[tile] = 0;
        self.far[tile] = rows
            .flat_map(|y| {
                &self.fragments[y * self.width + columns.start..y * self.width + columns.end]
            })
            .map(|f| f.depth)
            .fold(0.0, f32::max);
    }

    /// The face that each sample sees, by rows.
    pub fn faces(&self) -> impl Iterator<Item = Option<u32>> + '_ {
        let face = |f: &Fragment| (f.face != Fragment::NONE.face).then_some(f.face);
        self.fragments.iter().map(face)
    }

    /// Goes through the pixels by rows: each with the fragments that its samples see, those of one face as one, at their mean place, with
    /// how many samples they are.
    pub fn each_pixel(&self, mut with: impl FnMut(&[(Fragment, u32)])) {
        let (width, height) = (self.width / SAMPLES, (self.to - self.from) / SAMPLES);
        for y in 0..height {
            for x in 0..width {
                let mut seen = [(Fragment::NONE, 0); SAMPLES * SAMPLES];
                let mut count = 0;
                for s in 0..SAMPLES * SAMPLES {
                    let at = (y * SAMPLES + s / SAMPLES) * self.width + x * SAMPLES + s % SAMPLES;
                    let fragment = &self.fragments[at];
                    if fragment.face == Fragment::NONE.face {
                        continue;
                    }
                    let like = seen[..count]
                        .iter_mut()
                        .find(|(f, _)| f.face == fragment.face);
                    if let Some((known, n)) = like {
                        *n += 1;
                        let share = 1.0 / *n as f32;
                        known.weights = known.weights.lerp(fragment.weights, share);
                        known.depth += (fragment.depth - known.depth) * share;
                    } else {
                        seen[count] = (*fragment, 1);
                        count += 1;
                    }
                }
                with(&seen[..count]);
            }
        }
    }
}

/// Of some columns those whose middles lie in a triangle in a row, and one more each way: weights are worked out in less precision, so
/// whether a sample is inside is asked of each.
fn within(p: &[Vec3; 3], row: usize, columns: &Range<usize>) -> Range<usize> {
    let flat = p.map(|v| v.truncate().as_dvec2());
    match scanline::span(&flat, row as f64 + 0.5, Sides::Whole) {
        Some((first, last)) => {
            let first = (first - 1.5).max(0.0) as usize;
            let last = (last + 1.5).max(0.0) as usize;
            columns.start.max(first)..columns.end.min(last)
        }
        None => 0..0,
    }
}

/// A triangle as its samples are asked: corners in samples, and one over their depths.
struct Plane {
    corners: [Vec2; 3],
    per_area: f32,
    inverse: Vec3,
}

impl Plane {
    /// `None` where it has no area.
    fn of(p: &[Vec3; 3]) -> Option<Self> {
        let corners = (*p).map(Vec3::truncate);
        let [a, b, c] = corners;
        let area = (b - a).perp_dot(c - a);
        (area != 0.0).then(|| Self {
            corners,
            per_area: 1.0 / area,
            inverse: Vec3::new(p[0].z, p[1].z, p[2].z).recip(),
        })
    }

    /// What the middle of a sample sees, where that is inside and nearer than what is known. Weights are perspective-correct.
    fn fragment(&self, [x, y]: [usize; 2], face: u32, known: f32) -> Option<Fragment> {
        let at = Vec2::new(x as f32 + 0.5, y as f32 + 0.5);
        let [a, b, c] = self.corners;
        let edge = |a: Vec2, b: Vec2| (b - a).perp_dot(at - a) * self.per_area;
        let w = Vec3::new(edge(b, c), edge(c, a), edge(a, b));
        if w.min_element() < 0.0 {
            return None;
        }
        let weights = w * self.inverse;
        let depth = 1.0 / weights.element_sum();
        (depth < known).then(|| Fragment {
            depth,
            weights: weights * depth,
            face,
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    // Against every sample asked of every triangle, without spans and tiles.
    #[test]
    fn spans_and_tiles_leave_nothing_out() {
        let (width, rows) = (70usize, 50usize);
        let mut state = 7u32;
        let mut random = move || {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (state >> 8) as f32 / 16_777_216.0
        };
        let mut target = Target::of_rows(0..rows, width);
        let mut depth = vec![f32::INFINITY; rows * width];
        for i in 0..4000 {
            let mut p = [0; 3].map(|_| {
                Vec3::new(
                    random() * 90.0 - 10.0,
                    random() * 70.0 - 8.0,
                    0.5 + random(),
                )
            });
            if i % 5 == 0 {
                // A sliver.
                p[2] = p[1] + Vec3::new(0.2 * random(), 0.2 * random(), 0.0);
            }
            target.triangle(&p, 0, |_, _| false);
            let Some(plane) = Plane::of(&p) else { continue };
            for (i, depth) in depth.iter_mut().enumerate() {
                if let Some(nearer) = plane.fragment([i % width, i / width], 0, *depth) {
                    *depth = nearer.depth;
                }
            }
        }
        let off = target
            .fragments
            .iter()
            .zip(&depth)
            .filter(|(f, d)| f.depth != **d);
        assert_eq!(off.count(), 0);
    }
}
