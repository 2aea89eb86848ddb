//! The real application in a real browser, and what a stranger does to it. One program, so that it is linked once and its tests run
//! beside each other.

mod accessible;
mod batches;
mod compressed;
mod crashes;
mod drawn_beside;
mod elsewhere;
mod far_end;
mod first_start;
mod hostile_names;
mod intake;
mod licences;
mod lit;
mod main_job;
mod maps;
mod one_button;
mod outage;
mod pairs;
mod proof;
mod rebuild;
mod refusals;
mod restart;
mod strangers;
mod tabs;
mod uvs;
