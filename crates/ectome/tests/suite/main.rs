//! The command line, run as a program. One program, so that what all of it uses is compiled once.

mod bake;
mod cli;
mod documented;
mod far_end;
mod hierarchy;
mod hostile;
mod interrupted;
mod materials;
mod merge;
mod options;
mod rebuild;
mod run;
