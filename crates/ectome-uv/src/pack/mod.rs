//! Islands laid out on sheets: real outlines, holes used, never nearer to each other than the padding.
//!
//! Every island becomes a mask of the cells it touches; the cells within the padding of it are taken for all others. Islands go in
//! one after another, the largest first, each in the highest free place of its turns (bottom-left-fill; B. Chazelle,
//! 1983; on rasters: A. Lodi, S. Martello, D. Vigo, *Recent advances on two-dimensional bin packing problems*, 2002). The size at which
//! all of them fit is found by packing into an endless strip and asking how long it became. Everything is deterministic.

pub mod mask;
pub mod orient;
mod sheet;

use std::f64::consts::FRAC_PI_2;

use ectome_mesh::{Cancelled, Progress};
use glam::DVec2;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::layout::Placement;
use mask::Mask;
use sheet::{Scratch, Shape, Sheets};

/// How islands may be turned.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Turns {
    /// Not at all.
    Never,
    /// By quarter turns only.
    Quarter,
    /// Freely.
    #[default]
    Free,
}

/// How a sheet is filled.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Settings {
    /// Side of a sheet, in texels.
    pub size: u32,
    /// Least distance between islands, in texels.
    pub padding: f64,
    /// Least distance to the edge of a sheet, in texels.
    pub border: f64,
    /// How islands may be turned.
    pub turns: Turns,
    /// Straight outlines run along the edges of the sheet.
    pub straighten: bool,
    /// How many sheets.
    pub sheets: u32,
    /// How many further orders are tried; more is slower and often denser.
    pub effort: u32,
}

impl Default for Settings {
    fn default() -> Self {
        Self {
            size: 2048,
            padding: 8.0,
            border: 8.0,
            turns: Turns::Free,
            straighten: false,
            sheets: 1,
            effort: 0,
        }
    }
}

/// Why islands could not be packed.
#[derive(Clone, Debug, Error, PartialEq, Eq)]
pub enum PackError {
    /// The padding leaves no room for islands.
    #[error(
        "{islands} islands with {padding} texels between them do not fit on {sheets} sheets of {size} texels. Take less padding, a larger size or more sheets"
    )]
    NoRoom {
        /// How many islands.
        islands: usize,
        /// The padding, in texels.
        padding: u32,
        /// Sheets.
        sheets: u32,
        /// Side of a sheet, in texels.
        size: u32,
    },
    /// At the density asked for, the islands need more room.
    #[error("at this texel density the islands do not fit on {sheets} sheets of {size} texels")]
    TooDense {
        /// Sheets.
        sheets: u32,
        /// Side of a sheet, in texels.
        size: u32,
    },
    /// The work was stopped.
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
}

/// One thing to be packed: an island, a stack of equal ones, or a group that keeps together.
#[derive(Clone, Debug, Default)]
pub struct Item {
    /// Its triangles, in any unit that all items share.
    pub triangles: Vec<[DVec2; 3]>,
    /// Its border, as far as known; for straightening.
    pub outline: Vec<[DVec2; 2]>,
}

/// Where items lie.
#[derive(Clone, Debug, PartialEq)]
pub struct Packed {
    /// From the unit of the items to widths of the sheet.
    pub placements: Vec<Placement>,
    /// The sheet of each item.
    pub sheets: Vec<u32>,
    /// Widths of the sheet per unit.
    pub scale: f64,
}

