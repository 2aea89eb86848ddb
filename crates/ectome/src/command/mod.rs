//! The commands and what can go wrong in them.

mod bake;
mod chain;
mod collect;
mod compare;
mod cut;
mod demo;
mod inspect;
mod loops;
mod place;
mod prepare;
mod serve;
mod settings;
mod source;
mod unwrap;
mod work;

use std::path::PathBuf;

use clap::{Parser, Subcommand};
use ectome_recipe::words::grouped;
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
    /// The server could not run.
    #[error("{0}")]
    Serve(String),
    /// A list of steps is broken.
    #[error("{} cannot be read: {}", .0.display(), .1)]
    Steps(PathBuf, String),
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
            Self::Settings(_) | Self::Steps(..) | Self::BriefFile(..) | Self::Brief(_) => 2,
            _ => 1,
        }
    }
}

/// Cuts heavy meshes down to triangle budgets.
#[derive(Parser)]
#[command(name = "ectome", version, about, max_term_width = 100)]
pub struct Command {
    #[command(subcommand)]
    which: Which,
}

#[derive(Subcommand)]
enum Which {
    Inspect(inspect::Inspect),
    Prepare(prepare::Prepare),
    Cut(cut::Cut),
    Chain(chain::Chain),
    Loops(loops::Loops),
    Unwrap(unwrap::Unwrap),
    Bake(bake::Bake),
    Compare(compare::Compare),
    Demo(demo::Demo),
    Serve(serve::Serve),
    Work(work::Work),
    Collect(collect::Collect),
}

impl Command {
    /// Runs the command.
    pub fn run(self) -> Result<(), Failure> {
        match self.which {
            Which::Inspect(command) => command.run(),
            Which::Prepare(command) => command.run(),
            Which::Cut(command) => command.run(),
            Which::Chain(command) => command.run(),
            Which::Loops(command) => command.run(),
            Which::Unwrap(command) => command.run(),
            Which::Bake(command) => command.run(),
            Which::Compare(command) => command.run(),
            Which::Demo(command) => command.run(),
            Which::Serve(command) => command.run(),
            Which::Work(command) => command.run(),
            Which::Collect(command) => command.run(),
        }
    }
}
