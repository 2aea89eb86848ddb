//! `ectome demo`: the Skerry Light assets as files.

use std::path::PathBuf;

use clap::Args;
use ectome_formats::glb;
use ectome_recipe::picture;

use super::{Failure, grouped};
use crate::output;

/// Writes the demo assets as .glb files.
#[derive(Args)]
pub struct Demo {
    /// The folder that takes the files; made if missing.
    #[arg(short, long, value_name = "DIR")]
    out: PathBuf,
    /// Write a picture of each as well (.png).
    #[arg(long)]
    pictures: bool,
}

impl Demo {
    pub fn run(self) -> Result<(), Failure> {
        std::fs::create_dir_all(&self.out).map_err(|e| Failure::Write(self.out.clone(), e))?;
        for asset in &ectome_demo::ASSETS {
            let scene = (asset.make)();
            let path = self.out.join(format!("{}.glb", asset.file));
            output::write(&path, &glb::write(&scene, &glb::Naming::default())?)?;
            if self.pictures {
                let path = self.out.join(format!("{}.png", asset.file));
                output::write(&path, &picture::png(&scene, 1200, 900))?;
            }
            println!(
                "{}: {} triangles in {} objects",
                asset.title,
                grouped(scene.mesh.triangle_count()),
                scene.mesh.parts.len(),
            );
        }
        Ok(())
    }
}
