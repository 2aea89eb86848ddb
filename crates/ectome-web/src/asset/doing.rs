//! The work of one asset that is under way, above its column.

use askama::Template;
use ectome_recipe::maps::Kind;
use ectome_store::work::Work;

use crate::{failure::Failure, words::map_name};

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
    /// Pictures of what it has made so far, if any.
    pub glimpse: Option<GlimpseLine>,
}

/// Maps as far as they are baked, for the stage.
pub struct GlimpseLine {
    /// The key of the blob: pictures of one size, one below the other.
    pub blob: String,
    /// The candidate they are baked for.
    pub base: String,
    /// The names of the maps, from the top, with `|` between them.
    pub names: String,
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
            glimpse: (w.glimpse.clone().zip(w.based_on.clone())).map(|(blob, base)| GlimpseLine {
                blob,
                base,
                names: names(&w.glimpse_of),
            }),
        })
        .collect()
}

/// The maps of a glimpse as pages name them.
fn names(of: &[String]) -> String {
    let named: Vec<&str> = of
        .iter()
        .map(|word| Kind::of(word).map_or(word.as_str(), |kind| map_name(kind)))
        .collect();
    named.join("|")
}
