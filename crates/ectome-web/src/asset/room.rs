//! What a step of an asset's page is: its address, its name, what its tab says, and its column.

use std::pin::Pin;

use super::{frame::Frame, rows::Rows};
use crate::{failure::Failure, rendered::Rendered, state::App};

/// What a tab says of its step before it is opened, and the class of that.
pub type Says = (String, &'static str);

/// A column on its way.
pub type Gathered<'a> = Pin<Box<dyn Future<Output = Result<Rendered, Failure>> + Send + 'a>>;

/// A step of an asset's page. A new one is a folder with one of these and a line in [`ROOMS`](super::rooms::ROOMS).
pub struct Room {
    /// The word in addresses.
    pub address: &'static str,
    /// The name on its tab.
    pub name: &'static str,
    /// The source itself can stand on its stage instead of a candidate, asked for as number 0.
    pub shows_source: bool,
    /// What its tab says.
    pub says: fn(&Rows) -> Says,
    /// Gathers its column and draws it.
    pub column: for<'a> fn(&'a App, &'a Rows, &'a Frame) -> Gathered<'a>,
}

/// What a tab says where nothing was made yet.
pub fn none_yet() -> Says {
    ("none yet".to_owned(), "is-quiet")
}
