//! A layout in numbers: coverage, overlap, gaps, density, stretch, and what is wrong with it.

use ectome_mesh::{
    Mesh, measure,
    scanline::{self, Sides},
};
use glam::DVec2;
use serde::{Deserialize, Serialize};

pub use crate::island::Island;
use crate::{
    face_graph::NONE,
    layout::{Layout, twice_area},
    stacks,
    stretch::Stretch,
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
                    let shift = DVec2::new(f64::from(sheet.0), 0.0);
                    let cells = layout.uv[f as usize].map(|p| (p - shift) * n as f64);
                    let mut hit = |at: usize| {
                        if owner[at] == 0 {
                            owner[at] = f + 1;
                            covered += 1;
                            return;
                        }
                        overlaps[i] += 1;
                        overlaps[layout.island[owner[at] as usize - 1] as usize] += 1;
                        twice += usize::from(!std::mem::replace(&mut seen_twice[at], true));
                    };
                    scanline::rows(cells, [n; 2], Sides::Shared, |y, columns| {
                        columns.for_each(|x| hit(y * n + x));
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn mean_and_spread_are_weighed() {
        let (mean, spread) = mean_and_spread([(4.0, 0.25), (1.0, 0.5)].into_iter());
        assert!((mean - 0.3).abs() < 1e-12 && (spread - 100.0 / 3.0).abs() < 1e-9);
    }
}
