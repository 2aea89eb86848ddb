//! `ectome unwrap`: new UVs, or old ones laid out anew, or only measured.

use std::path::PathBuf;

use clap::{Args, ValueEnum};
use ectome_recipe::figures::grouped;
use ectome_recipe::{
    Manner, Packing, SheetSettings, SheetsAs, Stacks, Turns, UvChange, UvStep,
    sheets::delivered,
    triangles,
    uv::change as uv_change,
    uv::{MANY, examined, expected_seconds},
};

use super::{failure::Failure, settings::ObjectArgs, source::SourceArgs};
use crate::{
    output::{self, remark, say},
    watch::Watch,
};

/// Gives a mesh UVs and lays them out
#[derive(Args)]
pub struct Unwrap {
    #[command(flatten)]
    source: SourceArgs,
    /// Soft: few islands, seams where they are seen least. Mechanical: islands end at hard edges.
    #[arg(long, default_value = "soft")]
    manner: MannerArg,
    /// New UVs; or the islands there are, only packed anew; or everything as it is, only measured.
    #[arg(long, default_value = "new")]
    layout: LayoutArg,
    /// Side of a sheet, in texels.
    #[arg(long, default_value_t = 2048, value_parser = clap::value_parser!(u32).range(16..=16384))]
    size: u32,
    /// Least distance between islands, in texels.
    #[arg(long, default_value_t = 8.0, value_parser = texels)]
    padding: f64,
    /// Least distance to the edge of a sheet, in texels; the padding if not given.
    #[arg(long, value_parser = texels)]
    border: Option<f64>,
    /// How islands may be turned.
    #[arg(long, default_value = "free")]
    turns: TurnsArg,
    /// Straight outlines run along the edges of the sheet.
    #[arg(long)]
    straighten: bool,
    /// How many sheets.
    #[arg(long, default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..=16))]
    sheets: u32,
    /// How several sheets are told apart: a material for each, or UDIM tiles side by side along U.
    #[arg(long, default_value = "materials")]
    sheets_as: SheetsArg,
    /// Equal parts share one place, mirror images too.
    #[arg(long, default_value = "apart")]
    stacks: StacksArg,
    /// Islands of one part keep together.
    #[arg(long)]
    by_part: bool,
    /// One texel density for all, in texels per metre; the most that fits if not given.
    #[arg(long, value_name = "N")]
    texels_per_metre: Option<f64>,
    /// Further arrangements that are tried: slower and often denser.
    #[arg(long, default_value_t = 0, value_parser = clap::value_parser!(u32).range(0..=64))]
    effort: u32,
    #[command(flatten)]
    objects: ObjectArgs,
    /// Where the result goes (.glb, .obj or .ply).
    #[arg(short, long, value_name = "OUT", value_parser = output::scene_name, required_unless_present = "report")]
    out: Option<PathBuf>,
    /// Where a report goes (.json).
    #[arg(long, value_name = "R.json")]
    report: Option<PathBuf>,
}

#[derive(Clone, Copy, ValueEnum)]
enum MannerArg {
    Soft,
    Mechanical,
}

#[derive(Clone, Copy, PartialEq, ValueEnum)]
enum LayoutArg {
    New,
    Repack,
    Keep,
}

#[derive(Clone, Copy, ValueEnum)]
enum SheetsArg {
    Materials,
    #[value(alias = "tiles")]
    Udim,
}

#[derive(Clone, Copy, ValueEnum)]
enum TurnsArg {
    Never,
    Quarter,
    Free,
}

#[derive(Clone, Copy, ValueEnum)]
enum StacksArg {
    Apart,
    Repeats,
    Mirrored,
}

/// Reads a distance in texels.
fn texels(text: &str) -> Result<f64, String> {
    let number: f64 = text
        .parse()
        .map_err(|_| "a distance is a number of texels".to_owned())?;
    if (0.0..=1024.0).contains(&number) {
        Ok(number)
    } else {
        Err("a distance is between 0 and 1024 texels".to_owned())
    }
}

impl Unwrap {
    pub fn run(self) -> Result<(), Failure> {
        let progress = Watch::begin();
        let scene = triangles::triangulated(self.source.built(&progress)?, &progress)?;
        let triangles = scene.mesh.triangle_count();
        let packing = self.packing();
        let apply = |scene, change| {
            let packing = packing.clone();
            UvStep { change, packing }.apply(scene, &progress)
        };
        let (mut scene, mut report) = match self.layout {
            LayoutArg::New => {
                if triangles > MANY {
                    remark!(
                        "ectome: unwrapping {} triangles takes about {:.0} s; cut the mesh first to save that",
                        grouped(triangles),
                        expected_seconds(triangles)
                    );
                }
                let manner = match self.manner {
                    MannerArg::Soft => Manner::Soft,
                    MannerArg::Mechanical => Manner::Mechanical,
                };
                apply(
                    scene,
                    UvChange::Unwrap(uv_change::Unwrap {
                        manner,
                        marks: Vec::new(),
                        only: Vec::new(),
                    }),
                )?
            }
            LayoutArg::Repack => apply(scene, UvChange::Pack(uv_change::Pack {}))?,
            LayoutArg::Keep => {
                let report = examined(&scene, self.size, self.sheets);
                (scene, report)
            }
        };
        if self.texels_per_metre.is_some() && self.layout != LayoutArg::Keep {
            let texels_per_metre = self.texels_per_metre;
            let seconds = report.seconds;
            (scene, report) = apply(
                scene,
                UvChange::Density(uv_change::Density { texels_per_metre }),
            )?;
            report.seconds += seconds;
        }
        if let Some(out) = &self.out {
            let sheets_as = match self.sheets_as {
                SheetsArg::Materials => SheetsAs::Materials,
                SheetsArg::Udim => SheetsAs::Tiles,
            };
            output::scene(
                out,
                &delivered(scene, self.sheets, sheets_as),
                self.objects.hierarchy,
            )?;
        }
        if let Some(path) = &self.report {
            output::json(&report, Some(path))?;
        }
        let n = &report.numbers;
        say!(
            "{} islands, coverage {:.1} %, {:.0} texels per metre at {}. Stretch {:.4}, largest {:.2}. Smallest gap {:.1} texels, overlap {:.2} %. {:.1} s.",
            grouped(n.islands),
            n.coverage_percent,
            n.texels_per_metre,
            self.size,
            n.stretch_l2,
            n.stretch_max,
            n.smallest_gap_texels.unwrap_or(0.0),
            n.overlap_percent,
            report.seconds,
        );
        Ok(())
    }

    fn packing(&self) -> Packing {
        Packing {
            sheet: SheetSettings {
                size: self.size,
                padding: self.padding,
                border: self.border.unwrap_or(self.padding),
                turns: match self.turns {
                    TurnsArg::Never => Turns::Never,
                    TurnsArg::Quarter => Turns::Quarter,
                    TurnsArg::Free => Turns::Free,
                },
                straighten: self.straighten,
                sheets: self.sheets,
                effort: self.effort,
            },
            stacks: match self.stacks {
                StacksArg::Apart => Stacks::Apart,
                StacksArg::Repeats => Stacks::Repeats,
                StacksArg::Mirrored => Stacks::Mirrored,
            },
            by_part: self.by_part,
            ..Packing::default()
        }
    }
}
