//! `ectome compare`: how far a cut is from its source.

use std::path::PathBuf;

use clap::Args;
use ectome_recipe::figures::grouped;
use ectome_recipe::triangles;

use super::failure::Failure;
use crate::{
    input::Input,
    output::{self, say},
    watch::Watch,
};

/// Measures a cut against its source.
#[derive(Args)]
pub struct Compare {
    /// The source.
    high: PathBuf,
    /// The cut.
    low: PathBuf,
    /// Print JSON.
    #[arg(long)]
    json: bool,
}

impl Compare {
    pub fn run(self) -> Result<(), Failure> {
        let progress = Watch::begin();
        let high = triangles::triangulated(Input::open(&self.high)?.scene(&progress)?, &progress)?;
        let low = triangles::triangulated(Input::open(&self.low)?.scene(&progress)?, &progress)?;
        let r = ectome_compare::compare(&high.mesh, &low.mesh, &progress)?;
        if self.json {
            return output::json(&r, None);
        }
        say!(
            "{} and {} triangles, diagonal {:.4} m, {} samples each way",
            grouped(r.high.triangles),
            grouped(r.low.triangles),
            r.diagonal_m,
            grouped(r.samples),
        );
        for (name, way) in [
            ("source to cut", &r.high_to_low),
            ("cut to source", &r.low_to_high),
        ] {
            say!(
                "{name}: mean {:.4} mm ({:.4} % of the diagonal), largest {:.4} mm ({:.4} %)",
                way.deviation_mean_mm,
                way.deviation_mean_percent_of_diagonal,
                way.deviation_max_mm,
                way.deviation_max_percent_of_diagonal,
            );
        }
        say!(
            "outline: {:.2} % in common, mean {:.2} pixels apart, at worst {:.1} (of 512)",
            r.outline_agreement * 100.0,
            r.outline_mean_pixels,
            r.outline_worst_pixels,
        );
        if let (Some(drift), Some(seams)) = (r.uv_drift_mean_texels, r.seam_drift_max_texels) {
            say!(
                "texture: slip {drift:.2} texels of 2048, seams off by at most {seams:.2}, islands {} and {}",
                grouped(r.uv_islands[0]),
                grouped(r.uv_islands[1]),
            );
        }
        say!(
            "open edges {} and {}, non-manifold edges {} and {}, flipped faces {}",
            grouped(r.high.open_edges),
            grouped(r.low.open_edges),
            grouped(r.high.nonmanifold_edges),
            grouped(r.low.nonmanifold_edges),
            grouped(r.flipped_faces),
        );
        Ok(())
    }
}
