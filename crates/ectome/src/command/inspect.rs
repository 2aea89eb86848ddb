//! `ectome inspect`: what a file consists of.

use clap::Args;
use ectome_recipe::figures::grouped;
use ectome_recipe::{Inspection, finding::noun};

use super::{failure::Failure, source::SourceArgs};
use crate::{
    output::{self, say},
    watch::Watch,
};

/// Says what a mesh file consists of.
#[derive(Args)]
pub struct Inspect {
    #[command(flatten)]
    source: SourceArgs,
    /// Print JSON.
    #[arg(long)]
    json: bool,
}

impl Inspect {
    pub fn run(self) -> Result<(), Failure> {
        let progress = Watch::begin();
        let scene = self.source.scene(&progress)?;
        let (mut i, _) = Inspection::of(&scene, &progress)?;
        i.look_for_hidden(&scene, &progress)?;
        if self.json {
            return output::json(&i, None);
        }
        say!(
            "{} triangles, {} vertices at {} points, {} objects, {} materials",
            grouped(i.triangles),
            grouped(i.vertices),
            grouped(i.points),
            i.objects.len(),
            i.materials.len(),
        );
        say!(
            "{} quads, {} n-gons, {} pieces, {} UV sets, {} UV islands",
            grouped(i.quads),
            grouped(i.ngons),
            grouped(i.components),
            i.uv_sets,
            grouped(i.uv_islands),
        );
        say!(
            "{} open edges in {} loops, {} non-manifold, {} degenerate, {} duplicate, {} wound apart",
            grouped(i.open_edges),
            grouped(i.open_loops),
            grouped(i.nonmanifold_edges),
            grouped(i.degenerate_faces),
            grouped(i.duplicate_faces),
            grouped(i.inconsistent_edges),
        );
        for f in &i.findings {
            let detail = match f.detail.as_str() {
                "" => String::new(),
                d => format!(" ({d})"),
            };
            say!(
                "{:>12}  {}{detail}. {}",
                grouped(f.count),
                noun(f.kind, f.count),
                f.harm
            );
        }
        for r in &i.repeats {
            say!("{:>12}  equal parts: {}", r.names.len(), r.names.join(", "));
        }
        if let Some(n) = i.hidden_triangles.filter(|&n| n > 0) {
            say!(
                "{:>12}  triangles that nobody sees from outside",
                grouped(n)
            );
        }
        for object in &i.objects {
            say!("{:>12}  {}", grouped(object.triangles), object.name);
        }
        Ok(())
    }
}
