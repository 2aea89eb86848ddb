//! `ectome chain`: a result for each tier.

use std::path::PathBuf;

use clap::Args;
use ectome_formats::glb;
use ectome_mesh::Progress;
use ectome_recipe::{Brief, Session, Target, TierResult, engine};
use serde_json::json;

use super::{Failure, grouped, settings::SettingsArgs, source::SourceArgs};
use crate::output;

/// Makes a LOD chain: one .glb for each tier, and chain.json.
#[derive(Args)]
pub struct Chain {
    #[command(flatten)]
    source: SourceArgs,
    /// The tiers' limits, such as 12000,6000,3000.
    #[arg(
        long,
        value_name = "N,N,…",
        value_delimiter = ',',
        required_unless_present = "brief"
    )]
    tiers: Vec<u32>,
    /// A brief with tiers.
    #[arg(long, value_name = "BRIEF.toml", conflicts_with = "tiers")]
    brief: Option<PathBuf>,
    #[command(flatten)]
    settings: SettingsArgs,
    /// The folder that takes the files; made if missing.
    #[arg(short, long, value_name = "DIR")]
    out: PathBuf,
}

impl Chain {
    pub fn run(self) -> Result<(), Failure> {
        let brief = match &self.brief {
            Some(path) => {
                let text =
                    std::fs::read_to_string(path).map_err(|e| Failure::Read(path.clone(), e))?;
                Brief::from_toml(&text)?
            }
            None => Brief::from_limits("command line", &self.tiers)?,
        };
        let progress = Progress::new();
        let source = engine::triangulated(self.source.scene(&progress)?);
        let stem = self.source.stem();
        let session = Session::new(source.clone(), self.settings.settings()?, None, &progress)?;
        let mut files = Vec::new();
        let mut tiers = Vec::new();
        for (n, tier) in brief.tiers.iter().enumerate() {
            let limit = tier.triangles as usize;
            let (scene, deviation_m) = if source.mesh.triangle_count() <= limit {
                (source.clone(), 0.0)
            } else {
                let target = Target::Triangles(tier.triangles);
                let (scene, report) = session.cut(target, &progress)?;
                (scene, report.deviation_max_mm / 1e3)
            };
            let triangles = scene.mesh.triangle_count();
            let result = TierResult::judge(&brief, limit, triangles, deviation_m);
            println!(
                "LOD{n}: {} of {} triangles, deviation up to {:.3} mm, from {:.2} m on",
                grouped(triangles),
                grouped(limit),
                deviation_m * 1e3,
                result.switch_distance_m,
            );
            let naming = glb::Naming {
                suffix: format!("_LOD{n}"),
                ..glb::Naming::default()
            };
            let name = format!("{stem}_LOD{n}.glb");
            files.push((name, glb::write(&scene, &naming)?));
            tiers.push(result);
        }
        std::fs::create_dir_all(&self.out).map_err(|e| Failure::Write(self.out.clone(), e))?;
        for (name, bytes) in &files {
            output::write(&self.out.join(name), bytes)?;
        }
        let report = json!({ "source": stem, "brief": brief.name, "tiers": tiers });
        output::json(&report, Some(&self.out.join("chain.json")))
    }
}
