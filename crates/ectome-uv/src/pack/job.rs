//! Items on a grid: one attempt at a size, and the search for the largest size that fits.

use std::f64::consts::FRAC_PI_2;

use ectome_mesh::Progress;
use glam::DVec2;
use rayon::prelude::*;

use super::{
    Item, Packed, Settings, Turns,
    mask::Mask,
    orient,
    sheet::{Scratch, Shape, Sheets},
};
use crate::layout::{Placement, twice_area};

/// The turns each item is tried in, in radians.
pub fn turned(items: &[Item], settings: &Settings) -> Vec<Vec<f64>> {
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
pub struct Round {
    /// Weight of the long side against the root of the area.
    long: f64,
    /// How much the order is shaken, and by which numbers.
    shake: f64,
    seed: u64,
    /// How many of the turns of an item are tried, each with its quarters.
    turns: usize,
}

/// The orders that are tried, the usual one first.
pub fn rounds(settings: &Settings) -> Vec<Round> {
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
pub struct Job<'a> {
    items: &'a [Item],
    turns: &'a [Vec<f64>],
    taken: &'a [[DVec2; 3]],
    quarters: usize,
    /// Cells along the side of a sheet.
    pub cells: u32,
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

/// Items that stand.
pub struct Solution {
    /// Cells per unit.
    pub scale: f64,
    puts: Vec<Put>,
}

enum Attempt {
    /// All items stand; the last row in use, counted over sheets without their gaps.
    Stands(Solution, usize),
    /// An item is larger than a sheet, or the work was stopped.
    Never,
}

impl<'a> Job<'a> {
    /// Prepares items for a grid of `cells` × `cells`.
    pub fn new(
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
            let area: f64 = item.triangles.iter().map(|&t| twice_area(t).abs()).sum();
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
    pub fn standing(&self, scale: f64, round: &Round, progress: &Progress) -> Option<Solution> {
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
    pub fn largest(
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

    /// A solution in widths of the sheet.
    pub fn placed(&self, solution: &Solution) -> Packed {
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
