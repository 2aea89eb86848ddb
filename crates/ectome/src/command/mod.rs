//! The commands.

mod bake;
mod chain;
mod collect;
mod compare;
mod cut;
mod demo;
pub mod failure;
mod far_end;
mod inspect;
mod loops;
mod merge;
mod place;
mod plan;
mod prepare;
mod rebuild;
mod run;
mod serve;
mod settings;
mod source;
mod unwrap;
mod work;

use clap::{Parser, Subcommand};

pub use failure::Failure;

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
    Plan(plan::PlanCommand),
    Run(run::Run),
    Rebuild(rebuild::Rebuild),
    Hull(far_end::Hull),
    Cards(far_end::Cards),
    Loops(loops::Loops),
    Unwrap(unwrap::Unwrap),
    Merge(merge::Merge),
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
            Which::Plan(command) => command.run(),
            Which::Run(command) => command.run(),
            Which::Rebuild(command) => command.run(),
            Which::Hull(command) => command.run(),
            Which::Cards(command) => command.run(),
            Which::Loops(command) => command.run(),
            Which::Unwrap(command) => command.run(),
            Which::Merge(command) => command.run(),
            Which::Bake(command) => command.run(),
            Which::Compare(command) => command.run(),
            Which::Demo(command) => command.run(),
            Which::Serve(command) => command.run(),
            Which::Work(command) => command.run(),
            Which::Collect(command) => command.run(),
        }
    }
}
