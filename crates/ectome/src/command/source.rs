//! How a source is read on the command line: its unit, its axis up, what is done to it first.

use std::path::{Path, PathBuf};

use clap::{Args, ValueEnum, builder::PossibleValuesParser};
use ectome_formats::{
    Scene,
    space::{self, UNITS},
};
use ectome_mesh::Progress;
use ectome_recipe::{Change, Done, Space, Up, built, change, listed, preparation::appended};

use super::failure::Failure;
use crate::{input::Input, output::remark};

/// A source file and what is done to it before anything else.
#[derive(Args)]
pub struct SourceArgs {
    /// A .glb, .ply or .stl, a .gltf or an .obj with its files beside it, or a .zip of these.
    pub file: PathBuf,
    #[command(flatten)]
    how: HowArgs,
}

/// How files are read, and what is done to each before anything else.
#[derive(Args)]
pub struct HowArgs {
    /// The unit the file counts in, where its format does not say. Without it: metres.
    #[arg(long, value_parser = PossibleValuesParser::new(UNITS.map(|(symbol, _)| symbol)))]
    unit: Option<String>,
    /// The axis that points up, where the format does not say. Without it: y.
    #[arg(long)]
    up: Option<Axis>,
    /// Changes made to the source first: a TOML file of `[[step]]` tables, such as change = "weld" with
    /// distance_m = 0.0001.
    #[arg(long, value_name = "STEPS.toml")]
    steps: Option<PathBuf>,
}

#[derive(Clone, Copy, ValueEnum)]
enum Axis {
    X,
    Y,
    Z,
}

impl SourceArgs {
    /// The name of the file without its extension.
    pub fn stem(&self) -> String {
        stem(&self.file)
    }

    /// Reads the file and makes the changes. What each did goes to stderr.
    pub fn scene(&self, progress: &Progress) -> Result<Scene, Failure> {
        let mut scene = Input::open(&self.file)?.scene(&progress.span(0.0, 0.1))?;
        for change in self.how.changes()? {
            let (changed, Done { sentence, .. }) = change.apply(scene, progress)?;
            remark!("ectome: {}: {sentence}", change.title());
            scene = changed;
        }
        Ok(scene)
    }

    /// The same without the parts that are not built.
    pub fn built(&self, progress: &Progress) -> Result<Scene, Failure> {
        Ok(built::only_built(self.scene(progress)?)?)
    }
}

impl HowArgs {
    /// The changes made first.
    pub fn changes(&self) -> Result<Vec<Change>, Failure> {
        let mut list = Vec::new();
        if self.unit.is_some() || self.up.is_some() {
            let unit_m = self.unit.as_deref().and_then(space::metres).unwrap_or(1.0);
            let up = match self.up.unwrap_or(Axis::Y) {
                Axis::X => Up::X,
                Axis::Y => Up::Y,
                Axis::Z => Up::Z,
            };
            list.push(Change::Measure(change::Measure {
                space: Space { unit_m, up },
            }));
        }
        if let Some(path) = &self.steps {
            // As on the pages: a later decision about the same part replaces an earlier one.
            list = steps(path)?.into_iter().fold(list, appended);
        }
        Ok(list)
    }
}

/// The name of a file without its extension.
pub fn stem(file: &Path) -> String {
    let stem = file.file_stem();
    stem.map_or_else(|| "scene".into(), |s| s.to_string_lossy().into_owned())
}

fn steps(path: &Path) -> Result<Vec<Change>, Failure> {
    let broken = |why: String| Failure::Steps(path.to_owned(), why);
    let text = std::fs::read_to_string(path).map_err(|e| broken(e.to_string()))?;
    let list = listed::table(&text).and_then(|mut all| {
        let list: Vec<Change> = listed::take(&mut all, "step")?;
        listed::nothing_else(&all, &["step"])?;
        Ok(list)
    });
    let list = list.map_err(|e| broken(e.to_string()))?;
    for (i, change) in list.iter().enumerate() {
        let said = change.check();
        said.map_err(|e| broken(format!("step {}: {e}", i + 1)))?;
    }
    Ok(list)
}
