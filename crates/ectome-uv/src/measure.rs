//! A layout in numbers: coverage, overlap, gaps, density, stretch, and what is wrong with it.

use ectome_mesh::{Mesh, measure};
use glam::DVec2;
use serde::{Deserialize, Serialize};

pub use crate::island::Island;
use crate::{
    layout::{Layout, twice_area},
    stacks,
    stretch::Stretch,
    surface::NONE,
};

/// Side of the raster on which coverage and overlap are counted, at most.
const RASTER: usize = 4096;

/// What a layout is like on a sheet of a given size.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Numbers {
    /// Islands.
    pub islands: usize,
    /// Sheets in use.
    pub sheets: usize,
    /// Share of the sheets that is used, in percent.
    pub coverage_percent: f64,
    /// Share of the used area on which several islands lie that are not stacked on purpose, in percent.
    pub overlap_percent: f64,
    /// Mean stretch L² (1: true to size), the scale being one for all.
    pub stretch_l2: f64,
    /// Largest stretch L∞.
    pub stretch_max: f64,
    /// Mean stretch L² when every island is measured at its own scale.
    pub stretch_within_l2: f64,
    /// The least distance between islands that do not overlap, or from one to the edge of its sheet, in texels; absent
    /// without islands.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub smallest_gap_texels: Option<f64>,
    /// Texels per metre, mean over the area.
    pub texels_per_metre: f64,
    /// Standard deviation over mean of the islands' densities, weighed by area, in percent.
    pub density_spread_percent: f64,
    /// The same over triangles.
    pub density_spread_triangles_percent: f64,
    /// Islands that leave their sheet.
    pub out_of_range: Vec<u32>,
    /// Islands that lie inside-out, and are not the mirrored copy of one they are stacked on.
    pub inside_out: Vec<u32>,
    /// Islands that overlap another, or themselves.
    pub overlapping: Vec<u32>,
    /// Islands that lie exactly on an earlier one.
    pub stacked: usize,
    /// Triangles without UVs.
    pub without_uvs: usize,
    /// Triangles that lie the other way than most of their island.
    pub flipped_triangles: usize,
    /// Triangles without area on the sheet; they do not count as stretched.
    pub collapsed_triangles: usize,
}

/// The islands of a layout, each examined.
pub fn islands(mesh: &Mesh, layout: &Layout) -> Vec<Island> {
    let part = mesh.part_of_faces();
    let stretch = layout.stretch(mesh);
    let stacks = stacks::of(layout);
    layout
        .faces()
        .into_iter()
        .enumerate()
        .map(|(i, faces)| {
            let (mut low, mut high) = (DVec2::INFINITY, DVec2::NEG_INFINITY);
            let (mut area_m2, mut away) = (0.0, 0.0);
            for &f in &faces {
                let uv = layout.uv[f as usize];
                for p in uv {
                    low = low.min(p);
                    high = high.max(p);
                }
                area_m2 += measure::area_vector(mesh.triangle(f as usize)).length();
                away += twice_area(uv);
            }
            Island {
                area_m2,
                density: stretch[i].scale(),
                stretch: stretch[i],
                inside_out: away > 0.0,
                low,
                high,
                sheet: ((0.5 * (low.x + high.x)).floor() as i32)
                    .clamp(0, layout.sheets.max(1) as i32 - 1),
                textures: layout.textures.get(faces[0] as usize).copied().unwrap_or(0),
                stack: stacks[i],
                part: part[faces[0] as usize],
                faces,
            }
        })
        .collect()
}