/// Packs items. `taken` are triangles that lie on the first sheet already, in widths of the sheet. With `scale`, in widths
/// of the sheet per unit, items keep that size; otherwise they get the largest that fits.
///
/// # Errors
/// [`PackError`] when they do not fit.
pub fn pack(
    items: &[Item],
    taken: &[[DVec2; 3]],
    scale: Option<f64>,
    settings: &Settings,
    progress: &Progress,
) -> Result<Packed, PackError> {
    let area: f64 = items
        .iter()
        .flat_map(|i| &i.triangles)
        .map(|&t| 0.5 * crate::layout::twice_area(t).abs())
        .sum();
    if area <= 0.0 {
        return Ok(Packed {
            placements: vec![Placement::STILL; items.len()],
            sheets: vec![0; items.len()],
            scale: 1.0,
        });
    }
    let turned = turned(items, settings);
    let rounds = rounds(settings);
    let coarse = Job::new(
        items,
        &turned,
        taken,
        settings,
        settings.size.div_ceil(COARSE),
    );
    // Small sheets are cheap enough for a cell to a texel.
    let texels = if settings.size <= 1024 { 1 } else { FINE };
    let fine = Job::new(
        items,
        &turned,
        taken,
        settings,
        settings.size.div_ceil(texels),
    );
    let no_room = || match scale {
        None => PackError::NoRoom {
            islands: items.len(),
            padding: settings.padding.round() as u32,
            sheets: settings.sheets,
            size: settings.size,
        },
        Some(_) => PackError::TooDense {
            sheets: settings.sheets,
            size: settings.size,
        },
    };
    progress.at(0.0)?;
    let found: Vec<Option<Solution>> = match scale {
        Some(scale) => rounds
            .par_iter()
            .map(|round| fine.standing(scale * f64::from(fine.cells), round, progress))
            .collect(),
        None => {
            let free = (f64::from(settings.sheets) * f64::from(coarse.cells).powi(2)).max(1.0);
            let start = (0.6 * free / area).sqrt();
            let begin = coarse
                .largest(start, &rounds[0], 5, 1.015, progress)
                .ok_or_else(no_room)?;
            progress.at(0.4)?;
            let begin = begin.scale * f64::from(fine.cells) / f64::from(coarse.cells);
            rounds
                .par_iter()
                .map(|round| fine.largest(begin * 1.015, round, 3, 1.008, progress))
                .collect()
        }
    };
    progress.at(1.0)?;
    let best = found
        .into_iter()
        .flatten()
        .reduce(|best, s| if s.scale > best.scale { s } else { best });
    let best = best.ok_or_else(no_room)?;
    Ok(fine.placed(&best))
}

/// Texels to a cell in the first search for a size.
const COARSE: u32 = 4;
/// Texels to a cell in the last one, on large sheets.
const FINE: u32 = 2;

/// The turns each item is tried in, in radians.
fn turned(items: &[Item], settings: &Settings) -> Vec<Vec<f64>> {
    let base = |item: &Item| {
        let straight = settings
            .straighten
            .then(|| orient::straight(&item.outline))
            .flatten();
        straight.unwrap_or_else(|| {
            orient::least_box(item.triangles.iter().flatten().copied().collect())
        })
    };
    items
        .par_iter()
        .map(|item| match settings.turns {
            Turns::Free if settings.effort > 0 && !settings.straighten => {
                let b = base(item);
                vec![b, b + FRAC_PI_2 / 2.0]
            }
            Turns::Free => vec![base(item)],
            Turns::Quarter | Turns::Never => vec![0.0],
        })
        .collect()
}

/// An order in which items go in.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Round {
    /// Weight of the long side against the root of the area.
    long: f64,
    /// How much the order is shaken, and by which numbers.
    shake: f64,
    seed: u64,
    /// How many of the turns of an item are tried, each with its quarters.
    turns: usize,
}

fn rounds(settings: &Settings) -> Vec<Round> {
    let plain = |long| Round {
        long,
        shake: 0.0,
        seed: 0,
        turns: 2,
    };
    let mut list = vec![Round {
        turns: 1,
        ..plain(0.5)
    }];
    for i in 0..u64::from(settings.effort) {
        list.push(match i {
            0 => plain(1.0),
            1 => plain(0.0),
            i => Round {
                long: 0.5,
                shake: 0.25,
                seed: i,
                turns: 1 + (i % 2) as usize,
            },
        });
    }
    list
}

/// One item in one turn, at one size.
struct Turned {
    shape: Shape,
    grown: Mask,
    margin: usize,
    /// From the unit of the items to cells from the mask's corner.
    placement: Placement,
}

/// Items to be packed on a grid.
struct Job<'a> {
    items: &'a [Item],
    turns: &'a [Vec<f64>],
    taken: &'a [[DVec2; 3]],
    quarters: usize,
    /// Cells along the side of a sheet.
    cells: u32,
    padding: f64,
    border: usize,
    sheets: usize,
    /// Long side and root of the area of each item, in units.
    sizes: Vec<(f64, f64)>,
}

/// Where an item stands.
#[derive(Clone, Copy)]
struct Put {
    x: usize,
    y: usize,
    placement: Placement,
}

struct Solution {
    scale: f64,
    puts: Vec<Put>,
}

enum Attempt {
    /// All items stand; the last row in use, counted over sheets without their gaps.
    Stands(Solution, usize),
    /// An item is larger than a sheet, or the work was stopped.
    Never,
}

