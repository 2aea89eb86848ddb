//! The steps of an asset as a list of tabs.

use super::{rooms::ROOMS, rows::Rows};

/// A step in the list.
pub struct Tab {
    pub number: usize,
    pub address: &'static str,
    pub name: &'static str,
    pub says: String,
    pub class: &'static str,
    pub here: bool,
}

/// All of them.
pub fn tabs(rows: &Rows) -> Vec<Tab> {
    let numbered = (1..).zip(ROOMS);
    let tab = |(number, room): (usize, &'static super::room::Room)| {
        let (says, class) = (room.says)(rows);
        Tab {
            number,
            address: room.address,
            name: room.name,
            says,
            class,
            here: room.address == rows.room.address,
        }
    };
    numbered.map(tab).collect()
}