/// Measures a layout on sheets of `size` texels.
pub fn numbers(mesh: &Mesh, layout: &Layout, islands: &[Island], size: u32) -> Numbers {
    let mut out = Numbers {
        islands: layout.count,
        without_uvs: layout.island.iter().filter(|&&i| i == NONE).count(),
        ..Numbers::default()
    };
    let whole = islands
        .iter()
        .fold(Stretch::default(), |s, i| s.and(i.stretch));
    out.stretch_l2 = whole.l2();
    out.stretch_max = whole.largest();
    out.collapsed_triangles = whole.collapsed();
    let texels = f64::from(size);
    let area: f64 = islands.iter().map(|i| i.area_m2).sum();
    let within: f64 = islands
        .iter()
        .map(|i| i.area_m2 * i.stretch.l2().powi(2))
        .sum();
    out.stretch_within_l2 = (within / area).sqrt();
    (out.texels_per_metre, out.density_spread_percent) =
        mean_and_spread(islands.iter().map(|i| (i.area_m2, i.density * texels)));
    let triangles = layout
        .island
        .iter()
        .enumerate()
        .filter(|(_, i)| **i != NONE)
        .map(|(f, _)| {
            let area = measure::area_vector(mesh.triangle(f)).length();
            let density = (0.5 * twice_area(layout.uv[f]).abs() / area.max(1e-300)).sqrt();
            (area, if area > 0.0 { density } else { 0.0 })
        });
    out.density_spread_triangles_percent = mean_and_spread(triangles).1;
    for (f, &i) in layout.island.iter().enumerate() {
        if i != NONE {
            let twice = twice_area(layout.uv[f]);
            let against = (twice > 0.0) != islands[i as usize].inside_out;
            out.flipped_triangles += usize::from(against && twice != 0.0);
        }
    }
    for (i, island) in islands.iter().enumerate() {
        let sheet = f64::from(island.sheet);
        let inside = island.low.x >= sheet - 1e-6
            && island.high.x <= sheet + 1.0 + 1e-6
            && island.low.y >= -1e-6
            && island.high.y <= 1.0 + 1e-6;
        if !inside {
            out.out_of_range.push(i as u32);
        }
        let on_purpose = island.stack != i as u32 && !islands[island.stack as usize].inside_out;
        if island.inside_out && !on_purpose {
            out.inside_out.push(i as u32);
        }
    }
    out.stacked = islands
        .iter()
        .enumerate()
        .filter(|(i, s)| s.stack != *i as u32)
        .count();
    let counted = Raster::of(layout, islands, size);
    out.sheets = counted.sheets;
    out.coverage_percent = 100.0 * counted.covered as f64 / counted.cells.max(1) as f64;
    out.overlap_percent = 100.0 * counted.twice as f64 / counted.covered.max(1) as f64;
    out.overlapping = counted.overlapping;
    out.smallest_gap_texels =
        crate::gap::smallest(layout, islands, &out.overlapping).map(|g| g * texels);
    out
}

/// Mean and standard deviation over mean in percent, of weighed values.
fn mean_and_spread(values: impl Iterator<Item = (f64, f64)>) -> (f64, f64) {
    let (w, s, q) = values.fold((0.0, 0.0, 0.0), |(w, s, q), (weight, v)| {
        (w + weight, s + weight * v, q + weight * v * v)
    });
    if w <= 0.0 || s <= 0.0 {
        return (0.0, 0.0);
    }
    let mean = s / w;
    (mean, 100.0 * (q / w - mean * mean).max(0.0).sqrt() / mean)
}

/// Texels counted by their middles.
struct Raster {
    sheets: usize,
    cells: usize,
    covered: usize,
    twice: usize,
    overlapping: Vec<u32>,
}

