//! Recipes from source to parcel, on assets of the demo and on small hand-made ones. One program, so that what all of it uses is compiled once.

mod analysed;
mod brought;
mod budget;
mod far_end;
mod fitted;
mod intake;
mod leaves;
mod looks_live;
mod maps;
mod maps_read_back;
mod merge;
mod parcel;
mod proof;
mod steps;
mod uv;
mod vanishing;
mod written_faults;
