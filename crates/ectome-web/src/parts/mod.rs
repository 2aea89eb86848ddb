//! The Parts step: the ledger. What is done there is a change of the source, see `intake`.

mod ledger;

pub use ledger::{Ledger, ledger};

use crate::{
    asset::{
        frame::Frame,
        room::{Room, Says},
        rows::Rows,
    },
    rendered::Rendered,
    words,
};
use askama::Template;
use ectome_recipe::Fate;

/// The step.
pub static ROOM: Room = Room {
    address: "parts",
    name: "Parts",
    shows_source: false,
    says,
    column: |_, rows, frame| {
        Box::pin(async move {
            let view = PartsView::of(rows);
            Ok(Rendered::of(&Column { frame, view })?)
        })
    },
};

#[derive(Template)]
#[template(path = "asset_parts.html")]
struct Column<'a> {
    frame: &'a Frame,
    view: PartsView,
}

fn says(rows: &Rows) -> Says {
    let there = rows.inspection().objects.iter().filter(|o| o.triangles > 0);
    let (built, all) = there.fold((0, 0), |(b, n), o| {
        (b + usize::from(o.fate == Fate::Build), n + 1)
    });
    if built == all {
        (words::grouped(all as u64), "is-quiet")
    } else {
        (format!("{built} of {all} built"), "is-kelp")
    }
}

/// What the step's column shows.
pub struct PartsView {
    pub ledger: Ledger,
    /// Why the change that was asked for last could not be made.
    pub fault: Option<String>,
}

impl PartsView {
    /// Gathers it.
    pub fn of(rows: &Rows) -> Self {
        Self {
            ledger: ledger(rows.inspection()),
            fault: rows.asset.preparation_fault.clone(),
        }
    }
}
