//! Cuts, merges and logs on closed forms, hard shapes and drawn meshes. One program, so that what all of it uses is compiled once.

mod charts;
mod common;
mod cut;
mod first_pass;
mod flat;
mod free;
mod loops;
mod replay;
