//! Why a recipe could not be run, in sentences.

use ectome_compare::CompareError;
use ectome_formats::FormatError;
use ectome_intake::parts::arrange::NoSuchPart;
use ectome_mesh::Cancelled;
use ectome_reduce::CutError;
use ectome_uv::pack::PackError;
use thiserror::Error;

use crate::{
    figures,
    shortfall::{self, HeldBy},
};

/// Why a recipe could not be run.
#[derive(Debug, Error)]
pub enum EngineError {
    /// A file's fault.
    #[error(transparent)]
    Format(FormatError),
    /// The target is at or above the source.
    #[error(
        "the source has {triangles} triangles already, within the target of {target}: nothing to cut"
    )]
    NothingToCut {
        /// Triangles of the source.
        triangles: usize,
        /// The target.
        target: usize,
    },
    /// More triangles were asked for than a first pass left.
    #[error(
        "{target} triangles are more than the {most} that the first pass left of {triangles}. Ask for at most {most}"
    )]
    BeyondFirstPass {
        /// Triangles asked for.
        target: usize,
        /// Triangles of the source.
        triangles: usize,
        /// The most that can be had.
        most: usize,
    },
    /// Guards, or the surface itself, stop a cut above its target.
    #[error("{}", shortfall::sentence(*.target, *.reached, .held))]
    Held {
        /// Triangles asked for.
        target: usize,
        /// The fewest that can be had.
        reached: usize,
        /// What holds them.
        held: Vec<HeldBy>,
    },
    /// No edge loop can go.
    #[error("no edge loop can be taken out{}", .held.as_ref().map_or_else(
        || ": the source has no quads in rows".to_owned(),
        |why| format!(": what there is stays ({why})")
    ))]
    NoLoops {
        /// Why those that were found stay.
        held: Option<String>,
    },
    /// Nothing can be baked.
    #[error("nothing can be baked: {0}")]
    Bake(String),
    /// No skin can be laid.
    #[error("nothing can be rebuilt: {0}")]
    Rebuild(String),
    /// Nothing can stand in.
    #[error("nothing can stand in for this: {0}")]
    FarEnd(String),
    /// No materials can be merged.
    #[error("no materials can be merged: {0}")]
    Merge(String),
    /// A change took everything away.
    #[error(
        "\u{201c}{by}\u{201d} would leave nothing of the source. Change its figures, or take it back"
    )]
    NothingLeft {
        /// The change.
        by: &'static str,
    },
    /// A change that names a material which is not there.
    #[error(
        "the source has no material called \u{201c}{name}\u{201d}. Its materials are listed on the Intake step"
    )]
    NoMaterial {
        /// The name.
        name: String,
    },
    /// A change with a figure that means nothing.
    #[error("\u{201c}{of}\u{201d} {fault}")]
    Meaningless {
        /// The change.
        of: &'static str,
        /// What is wrong with it.
        fault: &'static str,
    },
    /// A change names a part that is not there.
    #[error(transparent)]
    Part(#[from] NoSuchPart),
    /// Every part is left out.
    #[error("no part of the source is built. Give at least one part the fate build")]
    NothingBuilt,
    /// No count was found that holds a deviation.
    #[error(
        "no cut was found that stays within {}: even {} triangles are further off{}",
        figures::length(*.limit_mm), figures::grouped(*.tried as u64),
        if *.from_another { ", perhaps because what they are cut from is. Cut from the source instead, or permit more" } else { ". Permit more" }
    )]
    NotWithin {
        /// The permitted deviation, in millimetres.
        limit_mm: f64,
        /// The most triangles that were tried.
        tried: usize,
        /// What is cut is a candidate itself, which may be off as far.
        from_another: bool,
    },
    /// The target is too small for any surface.
    #[error("a target of {target} triangles leaves no surface: ask for at least 4")]
    TargetTooSmall {
        /// The target.
        target: usize,
    },
    /// The cut was held.
    #[error(transparent)]
    Cut(CutError),
    /// The result could not be measured.
    #[error(transparent)]
    Compare(CompareError),
    /// UVs could not be changed.
    #[error(transparent)]
    Uv(#[from] UvFault),
    /// Islands do not fit.
    #[error(transparent)]
    Pack(PackError),
    /// What was kept cannot be had.
    #[error("what is kept of this source cannot be read: {0}")]
    Stock(String),
    /// A plan cannot be followed.
    #[error("{0}")]
    Plan(String),
    /// A pattern of names cannot be read.
    #[error("the brief has names that cannot be: {0}")]
    Names(String),
    /// The steps are in an order that means nothing.
    #[error("the recipe {0}")]
    Order(&'static str),
    /// The work was stopped.
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
}

impl From<FormatError> for EngineError {
    fn from(error: FormatError) -> Self {
        match error {
            FormatError::Cancelled(c) => Self::Cancelled(c),
            other => Self::Format(other),
        }
    }
}

impl From<PackError> for EngineError {
    fn from(error: PackError) -> Self {
        match error {
            PackError::Cancelled(c) => Self::Cancelled(c),
            other => Self::Pack(other),
        }
    }
}

impl From<CutError> for EngineError {
    fn from(error: CutError) -> Self {
        match error {
            CutError::Cancelled(c) => Self::Cancelled(c),
            other => Self::Cut(other),
        }
    }
}

impl From<CompareError> for EngineError {
    fn from(error: CompareError) -> Self {
        match error {
            CompareError::Cancelled(c) => Self::Cancelled(c),
            other => Self::Compare(other),
        }
    }
}

impl From<ectome_bake::BakeError> for EngineError {
    fn from(error: ectome_bake::BakeError) -> Self {
        match error {
            ectome_bake::BakeError::Cancelled(cancelled) => Self::Cancelled(cancelled),
            other => Self::Bake(other.to_string()),
        }
    }
}

/// Why UVs could not be changed.
#[derive(Clone, Debug, Error, PartialEq)]
pub enum UvFault {
    /// A place lies on no island.
    #[error("no island lies there. Unwrap the mesh first, or pick a place that has UVs")]
    NoIsland,
    /// The mesh has no UVs.
    #[error("there are no UVs yet. Unwrap the mesh first")]
    NoUvs,
    /// Islands are locked where all would change their size.
    #[error(
        "islands are locked, so the others cannot change their size. Unlock them first, and lock them when the sheet is laid out anew"
    )]
    Locked,
    /// A priority out of range.
    #[error("a priority is between 0.25 and 4")]
    Priority,
    /// Two places that are to be on two islands lie on one.
    #[error("both places lie on one island. Pick a place on each of two")]
    OneIsland,
    /// A move without figures that a sheet can hold.
    #[error(
        "islands are moved by up to 64 widths of the sheet, turned by up to 3600 degrees and sized by 0.05 to 20. Give other figures"
    )]
    Move,
    /// Two islands make no third.
    #[error(
        "these two islands cannot be joined: they share no seam, or the whole would fold or stretch too much"
    )]
    NotJoined,
    /// Islands need more room than there is.
    #[error(
        "at this texel density the islands do not fit on {} of {size} texels. {}",
        sheets_in_words(*.sheets), way_out(*.most)
    )]
    TooDense {
        /// Sheets that may be filled.
        sheets: u32,
        /// The edge of each in texels.
        size: u32,
        /// The texels per metre that would fit, where that could be found.
        most: Option<f64>,
    },
}

fn sheets_in_words(sheets: u32) -> String {
    match sheets {
        1 => "one sheet".to_owned(),
        n => format!("{n} sheets"),
    }
}

fn way_out(most: Option<f64>) -> String {
    match most {
        Some(m) => format!("The most that fits is {m:.0} texels per metre; or take more sheets"),
        None => "Take more sheets".to_owned(),
    }
}