impl<'a> Job<'a> {
    fn new(
        items: &'a [Item],
        turns: &'a [Vec<f64>],
        taken: &'a [[DVec2; 3]],
        settings: &Settings,
        cells: u32,
    ) -> Self {
        let per_texel = f64::from(cells) / f64::from(settings.size);
        let size = |item: &Item| {
            let corners = item.triangles.iter().flatten();
            let (low, high) = corners.fold((DVec2::INFINITY, DVec2::NEG_INFINITY), |(l, h), &p| {
                (l.min(p), h.max(p))
            });
            let area: f64 = item
                .triangles
                .iter()
                .map(|&t| crate::layout::twice_area(t).abs())
                .sum();
            ((high - low).length(), (0.5 * area).sqrt())
        };
        Self {
            quarters: match settings.turns {
                Turns::Never => 1,
                _ => 4,
            },
            sizes: items.iter().map(size).collect(),
            items,
            turns,
            taken,
            cells,
            padding: settings.padding * per_texel,
            border: (settings.border * per_texel).ceil() as usize,
            sheets: settings.sheets.max(1) as usize,
        }
    }

    fn order(&self, round: &Round) -> Vec<usize> {
        let mut keyed: Vec<(f64, usize)> = self
            .sizes
            .iter()
            .enumerate()
            .map(|(i, &(long, root))| {
                let key = round.long * long + (1.0 - round.long) * 2.0 * root;
                let noise = 1.0 + round.shake * (noise(round.seed, i as u64) - 0.5);
                (key * noise, i)
            })
            .collect();
        keyed.sort_unstable_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
        keyed.into_iter().map(|k| k.1).collect()
    }

    /// The turns of one item at a size in cells per unit, as far as they fit on a sheet.
    fn turned(&self, item: usize, scale: f64, turns: usize) -> Vec<Turned> {
        let mut out = Vec::new();
        for &angle in self.turns[item].iter().take(turns) {
            let turn = Placement::turned(angle, scale);
            let triangles: Vec<[DVec2; 3]> = self.items[item]
                .triangles
                .iter()
                .map(|t| t.map(|p| turn.of(p)))
                .collect();
            let corners = triangles.iter().flatten();
            let (low, high) = corners.fold((DVec2::INFINITY, DVec2::NEG_INFINITY), |(l, h), &p| {
                (l.min(p), h.max(p))
            });
            let corner = low - 0.01;
            let size = (high + 0.01 - corner).floor();
            // Quarter turns do not help what is longer than a sheet.
            if size.max_element() >= f64::from(self.cells) {
                continue;
            }
            let mut mask = Mask::empty(size.x as usize + 1, size.y as usize + 1);
            for t in triangles {
                mask.touch(t.map(|p| p - corner));
            }
            let mut placement = turn.moved(-corner);
            for q in 0..self.quarters {
                if q > 0 {
                    // (x, y) comes to (height − y, x).
                    let h = mask.height as f64;
                    let quarter = |p: DVec2| DVec2::new(-p.y, p.x);
                    placement = Placement {
                        x: quarter(placement.x),
                        y: quarter(placement.y),
                        shift: quarter(placement.shift) + DVec2::new(h, 0.0),
                    };
                    mask = mask.quarter();
                }
                let (grown, margin) = mask.grown(self.padding);
                out.push(Turned {
                    shape: Shape::new(mask.clone()),
                    grown,
                    margin,
                    placement,
                });
            }
        }
        out
    }

    fn attempt(&self, scale: f64, round: &Round, progress: &Progress) -> Attempt {
        let side = self.cells as usize;
        let mut sheets = Sheets::new(side, self.border);
        self.take_locked(&mut sheets);
        let pitch = sheets.pitch();
        let endless = (4 * self.sheets + 8) * pitch;
        let turned: Vec<Vec<Turned>> = (0..self.items.len())
            .into_par_iter()
            .map(|i| self.turned(i, scale, round.turns))
            .collect();
        let mut puts = vec![
            Put {
                x: 0,
                y: 0,
                placement: Placement::STILL
            };
            self.items.len()
        ];
        let mut scratch = Scratch::default();
        let mut last = 0;
        for item in self.order(round) {
            if progress.at(0.5).is_err() {
                return Attempt::Never;
            }
            let mut best: Option<(usize, usize, usize, usize)> = None;
            for (t, turn) in turned[item].iter().enumerate() {
                let h = turn.shape.mask.height;
                // Only a higher lower edge is better.
                let below = best.map_or(endless, |b| b.0.saturating_sub(h));
                if let Some((x, y)) = sheets.find(&turn.shape, 0, below, &mut scratch)
                    && best.is_none_or(|b| (y + h, y, x, t) < b)
                {
                    best = Some((y + h, y, x, t));
                }
            }
            let Some((end, y, x, t)) = best else {
                return Attempt::Never;
            };
            let turn = &turned[item][t];
            let margin = turn.margin as i64;
            sheets.take(&turn.grown, x as i64 - margin, y as i64 - margin);
            last = last.max(end / pitch * side + end % pitch + self.border);
            puts[item] = Put {
                x,
                y,
                placement: turn.placement,
            };
        }
        Attempt::Stands(Solution { scale, puts }, last)
    }

