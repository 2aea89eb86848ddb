//! `ectome inspect`: what a file consists of.

use std::path::PathBuf;

use clap::Args;
use ectome_recipe::Inspection;

use super::{Failure, grouped};
use crate::{input::Input, output};

/// Says what a mesh file consists of.
#[derive(Args)]
pub struct Inspect {
    /// A .glb, a .ply, or an .obj with its materials and textures beside it.
    file: PathBuf,
    /// Print JSON.
    #[arg(long)]
    json: bool,
}

impl Inspect {
    pub fn run(self) -> Result<(), Failure> {
        let scene = Input::open(&self.file)?.scene()?;
        let i = Inspection::of(&scene);
        if self.json {
            return output::json(&i, None);
        }
        println!(
            "{} triangles, {} vertices at {} points, {} objects, {} materials",
            grouped(i.triangles),
            grouped(i.vertices),
            grouped(i.points),
            i.objects.len(),
            i.materials.len(),
        );
        println!(
            "{} quads, {} n-gons, {} pieces, {} UV sets, {} UV islands",
            grouped(i.quads),
            grouped(i.ngons),
            grouped(i.components),
            i.uv_sets,
            grouped(i.uv_islands),
        );
        println!(
            "{} open edges in {} loops, {} non-manifold, {} degenerate, {} duplicate, {} wound apart",
            grouped(i.open_edges),
            grouped(i.open_loops),
            grouped(i.nonmanifold_edges),
            grouped(i.degenerate_faces),
            grouped(i.duplicate_faces),
            grouped(i.inconsistent_edges),
        );
        for object in &i.objects {
            println!("{:>12}  {}", grouped(object.triangles), object.name);
        }
        Ok(())
    }
}
