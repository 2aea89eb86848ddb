//! Ours beside programs and files of others. One program, so that what all of it uses is compiled once.

mod cut;
mod ktx2;
mod open_models;
mod other_readers;
mod parcels;
mod texture_transform;
mod unwrap;
