//! What every kind of change of UVs knows.

use ectome_mesh::Progress;
use ectome_uv::layout::Layout;

use crate::{EngineError, change::Sent, uv::work::Work};

/// A kind of change of UVs with its parameters.
pub(super) trait Kind: Sized {
    /// What it is called while it is made.
    fn title(&self) -> &'static str;

    /// There must be UVs.
    fn needs_uvs(&self) -> bool {
        true
    }

    /// Islands keep the sizes that they have beside each other, so that some may be locked.
    fn keeps_sizes(&self) -> bool {
        false
    }

    /// Reads it from a form. `how` is what stands behind a colon in the word that was asked for, such as `some` in `unwrap:some`.
    ///
    /// # Errors
    /// A sentence that says what to choose or to type.
    fn read(how: &str, sent: &dyn Sent) -> Result<Self, String>;

    /// The layout after it, and what was done in words.
    ///
    /// # Errors
    /// When it cannot be made, does not fit, or was told to stop.
    fn make(&self, work: Work, progress: &Progress) -> Result<(Layout, String), EngineError>;
}