    /// The items at one size, if they fit on the sheets.
    fn standing(&self, scale: f64, round: &Round, progress: &Progress) -> Option<Solution> {
        match self.attempt(scale, round, progress) {
            Attempt::Stands(solution, rows) if rows <= self.rows() => Some(solution),
            _ => None,
        }
    }

    /// Rows of all sheets.
    fn rows(&self) -> usize {
        self.sheets * self.cells as usize
    }

    fn take_locked(&self, sheets: &mut Sheets) {
        if self.taken.is_empty() {
            return;
        }
        let side = self.cells as usize;
        let mut mask = Mask::empty(side, side);
        for t in self.taken {
            mask.touch(t.map(|p| p * f64::from(self.cells)));
        }
        let (grown, margin) = mask.grown(self.padding);
        sheets.take(&grown, -(margin as i64), -(margin as i64));
    }

    /// The largest size found in `tries` attempts from `start`, in cells per unit; one that could grow by less than `near`
    /// will do.
    fn largest(
        &self,
        start: f64,
        round: &Round,
        tries: usize,
        near: f64,
        progress: &Progress,
    ) -> Option<Solution> {
        let have = self.rows() as f64;
        // A sheet takes nothing that is longer than its diagonal.
        let room = f64::from(self.cells) - 2.0 * self.border as f64 - 2.0;
        let longest = self.sizes.iter().map(|s| s.0).fold(0.0, f64::max);
        let mut scale = start.min(1.4 * room / longest);
        let (mut best, mut fails): (Option<Solution>, f64) = (None, f64::INFINITY);
        let mut tried = 0;
        while tried < tries + 12 {
            if tried >= tries && best.is_some() {
                break;
            }
            tried += 1;
            match self.attempt(scale, round, progress) {
                Attempt::Never => {
                    if progress.at(0.5).is_err() {
                        return None;
                    }
                    fails = fails.min(scale);
                    scale *= 0.85;
                }
                Attempt::Stands(solution, rows) => {
                    let ratio = (have / rows as f64).sqrt();
                    if rows as f64 <= have {
                        let known = best.as_ref().map_or(0.0, |b| b.scale);
                        if solution.scale > known {
                            best = Some(solution);
                        }
                        if ratio < near {
                            break;
                        }
                        scale *= ratio.min(1.15);
                    } else {
                        fails = fails.min(scale);
                        scale *= (ratio * 0.998).clamp(0.6, 0.996);
                    }
                }
            }
            // Between what stands and what does not.
            let stands = best.as_ref().map_or(0.0, |b| b.scale);
            if scale >= fails || scale <= stands {
                if fails.is_infinite() || fails / stands.max(1e-300) < 1.004 {
                    break;
                }
                scale = if stands > 0.0 {
                    (stands * fails).sqrt()
                } else {
                    fails * 0.9
                };
            }
        }
        best
    }

    fn placed(&self, solution: &Solution) -> Packed {
        let side = f64::from(self.cells);
        let pitch = 2 * self.cells as usize;
        let (mut placements, mut sheets) = (Vec::new(), Vec::new());
        for put in &solution.puts {
            let at = DVec2::new(put.x as f64, (put.y % pitch) as f64);
            let p = put.placement.moved(at);
            placements.push(Placement {
                x: p.x / side,
                y: p.y / side,
                shift: p.shift / side,
            });
            sheets.push((put.y / pitch) as u32);
        }
        Packed {
            placements,
            sheets,
            scale: solution.scale / side,
        }
    }
}

/// A number from 0 to 1 that looks like chance (S. Vigna's SplitMix64).
fn noise(seed: u64, i: u64) -> f64 {
    let mut z = (seed << 32 ^ i).wrapping_add(0x9E37_79B9_7F4A_7C15);
    z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
    (z ^ (z >> 31)) as f64 / u64::MAX as f64
}
