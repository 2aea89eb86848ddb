//! How long a reader may go on, and how much memory it may take.

use ectome_mesh::{Cancelled, Progress};

use crate::FormatError;

/// Rows between two looks at the progress.
pub(crate) const LOOK_EVERY: usize = 4096;

/// What a reader is given beside its bytes: somebody who may ask it to stop, and a memory budget. A small file can
/// describe a large mesh (a glTF buffer may be used a thousand times), so the bytes alone bound nothing.
#[derive(Clone)]
pub struct Reading {
    progress: Progress,
    budget: u64,
}

impl Default for Reading {
    /// Nobody stops it, and it may take what there is.
    fn default() -> Self {
        Self::new(&Progress::new(), u64::MAX)
    }
}

impl Reading {
    /// Reports to `progress` and takes at most about `budget` bytes.
    pub fn new(progress: &Progress, budget: u64) -> Self {
        Self {
            progress: progress.clone(),
            budget,
        }
    }

    /// Reports the fraction done (0–1).
    ///
    /// # Errors
    /// [`FormatError::Cancelled`] when somebody asked to stop.
    pub fn at(&self, fraction: f32) -> Result<(), Cancelled> {
        self.progress.at(fraction)
    }

    /// Reports row `row` of `rows`, every so many rows.
    pub(crate) fn row(&self, row: usize, rows: usize) -> Result<(), Cancelled> {
        if row.is_multiple_of(LOOK_EVERY) {
            self.at(row as f32 / rows.max(1) as f32)
        } else {
            Ok(())
        }
    }

    /// Makes sure that `bytes` are within the budget, before they are taken.
    ///
    /// # Errors
    /// [`FormatError::OverBudget`].
    pub fn needs(&self, file: &str, bytes: u64) -> Result<(), FormatError> {
        if bytes > self.budget {
            Err(FormatError::OverBudget {
                file: file.to_owned(),
                needed: bytes,
                budget: self.budget,
            })
        } else {
            Ok(())
        }
    }
}