impl Raster {
    fn of(layout: &Layout, islands: &[Island], size: u32) -> Self {
        let n = (size as usize).min(RASTER);
        let mut sheets: Vec<(i32, u32)> = islands.iter().map(Island::place).collect();
        sheets.sort_unstable();
        sheets.dedup();
        let (mut covered, mut twice) = (0, 0);
        let mut overlaps = vec![0usize; islands.len()];
        // The face that has each texel, plus one.
        let mut owner = vec![0u32; n * n];
        for &sheet in &sheets {
            owner.fill(0);
            let mut seen_twice = vec![false; n * n];
            for (i, island) in islands
                .iter()
                .enumerate()
                .filter(|(_, i)| i.place() == sheet)
            {
                // Of a stack only the first counts.
                if island.stack != i as u32 {
                    continue;
                }
                for &f in &island.faces {
                    let shifted =
                        layout.uv[f as usize].map(|p| p - DVec2::new(f64::from(sheet.0), 0.0));
                    cover(shifted, n, |at| {
                        if owner[at] == 0 {
                            owner[at] = f + 1;
                            covered += 1;
                            return;
                        }
                        overlaps[i] += 1;
                        overlaps[layout.island[owner[at] as usize - 1] as usize] += 1;
                        twice += usize::from(!std::mem::replace(&mut seen_twice[at], true));
                    });
                }
            }
        }
        // Sides that two triangles both round to a texel's middle come to a few.
        let overlapping = (0..islands.len() as u32)
            .filter(|&i| overlaps[i as usize] > 2 + islands[i as usize].faces.len() / 500)
            .collect();
        Self {
            cells: sheets.len() * n * n,
            sheets: sheets.len(),
            covered,
            twice,
            overlapping,
        }
    }
}

/// Calls `hit` for the cells of an n × n raster whose middle lies in a triangle; of a shared side only one triangle has the
/// middle (top-left rule).
pub fn cover(uv: [DVec2; 3], n: usize, mut hit: impl FnMut(usize)) {
    let mut p = uv.map(|q| q * n as f64);
    let twice = twice_area(p);
    if twice == 0.0 || !twice.is_finite() {
        return;
    }
    if twice < 0.0 {
        p.swap(1, 2);
    }
    let (y_low, y_high) = (
        p[0].y.min(p[1].y).min(p[2].y),
        p[0].y.max(p[1].y).max(p[2].y),
    );
    let first = (y_low - 0.5).ceil().max(0.0) as usize;
    let last = (y_high - 0.5).floor().min(n as f64 - 1.0);
    if last < 0.0 {
        return;
    }
    for y in first..=last as usize {
        let line = y as f64 + 0.5;
        // Where the line enters and leaves; a side owns its upper end.
        let (mut from, mut to) = (f64::INFINITY, f64::NEG_INFINITY);
        for k in 0..3 {
            // The same side gives the same figure whichever way it is run.
            let (a, b) = (p[k], p[(k + 1) % 3]);
            let (a, b) = if (a.y, a.x) <= (b.y, b.x) {
                (a, b)
            } else {
                (b, a)
            };
            if (a.y <= line) != (b.y <= line) {
                let x = a.x + (line - a.y) / (b.y - a.y) * (b.x - a.x);
                from = from.min(x);
                to = to.max(x);
            }
        }
        if from > to {
            continue;
        }
        let start = (from - 0.5).ceil().max(0.0) as usize;
        let end = (to - 0.5).ceil().clamp(0.0, n as f64) as usize;
        for x in start..end {
            hit(y * n + x);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A square of 0.25 has (0.25 n)² texels, whichever way it is divided and turned.
    #[test]
    fn coverage_is_exact_on_aligned_squares() {
        let square = |x: f64, y: f64, s: f64| {
            let at = |i: f64, j: f64| DVec2::new(x + s * i, y + s * j);
            [
                [at(0., 0.), at(0., 1.), at(1., 1.)],
                [at(0., 0.), at(1., 1.), at(1., 0.)],
            ]
        };
        let mut hits = vec![0; 64 * 64];
        for t in square(0.25, 0.5, 0.25) {
            cover(t, 64, |i| hits[i] += 1);
        }
        assert_eq!(hits.iter().sum::<i32>(), 16 * 16);
        assert!(hits.iter().all(|&h| h <= 1));
        assert_eq!(
            (hits[32 * 64 + 16], hits[32 * 64 + 15], hits[47 * 64 + 31]),
            (1, 0, 1)
        );
    }

    #[test]
    fn mean_and_spread_are_weighed() {
        let (mean, spread) = mean_and_spread([(4.0, 0.25), (1.0, 0.5)].into_iter());
        assert!((mean - 0.3).abs() < 1e-12 && (spread - 100.0 / 3.0).abs() < 1e-9);
    }
}
