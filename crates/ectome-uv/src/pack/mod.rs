//! Islands laid out on sheets: real outlines, holes used, never nearer to each other than the padding.
//!
//! Every island becomes a mask of the cells it touches; the cells within the padding of it are taken for all others. Islands go in
//! one after another, the largest first, each in the highest free place of its turns (bottom-left-fill; B. Chazelle,
//! 1983; on rasters: A. Lodi, S. Martello, D. Vigo, *Recent advances on two-dimensional bin packing problems*, 2002). The size at which
//! all of them fit is found by packing into an endless strip and asking how long it became. Everything is deterministic.

mod job;
pub mod mask;
pub mod orient;
mod sheet;

use ectome_mesh::{Cancelled, Progress};
use glam::DVec2;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::layout::Placement;
use job::{Job, Solution, rounds, turned};

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
        "{islands} islands {padding} texels apart do not fit on sheets of {size} texels ({sheets} allowed). Take less padding, a larger size or more sheets"
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
    #[error(
        "at this texel density the islands do not fit on sheets of {size} texels ({sheets} allowed)"
    )]
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
            let begin = coarse.largest(start, &rounds[0], 5, 1.015, progress);
            // Stopped work finds nothing either, and that is no want of room.
            progress.at(0.4)?;
            let begin = begin.ok_or_else(no_room)?;
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
