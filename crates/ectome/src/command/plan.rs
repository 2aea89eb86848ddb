//! `ectome plan`: what would be done to a source for a brief, and why.

use std::path::{Path, PathBuf};

use clap::Args;
use ectome_formats::Scene;
use ectome_mesh::Progress;
use ectome_recipe::{Brief, Inspection, Plan, triangles};

use super::{failure::Failure, source::SourceArgs};
use crate::{
    output::{self, say},
    watch::Watch,
};

/// Shows what `ectome run` would do to a source for a brief, line by line, and why.
///
/// With -o the plan is written as TOML: lines can be changed or taken out, and `ectome run --recipe` does what is left.
#[derive(Args)]
pub struct PlanCommand {
    #[command(flatten)]
    source: SourceArgs,
    /// The brief it is for.
    #[arg(long, value_name = "BRIEF.toml")]
    brief: PathBuf,
    /// Where the plan goes (.toml).
    #[arg(short, long, value_name = "RECIPE.toml")]
    out: Option<PathBuf>,
}

impl PlanCommand {
    pub fn run(self) -> Result<(), Failure> {
        let brief = brief(&self.brief)?;
        let progress = Watch::begin();
        let scene = self.source.scene(&progress.span(0.0, 0.5))?;
        let (plan, _) = proposed(scene, &brief, &progress.span(0.5, 1.0))?;
        for (n, line) in plan.lines.iter().enumerate() {
            say!("{}. {}. {}", n + 1, line.act.says(), line.why);
        }
        if plan.lines.is_empty() {
            say!("Nothing has to be done: the source is within the brief.");
        }
        for left in &plan.left {
            say!("Left as it is: {left}");
        }
        match &self.out {
            Some(path) => output::write(path, plan.to_toml()?.as_bytes()),
            None => Ok(()),
        }
    }
}

/// Reads a brief.
pub fn brief(path: &Path) -> Result<Brief, Failure> {
    let text = std::fs::read_to_string(path).map_err(|e| Failure::BriefFile(path.to_owned(), e))?;
    Ok(Brief::from_toml(&text)?)
}

/// What is proposed for a scene, and what the scene is like.
pub fn proposed(
    scene: Scene,
    brief: &Brief,
    progress: &Progress,
) -> Result<(Plan, Inspection), Failure> {
    let (inspection, _) = Inspection::of(&scene, progress)?;
    let triangles = triangles::triangulated(scene, progress)?;
    Ok((Plan::of(&triangles, &inspection, brief), inspection))
}
