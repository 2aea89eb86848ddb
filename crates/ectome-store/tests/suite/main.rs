//! The store on a real database: work, batches, parcels, older schemas, what happens when somebody pulls the plug. One program, so that what all of it uses is compiled once.

mod batches;
mod common;
mod database;
mod endings;
mod kept;
mod older;
mod parcels;
mod preparation;
mod queue;
mod targets;
mod workers;
