//! The History step: every candidate as a tree, each under what it was made from.

mod tree;

use askama::Template;

use crate::{
    asset::{
        frame::Frame,
        room::{Room, Says, none_yet},
        rows::Rows,
    },
    rendered::Rendered,
    words,
};
use tree::{Node, tree};

/// The step.
pub static ROOM: Room = Room {
    address: "history",
    name: "History",
    shows_source: false,
    says,
    column: |_, rows, frame| {
        Box::pin(async move {
            let column = Column {
                frame,
                source_picture: rows.asset.picture.as_deref(),
                nodes: tree(rows),
            };
            Ok(Rendered::of(&column)?)
        })
    },
};

#[derive(Template)]
#[template(path = "asset_history.html")]
struct Column<'a> {
    frame: &'a Frame,
    source_picture: Option<&'a str>,
    nodes: Vec<Node>,
}

fn says(rows: &Rows) -> Says {
    match rows.tray.len() {
        0 => none_yet(),
        n => (words::counted(n as u64, "candidate"), "is-quiet"),
    }
}
