//! `ectome merge`: materials over one sheet.

use std::path::PathBuf;

use clap::Args;
use ectome_recipe::merge::{MergeSettings, merged};

use super::{failure::Failure, settings::ObjectArgs, source::SourceArgs};
use crate::{
    output::{self, say},
    watch::Watch,
};

/// Merges the materials that can share over one sheet: UVs laid out anew at one texel density, with the textures of all slots.
///
/// What shines through, is cut out, has two sides or is shaded in another way stays apart.
#[derive(Args)]
pub struct Merge {
    #[command(flatten)]
    source: SourceArgs,
    #[command(flatten)]
    objects: ObjectArgs,
    /// Side of the textures, in texels.
    #[arg(long, value_name = "N", default_value_t = 2048, value_parser = clap::value_parser!(u32).range(64..=16384))]
    size: u32,
    /// Least distance between islands, in texels.
    #[arg(long, value_name = "N", default_value_t = 8, value_parser = clap::value_parser!(u32).range(0..=256))]
    padding: u32,
    /// Give islands as many texels as they are seen, instead of one density.
    #[arg(long)]
    by_sight: bool,
    /// Where the result goes (.glb, .obj or .ply).
    #[arg(short, long, value_name = "OUT", value_parser = output::scene_name)]
    out: PathBuf,
}

impl Merge {
    pub fn run(self) -> Result<(), Failure> {
        let progress = Watch::begin();
        let scene = self.source.built(&progress)?;
        let settings = MergeSettings {
            size: self.size,
            padding: self.padding,
            by_sight: self.by_sight,
        };
        let (scene, report) = merged(scene, &settings, &progress.span(0.2, 1.0))?;
        output::scene(&self.out, &scene, self.objects.hierarchy)?;
        say!("{}", report.sentence);
        Ok(())
    }
}
