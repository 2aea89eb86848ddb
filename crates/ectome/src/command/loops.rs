//! `ectome loops`: the edge loops of a mesh, and the mesh without some of them.

use std::path::PathBuf;

use clap::Args;
use ectome_formats::Scene;
use ectome_mesh::Progress;
use ectome_recipe::figures::grouped;
use ectome_recipe::{
    CutSettings, LoopChoice,
    step::{list_loops, take_out_loops},
    triangles,
};

use super::{
    failure::Failure,
    settings::{ObjectArgs, SettingsArgs},
    source::SourceArgs,
};
use crate::{
    output::{self, say},
    watch::Watch,
};

/// Takes edge loops out of a mesh of quads, or lists them by what taking each out costs.
#[derive(Args)]
pub struct Loops {
    #[command(flatten)]
    source: SourceArgs,
    /// Take out every N-th of the loops that lie side by side.
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(2..), conflicts_with = "to")]
    every: Option<u32>,
    /// Take the cheapest loops out until at most so many triangles are left.
    #[arg(long, value_name = "N")]
    to: Option<u32>,
    #[command(flatten)]
    settings: SettingsArgs,
    #[command(flatten)]
    objects: ObjectArgs,
    /// Where the result goes (.glb, .obj or .ply).
    #[arg(short, long, value_name = "OUT", value_parser = output::scene_name, required_unless_present = "list")]
    out: Option<PathBuf>,
    /// Only list what there is.
    #[arg(long, conflicts_with_all = ["every", "to", "out"])]
    list: bool,
    /// Where a report goes (.json).
    #[arg(long, value_name = "R.json")]
    report: Option<PathBuf>,
}

impl Loops {
    pub fn run(self) -> Result<(), Failure> {
        let progress = Watch::begin();
        let scene = self.source.built(&progress)?;
        let settings = self.settings.settings()?;
        let which = match (self.every, self.to) {
            _ if self.list => {
                return print_list(scene, &settings);
            }
            (Some(n), _) => LoopChoice::Every(n as usize),
            (None, Some(n)) => LoopChoice::Triangles(n as usize),
            (None, None) => {
                return Err(Failure::Settings(
                    "say which loops go: --every N or --to N; --list shows what there is"
                        .to_owned(),
                ));
            }
        };
        let (scene, report, _) = take_out_loops(scene, which, &settings, &progress)?;
        if let Some(out) = &self.out {
            output::scene(out, &scene, self.objects.hierarchy)?;
        }
        if let Some(path) = &self.report {
            output::json(&report, Some(path))?;
        }
        say!(
            "{} of {} triangles, {} loops taken out. Largest deviation {:.3} mm, mean {:.4} mm.",
            grouped(report.triangles_after),
            grouped(report.triangles_before),
            grouped(report.loops_taken),
            report.deviation_max_mm,
            report.deviation_mean_mm,
        );
        for (why, n) in &report.loops_held {
            say!("Left in: {} ({why}).", grouped(*n));
        }
        Ok(())
    }
}

fn print_list(scene: Scene, settings: &CutSettings) -> Result<(), Failure> {
    for l in list_loops(&triangles::triangulated(scene, &Progress::new())?, settings) {
        say!(
            "{:>9} triangles {:>12.4} mm  {}{}",
            grouped(l.triangles),
            l.deviation_m * 1e3,
            if l.closed {
                "closed"
            } else {
                "from border to border"
            },
            l.held
                .map_or_else(String::new, |why| format!(", stays ({why})")),
        );
    }
    Ok(())
}
