//! `ectome prepare`: a source repaired and sorted, not yet cut.

use std::path::PathBuf;

use clap::Args;

use ectome_recipe::figures::grouped;

use super::{failure::Failure, settings::ObjectArgs, source::SourceArgs};
use crate::{
    output::{self, say},
    watch::Watch,
};

/// Repairs a source and writes it, polygons and all.
#[derive(Args)]
pub struct Prepare {
    #[command(flatten)]
    source: SourceArgs,
    #[command(flatten)]
    objects: ObjectArgs,
    /// Where the result goes (.glb, .obj or .ply).
    #[arg(short, long, value_name = "OUT", value_parser = output::scene_name)]
    out: PathBuf,
}

impl Prepare {
    pub fn run(self) -> Result<(), Failure> {
        let scene = self.source.scene(&Watch::begin())?;
        output::scene(&self.out, &scene, self.objects.hierarchy)?;
        say!(
            "{} triangles, {} points, {} objects.",
            grouped(scene.mesh.triangle_count()),
            grouped(scene.mesh.points.len()),
            scene.mesh.parts.len(),
        );
        Ok(())
    }
}
