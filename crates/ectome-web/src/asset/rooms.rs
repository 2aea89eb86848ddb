//! The steps of an asset's page, in the order of work.

use super::room::Room;
use crate::{chain, cut, history, intake, maps, parcel, parts, proof, uvs};

/// All of them.
pub static ROOMS: [&Room; 9] = [
    &intake::ROOM,
    &parts::ROOM,
    &cut::ROOM,
    &uvs::ROOM,
    &maps::ROOM,
    &chain::ROOM,
    &proof::ROOM,
    &parcel::ROOM,
    &history::ROOM,
];

/// The step of an address.
pub fn at(address: &str) -> Option<&'static Room> {
    ROOMS.into_iter().find(|r| r.address == address)
}
