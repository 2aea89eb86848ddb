//! `ectome demo`: the Skerry Light assets as files.

use std::{
    fs::File,
    io::{BufWriter, Write},
    path::PathBuf,
};

use clap::Args;
use ectome_formats::glb;
use ectome_mesh::Progress;
use ectome_recipe::figures::grouped;
use ectome_recipe::{picture, triangles};

use super::failure::Failure;
use crate::output::{self, say};

/// Writes the demo assets, as .glb or, where quads and n-gons matter, as .obj.
#[derive(Args)]
pub struct Demo {
    /// The folder that takes the files; made if missing.
    #[arg(short, long, value_name = "DIR")]
    out: PathBuf,
    /// Write a picture of each as well (.png).
    #[arg(long)]
    pictures: bool,
    /// Write the signal station instead, several of them as one assembly with textures of 8192 and 4096 texels
    /// (signal_station.glb).
    #[arg(long, conflicts_with = "scan")]
    station: bool,
    /// Write the rock they stand on instead, a scan of about so many triangles (skerry.ply).
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(64..=2_000_000_000))]
    scan: Option<u64>,
}

impl Demo {
    pub fn run(self) -> Result<(), Failure> {
        std::fs::create_dir_all(&self.out).map_err(|e| Failure::Write(self.out.clone(), e))?;
        if let Some(triangles) = self.scan {
            return self.write_scan(triangles);
        }
        if self.station {
            let scene = ectome_demo::signal_station();
            let bytes = glb::write(&scene, &glb::Options::default())?;
            let path = self.out.join("signal_station.glb");
            output::write(&path, &bytes)?;
            say!(
                "Signal station: {} triangles, {:.0} MB",
                grouped(scene.mesh.triangle_count()),
                bytes.len() as f64 / 1e6
            );
            return Ok(());
        }
        for asset in &ectome_demo::ASSETS {
            for (name, bytes) in asset.files()? {
                output::write(&self.out.join(name), &bytes)?;
            }
            let scene = triangles::triangulated((asset.make)(), &Progress::new())?;
            if self.pictures {
                let path = self.out.join(format!("{}.png", asset.file));
                output::write(&path, &picture::png(&scene, 1200, 900))?;
            }
            say!(
                "{}: {} triangles in {} objects",
                asset.title,
                grouped(scene.mesh.triangle_count()),
                scene.mesh.parts.len(),
            );
        }
        Ok(())
    }

    fn write_scan(&self, triangles: u64) -> Result<(), Failure> {
        let path = self.out.join("skerry.ply");
        let failed = |e| Failure::Write(path.clone(), e);
        let mut out = BufWriter::with_capacity(1 << 20, File::create(&path).map_err(failed)?);
        let written = ectome_demo::write_skerry(triangles, &mut out).map_err(failed)?;
        out.flush().map_err(failed)?;
        say!("Skerry: {} triangles", grouped(written as usize));
        Ok(())
    }
}
