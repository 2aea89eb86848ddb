//! What can go wrong in a command.

use std::path::PathBuf;

use thiserror::Error;

/// Why a command failed, in a sentence.
#[derive(Debug, Error)]
pub enum Failure {
    /// A file could not be read.
    #[error("{} cannot be read: {}", .0.display(), .1)]
    Read(PathBuf, std::io::Error),
    /// A file could not be written.
    #[error("{} cannot be written: {}", .0.display(), .1)]
    Write(PathBuf, std::io::Error),
    /// A report could not be put into JSON.
    #[error("the report cannot be written as JSON: {0}")]
    Json(String),
    /// A file's fault.
    #[error(transparent)]
    Format(#[from] ectome_formats::FormatError),
    /// A recipe could not be run.
    #[error(transparent)]
    Engine(#[from] ectome_recipe::EngineError),
    /// The work was stopped.
    #[error(transparent)]
    Cancelled(#[from] ectome_mesh::Cancelled),
    /// A brief cannot be read.
    #[error("{} cannot be read: {}", .0.display(), .1)]
    BriefFile(PathBuf, std::io::Error),
    /// A brief is broken.
    #[error(transparent)]
    Brief(#[from] ectome_recipe::BriefError),
    /// A file that belongs to something else lies where one of several would be written.
    #[error(
        "{} lies where {} needs a file, and does not belong to it. Choose another name, or move it away",
        .0.display(), .1.display()
    )]
    InTheWay(PathBuf, PathBuf),
    /// The store refused.
    #[error(transparent)]
    Store(#[from] ectome_store::StoreError),
    /// The runtime that many requests share could not start.
    #[error("the runtime did not start: {0}")]
    Runtime(std::io::Error),
    /// Something else listens where the server would.
    #[error("port {0} is taken ({1}). Stop what uses it, or set ECTOME_PORT to a free one")]
    Port(u16, std::io::Error),
    /// The server ended by itself.
    #[error("the server stopped: {0}")]
    Served(std::io::Error),
    /// A list of steps is broken.
    #[error("{} cannot be read: {}", .0.display(), .1)]
    Steps(PathBuf, String),
    /// A plan cannot be run.
    #[error(transparent)]
    Plan(#[from] ectome_recipe::plan::PlanError),
    /// Not everything that was asked for could be done, or is within its brief.
    #[error(
        "of {count} files {failed} failed and {over} are over the brief; {} says which and why",
        .report.display()
    )]
    NotAll {
        /// Files that failed.
        failed: usize,
        /// Files whose result is over the brief.
        over: usize,
        /// All files.
        count: usize,
        /// Where it is written.
        report: PathBuf,
    },
    /// Settings that mean nothing.
    #[error("{0}")]
    Settings(String),
    /// Meshes could not be compared.
    #[error(transparent)]
    Compare(#[from] ectome_compare::CompareError),
}

impl Failure {
    /// The exit status: 2 for what was asked wrongly, 1 for what could not be done.
    pub fn status(&self) -> u8 {
        match self {
            Self::Settings(_)
            | Self::Plan(_)
            | Self::Steps(..)
            | Self::BriefFile(..)
            | Self::Brief(_) => 2,
            _ => 1,
        }
    }
}
