//! What is said when work did not work out: the source, the disk, memory and Ectome itself apart.

use ectome_recipe::{EngineError, figures::sentence};

use crate::{Store, StoreError, work::Work};

/// Of all memory, the share that a worker held before it was ended for want of it.
const CLOSE_TO_ALL: f64 = 0.7;

/// What the kernel says, as a sentence.
pub(super) fn of_kernel(error: &EngineError) -> String {
    sentence(&error.to_string())
}

/// For work that panicked.
pub(super) const OWN: &str =
    "Ectome itself failed on this source; the source is unharmed. Please report it.";

/// For work that could not be stored or recorded.
pub(super) fn of_store(error: &StoreError, store: &Store) -> String {
    match error {
        full if full.is_full_disk() => {
            let disk = &store.disk;
            sentence(&format!(
                "the disk that holds {} filled up while the result was stored: {} MB are free. Remove assets that are not \
                 needed any more, or free space there, then ask again",
                disk.folder().display(),
                disk.free() / 1_000_000
            ))
        }
        other => sentence(&other.to_string()),
    }
}

/// For work during which Ectome ended again and again.
pub(super) fn of_crashes(work: &Work, memory: u64) -> String {
    let held = work.memory as f64;
    if memory > 0 && held > CLOSE_TO_ALL * memory as f64 {
        format!(
            "Ectome ended {} times in the middle of this, most likely for want of memory: it held {:.1} of {:.1} GB when it \
             last reported. Try a smaller source, or a machine with more memory.",
            work.crashes,
            held / 1e9,
            memory as f64 / 1e9
        )
    } else {
        format!(
            "Ectome ended {} times in the middle of this and does not know why; it held {:.1} GB when it last reported. \
             The source is unharmed. Please report it.",
            work.crashes,
            held / 1e9
        )
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::work::{Kind, State};

    fn crashed(memory: u64) -> Work {
        Work {
            id: 1,
            kind: Kind::Make,
            asset: 1,
            asset_name: "Float".to_owned(),
            candidate: None,
            parcel: None,
            batch: None,
            hurried: 0,
            wish: None,
            state: State::Running,
            fraction: 0.5,
            stage: String::new(),
            fault: None,
            attempts: 7,
            crashes: 3,
            memory,
            needs: 0,
            worker: None,
            accepted: true,
            seconds: None,
            glimpse: None,
            glimpse_of: Vec::new(),
            based_on: None,
        }
    }

    #[test]
    fn memory_is_blamed_only_when_there_was_none_left() {
        let said = of_crashes(&crashed(15_000_000_000), 16_000_000_000);
        assert!(said.contains("memory: it held 15.0 of 16.0 GB"), "{said}");
        let said = of_crashes(&crashed(300_000_000), 16_000_000_000);
        assert!(
            said.contains("does not know why") && !said.contains("smaller"),
            "{said}"
        );
    }
}
