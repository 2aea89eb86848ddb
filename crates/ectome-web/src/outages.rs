//! What pages say while the database or the disk does not do what it should.

use ectome_store::{Store, database::Health};

use crate::words;

/// Why nothing can be shown, if that is so.
pub fn outage(health: &Health) -> Option<String> {
    match health {
        Health::Up => None,
        Health::Starting => Some(
            "The database ended and is being started again, which takes a few seconds. Nothing is lost, and work goes on when \
             it is back. This page asks again by itself."
                .to_owned(),
        ),
        Health::Away => Some(
            "The database, which Ectome did not start itself, does not answer. Nothing is lost, and work goes on when it is back. \
             This page asks again by itself."
                .to_owned(),
        ),
        Health::GivenUp(why) => Some(format!(
            "The database ended three times within a minute and is not started again: {why}. Put that right, then stop Ectome \
             and start it again; nothing is lost."
        )),
    }
}

/// Why new work waits, if it does: how much room is needed, how much there is, and where the rest went.
pub fn waiting(store: &Store) -> Option<String> {
    let disk = &store.disk;
    if !disk.is_low() {
        return None;
    }
    let taken = disk.taken();
    Some(format!(
        "New work waits: {} are free on the disk that holds {}, and {} are needed. Meshes and pictures take {} there, the \
         database {}, unfinished uploads {}. Remove assets that are not needed any more, or free space on that disk.",
        words::bytes(disk.free()),
        disk.folder().display(),
        words::bytes(disk.reserve()),
        words::bytes(taken.blobs),
        words::bytes(taken.database),
        words::bytes(taken.incoming),
    ))
}
