//! Work that a person can stop although single steps of it, such as a search tree over millions of triangles, take seconds.

use ectome_formats::Scene;
use ectome_mesh::Progress;

use crate::EngineError;

/// Makes something of a source by settings, on a thread of its own that is left alone when somebody asks to stop: it ends at its next look,
/// and nobody waits for that.
///
/// # Errors
/// [`EngineError::Cancelled`], and whatever the work says.
pub(crate) fn left_when_stopped<S, T>(
    source: Scene,
    settings: &S,
    progress: &Progress,
    make: fn(Scene, &S, &Progress) -> Result<T, EngineError>,
) -> Result<T, EngineError>
where
    S: Clone + Send + 'static,
    T: Send + 'static,
{
    let settings = settings.clone();
    let own = progress.clone();
    let done = progress.beside(move || make(source, &settings, &own));
    done.map_err(EngineError::Cancelled)?
}
