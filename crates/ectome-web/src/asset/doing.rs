//! The work of one asset that is under way, above its column.

use askama::Template;
use ectome_store::work::Work;

use crate::failure::Failure;

#[derive(Template)]
#[template(path = "doing.html")]
struct Doing {
    lines: Vec<DoingLine>,
    full: Option<String>,
}

/// One piece of work.
pub struct DoingLine {
    pub id: u64,
    pub title: String,
    pub stage: String,
    pub percent: u32,
    /// A picture of what it has made so far: the key of its blob, and the candidate it goes on from.
    pub glimpse: Option<(String, String)>,
}

/// The work of one asset that is under way, as a partial; `full` says that it waits for room on the disk.
pub fn doing(work: &[Work], asset: u64, full: Option<String>) -> Result<String, Failure> {
    let lines = doing_lines(work, asset);
    Ok(Doing { lines, full }.render()?)
}

/// The same as lines.
pub fn doing_lines(work: &[Work], asset: u64) -> Vec<DoingLine> {
    work.iter()
        .rev()
        .filter(|w| w.asset == asset && !w.state.is_over())
        .map(|w| DoingLine {
            id: w.id,
            title: w.doing(),
            stage: match w.stage.as_str() {
                "" if !w.accepted => "Waiting for a worker that takes it".to_owned(),
                "" => "Waiting its turn".to_owned(),
                stage => stage.to_owned(),
            },
            percent: (w.fraction * 100.0) as u32,
            glimpse: w.glimpse.clone().zip(w.based_on.clone()),
        })
        .collect()
}
