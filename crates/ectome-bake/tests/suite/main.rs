//! Maps against closed forms, and baked again in part.

mod again;
mod closed_forms;
mod sheet;
