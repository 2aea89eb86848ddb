//! Ectome's one program: the application and its command line.
//!
//! Exit status: 0 done; 1 the input or the target cannot be met, with one line on stderr that says
//! why; 2 wrong usage.

mod command;
mod input;
mod output;
mod watch;

use std::process::ExitCode;

use clap::Parser;

fn main() -> ExitCode {
    match command::Command::parse().run() {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            output::remark!("ectome: {error}");
            ExitCode::from(error.status())
        }
    }
}
