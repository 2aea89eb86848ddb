//! `ectome hull` and `ectome cards`: what stands in for an asset far away, and for collisions.

use std::path::PathBuf;

use clap::Args;
use ectome_recipe::{
    CutReport,
    far_end::{CardSettings, HullSettings, StandIn, stand_in},
    figures::grouped,
};
use serde_json::json;

use super::{failure::Failure, source::SourceArgs};
use crate::{
    output::{self, say},
    watch::Watch,
};

/// Lays convex hulls over a mesh: one over everything, or several that follow it, for collisions.
#[derive(Args)]
pub struct Hull {
    #[command(flatten)]
    source: SourceArgs,
    /// The most hulls, 1 to 64.
    #[arg(long, value_name = "N", default_value_t = HullSettings::default().hulls)]
    hulls: u32,
    /// The most triangles of each.
    #[arg(long, value_name = "N", default_value_t = HullSettings::default().triangles_each)]
    triangles: u32,
    #[command(flatten)]
    to: Written,
}

/// Makes cards of a mesh: upright rectangles that show pictures of it, for where it is small on the screen.
#[derive(Args)]
pub struct Cards {
    #[command(flatten)]
    source: SourceArgs,
    /// Planes that cross, 1 to 4. One looks along Z, for an engine that turns it towards the eye.
    #[arg(long, value_name = "N", default_value_t = CardSettings::default().planes)]
    planes: u32,
    /// Both sides of a card show one picture, which halves the triangles.
    #[arg(long)]
    one_picture: bool,
    /// Width and height of the sheet of pictures, in texels.
    #[arg(long, value_name = "N", default_value_t = CardSettings::default().size)]
    size: u32,
    #[command(flatten)]
    to: Written,
}

/// Where a result goes.
#[derive(Args)]
struct Written {
    /// Where the result goes (.glb, .obj or .ply).
    #[arg(short, long, value_name = "OUT", value_parser = output::scene_name)]
    out: PathBuf,
    /// Where a report goes (.json).
    #[arg(long, value_name = "R.json")]
    report: Option<PathBuf>,
}

impl Hull {
    pub fn run(self) -> Result<(), Failure> {
        let what = StandIn::Hull(HullSettings {
            hulls: self.hulls,
            triangles_each: self.triangles,
        });
        made(&self.source, &what, &self.to)
    }
}

impl Cards {
    pub fn run(self) -> Result<(), Failure> {
        let what = StandIn::Cards(CardSettings {
            planes: self.planes,
            own_back: !self.one_picture && self.planes > 1,
            size: self.size,
        });
        made(&self.source, &what, &self.to)
    }
}

fn made(source: &SourceArgs, what: &StandIn, to: &Written) -> Result<(), Failure> {
    let progress = Watch::begin();
    let started = std::time::Instant::now();
    let scene = source.scene(&progress)?;
    let before = scene.mesh.triangle_count();
    let (scene, mut report, _) = stand_in(scene, what, &progress.span(0.1, 1.0))?;
    report.took(started.elapsed());
    output::scene(&to.out, &scene, false)?;
    say!(
        "{} triangles to {}. {}",
        grouped(before),
        grouped(scene.mesh.triangle_count()),
        sentences(&report)
    );
    match &to.report {
        None => Ok(()),
        Some(path) => {
            let mut written = json!(report);
            written["triangles"] = json!(scene.mesh.triangle_count());
            output::json(&written, Some(path))
        }
    }
}

fn sentences(report: &CutReport) -> String {
    let mut says = report.far.as_ref().map_or_else(Vec::new, |f| f.sentences());
    says.push(format!(
        "The outline is off by up to {:.1} mm.",
        report.outline_worst_mm
    ));
    says.join(" ")
}
