//! `ectome cut`: one result at or under a target.

use std::{path::PathBuf, time::Instant};

use clap::Args;
use ectome_recipe::figures::grouped;
use ectome_recipe::{Faces, Session, Target, step::merge_flat, triangles};

use super::{
    failure::Failure,
    settings::{ObjectArgs, SettingsArgs},
    source::SourceArgs,
};
use crate::{
    output::{self, say},
    watch::Watch,
};

/// Cuts a mesh to at most so many triangles.
#[derive(Args)]
pub struct Cut {
    #[command(flatten)]
    source: SourceArgs,
    /// The most triangles the result may have.
    #[arg(long, value_name = "N", required_unless_present_any = ["share", "within", "flat"])]
    to: Option<u32>,
    /// The most triangles as a share of the source, such as 1%.
    #[arg(long, value_name = "P%", conflicts_with = "to", value_parser = share)]
    share: Option<f64>,
    /// The largest deviation permitted, in millimetres: as few triangles as hold it.
    #[arg(long, value_name = "MM", conflicts_with_all = ["to", "share"])]
    within: Option<f64>,
    /// Only merge flat areas to the fewest triangles; shape and texture stay as they are.
    /// With --within, also what is flat within so many millimetres.
    #[arg(long, conflicts_with_all = ["to", "share"])]
    flat: bool,
    /// With --flat: the faces that flat areas are left in. Formats of triangles only hold triangles whatever is said.
    #[arg(long, value_name = "triangles|ngons|quads", requires = "flat", value_parser = faces, default_value = "triangles", hide_default_value = true)]
    faces: Faces,
    #[command(flatten)]
    settings: SettingsArgs,
    #[command(flatten)]
    objects: ObjectArgs,
    /// Where the result goes (.glb, .obj or .ply).
    #[arg(short, long, value_name = "OUT", value_parser = output::scene_name)]
    out: PathBuf,
    /// Where a report goes (.json).
    #[arg(long, value_name = "R.json")]
    report: Option<PathBuf>,
}

/// Reads a share in percent, the sign optional.
fn share(text: &str) -> Result<f64, String> {
    let number: f64 = text
        .trim_end_matches('%')
        .trim()
        .parse()
        .map_err(|_| "a share is a number of percent, such as 1%".to_owned())?;
    if number > 0.0 && number <= 100.0 {
        Ok(number)
    } else {
        Err("a share is above 0 and at most 100 percent".to_owned())
    }
}

/// Reads the faces that flat areas are left in.
fn faces(text: &str) -> Result<Faces, String> {
    Faces::of(text).ok_or_else(|| "flat areas are left in triangles, ngons or quads".to_owned())
}

impl Cut {
    pub fn run(self) -> Result<(), Failure> {
        let begun = Instant::now();
        let progress = Watch::begin();
        let scene = triangles::triangulated(self.source.built(&progress)?, &progress)?;
        let target = match (self.to, self.within, self.share) {
            (Some(n), ..) => Target::Triangles(n),
            (_, Some(mm), _) => Target::WithinMm(mm),
            (None, None, share) => Target::SharePercent(share.unwrap_or(100.0)),
        };
        let settings = self.settings.settings()?;
        let (scene, mut report) = if self.flat {
            let within = self.within.unwrap_or(0.0);
            let (scene, report, _) = merge_flat(scene, &settings, within, self.faces, &progress)?;
            (scene, report)
        } else {
            Session::new(scene, settings, None, &progress)?.cut(target, &progress)?
        };
        let writing = Instant::now();
        output::scene(&self.out, &scene, self.objects.hierarchy)?;
        report.seconds_writing = writing.elapsed().as_secs_f64();
        report.took(begun.elapsed());
        if let Some(path) = &self.report {
            output::json(&report, Some(path))?;
        }
        say!(
            "{} of {} triangles. Largest deviation {:.3} mm, mean {:.4} mm. {:.1} s.",
            grouped(report.triangles_after),
            grouped(report.triangles_before),
            report.deviation_max_mm,
            report.deviation_mean_mm,
            report.seconds_total,
        );
        if let Some(first) = &report.first_pass {
            say!(
                "First pass: {} triangles left by {} blocks in {:.1} s, at most {:.3} mm off at {} places.",
                grouped(first.triangles),
                first.blocks,
                first.seconds,
                first.deviation_max_mm,
                grouped(first.measured_points),
            );
        }
        for held in &report.held_by {
            say!("Gave way: {held}.");
        }
        if !report.gone.is_empty() {
            say!("Gone: {}.", report.gone.join(", "));
        }
        Ok(())
    }
}
