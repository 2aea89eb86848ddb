//! Triangles to fragments: which face each sample of a picture sees.

use std::collections::HashSet;

use ectome_mesh::{
    Mesh,
    scanline::{self, Sides},
};
use glam::{Vec2, Vec3};

use crate::Camera;

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

/// The faces that reach into each band of rows, in order, so that a band need not look at all of them.
pub(crate) fn faces_of_bands(mesh: &Mesh, places: &[Vec3], bands: usize) -> Vec<Vec<u32>> {
    let mut list: Vec<Vec<u32>> = vec![Vec::new(); bands];
    let rows = (BAND * SAMPLES) as f32;
    let hidden = behind_their_like(mesh, places, bands as f32 * rows);
    for f in (0..mesh.face_count()).filter(|&f| hidden.is_empty() || !hidden[f]) {
        let rise = mesh.triangle_points(f).map(|p| places[p as usize].y);
        let low = rise.into_iter().fold(f32::INFINITY, f32::min);
        let high = rise.into_iter().fold(f32::NEG_INFINITY, f32::max);
        if !(low.is_finite() && high.is_finite()) || high < 0.0 {
            continue;
        }
        let from = (low / rows).max(0.0) as usize;
        let to = ((high / rows) as usize).min(bands.saturating_sub(1));
        for band in list.iter_mut().take(to + 1).skip(from) {
            band.push(f as u32);
        }
    }
    list
}

/// Boxes of faces that cover the picture so many times over are worth a look for faces on the same points.
const OVERDRAWN: f32 = 64.0;

/// Where faces cover a picture of that height over and over: those on the points of an earlier face, which show nowhere. Empty
/// where nothing is gained by asking.
fn behind_their_like(mesh: &Mesh, places: &[Vec3], height: f32) -> Vec<bool> {
    let boxes = (0..mesh.face_count()).map(|f| {
        let [a, b, c] = mesh
            .triangle_points(f)
            .map(|p| places[p as usize].truncate());
        let size = a.max(b).max(c) - a.min(b).min(c);
        size.x.min(height) * size.y.min(height)
    });
    let covered: f32 = boxes.filter(|area| area.is_finite()).sum();
    if covered < OVERDRAWN * height * height {
        return Vec::new();
    }
    let mut known = HashSet::new();
    (0..mesh.face_count())
        .map(|f| {
            let mut points = mesh.triangle_points(f);
            points.sort_unstable();
            !known.insert(points)
        })
        .collect()
}

pub(crate) struct Target {
    from: usize,
    to: usize,
    width: usize,
    fragments: Vec<Fragment>,
    /// For each tile, the farthest of its fragments when it was last looked at: what lies behind shows nowhere in it.
    far: Vec<f32>,
    /// Fragments drawn in each tile since.
    drawn: Vec<u32>,
}

/// Samples across a tile; it is as high as its band.
const TILE: usize = 32;

impl Target {
    /// The rows of a band, empty.
    pub fn of_band(band: usize, camera: &Camera) -> Self {
        let from = band * BAND * SAMPLES;
        let to = (from + BAND * SAMPLES).min(camera.height * SAMPLES);
        let width = camera.width * SAMPLES;
        Self {
            from,
            to,
            width,
            far: vec![f32::INFINITY; width.div_ceil(TILE)],
            drawn: vec![0; width.div_ceil(TILE)],
            fragments: vec![Fragment::NONE; (to - from) * width],
        }
    }

