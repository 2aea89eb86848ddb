//! Files as others write and read them. One program, so that what all of it uses is compiled once.

mod codings;
mod draco;
mod glb;
mod mtl;
mod obj;
mod ply;
mod round_trip;
mod shared_edges;