    /// Draws one triangle given in samples and depth: where it is the nearest so far and not clear, fragments keep it with
    /// perspective-correct weights. What says whether it is clear is asked with the sample's column and row.
    pub fn triangle(
        &mut self,
        p: [Vec3; 3],
        face: u32,
        is_clear: impl Fn(&Fragment, [usize; 2]) -> bool,
    ) {
        if p.iter().any(|v| v.z <= 0.0 || !v.is_finite()) {
            return;
        }
        let low = p[0].min(p[1]).min(p[2]);
        let high = p[0].max(p[1]).max(p[2]);
        let y0 = (low.y - 0.5).ceil().max(self.from as f32) as usize;
        let y1 = ((high.y - 0.5).floor() + 1.0).clamp(0.0, self.to as f32) as usize;
        let x0 = (low.x - 0.5).ceil().max(0.0) as usize;
        let x1 = ((high.x - 0.5).floor() + 1.0).clamp(0.0, self.width as f32) as usize;
        if y0 >= y1 || x0 >= x1 {
            return;
        }
        let area = (p[1] - p[0]).truncate().perp_dot((p[2] - p[0]).truncate());
        if area == 0.0 {
            return;
        }
        let flat = p.map(|v| v.truncate().as_dvec2());
        // Tile by tile, so that what is hidden altogether is passed over at once.
        for tile in x0 / TILE..=(x1 - 1) / TILE {
            if low.z >= self.far[tile] {
                continue;
            }
            let (left, right) = (x0.max(tile * TILE), x1.min((tile + 1) * TILE));
            let mut drawn = 0;
            for y in y0..y1 {
                let Some((first, last)) = scanline::span(&flat, y as f64 + 0.5, Sides::Whole)
                else {
                    continue;
                };
                // Weights are worked out in less precision: whether a sample is inside is asked of each, and of one more each way.
                let first = left.max((first - 1.5).max(0.0) as usize);
                let last = right.min((last + 1.5).max(0.0) as usize);
                for x in first..last {
                    let at = Vec2::new(x as f32 + 0.5, y as f32 + 0.5);
                    let edge =
                        |a: Vec3, b: Vec3| (b - a).truncate().perp_dot(at - a.truncate()) / area;
                    let w = Vec3::new(edge(p[1], p[2]), edge(p[2], p[0]), edge(p[0], p[1]));
                    if w.min_element() < 0.0 {
                        continue;
                    }
                    let inverse = Vec3::new(w.x / p[0].z, w.y / p[1].z, w.z / p[2].z);
                    let sum = inverse.element_sum();
                    let depth = 1.0 / sum;
                    let known = &mut self.fragments[(y - self.from) * self.width + x];
                    if depth >= known.depth {
                        continue;
                    }
                    let fragment = Fragment {
                        depth,
                        weights: inverse / sum,
                        face,
                    };
                    if !is_clear(&fragment, [x, y]) {
                        *known = fragment;
                        drawn += 1;
                    }
                }
            }
            self.drew(tile, drawn);
        }
    }

    /// Looks how far a tile reaches back once enough was drawn in it.
    fn drew(&mut self, tile: usize, fragments: u32) {
        let (left, right) = (tile * TILE, self.width.min((tile + 1) * TILE));
        let rows = self.to - self.from;
        self.drawn[tile] += fragments;
        if (self.drawn[tile] as usize) < rows * (right - left) {
            return;
        }
        self.drawn[tile] = 0;
        self.far[tile] = (0..rows)
            .flat_map(|y| &self.fragments[y * self.width + left..y * self.width + right])
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

#[cfg(test)]
mod tests {
    use super::*;

    // Against every sample asked of every triangle, without spans and tiles.
    #[test]
    fn spans_and_tiles_leave_nothing_out() {
        let (width, rows) = (70usize, 32usize);
        let mut state = 7u32;
        let mut random = move || {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (state >> 8) as f32 / 16_777_216.0
        };
        let mut target = Target {
            from: 0,
            to: rows,
            width,
            fragments: vec![Fragment::NONE; rows * width],
            far: vec![f32::INFINITY; width.div_ceil(TILE)],
            drawn: vec![0; width.div_ceil(TILE)],
        };
        let mut depth = vec![f32::INFINITY; rows * width];
        for i in 0..4000 {
            let mut p = [0; 3].map(|_| {
                Vec3::new(
                    random() * 90.0 - 10.0,
                    random() * 50.0 - 8.0,
                    0.5 + random(),
                )
            });
            if i % 5 == 0 {
                // A sliver.
                p[2] = p[1] + Vec3::new(0.2 * random(), 0.2 * random(), 0.0);
            }
            target.triangle(p, 0, |_, _| false);
            let area = (p[1] - p[0]).truncate().perp_dot((p[2] - p[0]).truncate());
            for (at, depth) in depth.iter_mut().enumerate() {
                let at = Vec2::new((at % width) as f32 + 0.5, (at / width) as f32 + 0.5);
                let edge = |a: Vec3, b: Vec3| (b - a).truncate().perp_dot(at - a.truncate()) / area;
                let w = Vec3::new(edge(p[1], p[2]), edge(p[2], p[0]), edge(p[0], p[1]));
                if area != 0.0 && w.min_element() >= 0.0 {
                    let inverse = Vec3::new(w.x / p[0].z, w.y / p[1].z, w.z / p[2].z);
                    *depth = depth.min(1.0 / inverse.element_sum());
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
