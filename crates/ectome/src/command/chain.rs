//! `ectome chain`: a result for each tier.

use std::path::PathBuf;

use clap::Args;
use ectome_mesh::{Progress, measure};
use ectome_recipe::{
    Brief, Measured, Session, Target, TierResult, built,
    far_end::{StandIn, collision_hulls, stand_in},
    parcel, triangles,
};
use serde_json::json;

use super::{
    failure::Failure,
    settings::{ObjectArgs, SettingsArgs},
    source::SourceArgs,
};
use crate::{
    output::{self, say},
    watch::Watch,
};

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
    #[command(flatten)]
    objects: ObjectArgs,
    /// The folder that takes the files; made if missing.
    #[arg(short, long, value_name = "DIR")]
    out: PathBuf,
}

impl Chain {
    pub fn run(self) -> Result<(), Failure> {
        let brief = match &self.brief {
            Some(path) => {
                let text = std::fs::read_to_string(path)
                    .map_err(|e| Failure::BriefFile(path.clone(), e))?;
                Brief::from_toml(&text)?
            }
            None => Brief::from_limits("command line", &self.tiers)?,
        };
        let mut written = brief.clone();
        written.hierarchy |= self.objects.hierarchy;
        let progress = Watch::begin();
        let whole = self.source.scene(&progress)?;
        let source = triangles::triangulated(built::only_built(whole.clone())?, &progress)?;
        let stem = self.source.stem();
        let session = Session::new(source.clone(), self.settings.settings()?, None, &progress)?;
        let mut measurements = Vec::new();
        let mut order = parcel::Order {
            asset: stem.clone(),
            brief: &written,
            notice: None,
            date: chrono::Utc::now().format("%Y-%m-%d").to_string(),
            tiers: Vec::new(),
            maps: Vec::new(),
            high: None,
            collision: None,
            // Limits alone ask for nothing else.
            beside: self.brief.as_ref().map(|_| source.clone()),
        };
        for (n, tier) in brief.tiers.iter().enumerate() {
            let limit = tier.triangles as usize;
            let bounds = measure::bounds(&source.mesh);
            let height_m = f64::from(bounds.max.y - bounds.min.y);
            let stands_in = StandIn::for_tier(&brief, tier, height_m);
            let (scene, deviation_m, outline_m, gone) = if let Some(what) = stands_in {
                let (scene, report, _) = stand_in(whole.clone(), &what, &progress)?;
                let (deviation, outline) = (report.deviation_max_mm, report.outline_worst_mm);
                (scene, deviation / 1e3, outline / 1e3, Vec::new())
            } else if source.mesh.triangle_count() <= limit {
                (source.clone(), 0.0, 0.0, Vec::new())
            } else {
                let target = Target::Triangles(tier.triangles);
                let (scene, report) = session.cut(target, &progress)?;
                let (deviation, outline) = (report.deviation_max_mm, report.outline_worst_mm);
                (scene, deviation / 1e3, outline / 1e3, report.gone)
            };
            let mut used: Vec<u32> = scene.mesh.runs.iter().filter_map(|r| r.material).collect();
            used.sort_unstable();
            used.dedup();
            let measured = Measured {
                triangles: scene.mesh.triangle_count(),
                deviation_max_m: deviation_m,
                // Limits alone ask for nothing else.
                outline_worst_m: self.brief.as_ref().map(|_| outline_m),
                materials: used.len(),
                uv_sets: scene.mesh.uv_sets.len(),
                height_m,
                diagonal_m: f64::from(bounds.diagonal()),
                gone,
                ..Measured::default()
            };
            order.tiers.push(parcel::Tier {
                scene,
                sheets: 1,
                mark: format!("{}{n}", brief.suffix),
            });
            measurements.push(measured);
        }
        std::fs::create_dir_all(&self.out).map_err(|e| Failure::Write(self.out.clone(), e))?;
        if let Some(hulls) = brief.delivery.collision() {
            order.collision = Some(collision_hulls(whole, &hulls, &progress)?);
        }
        let parcel = order.make(&Progress::new())?;
        let mut tiers = Vec::new();
        for (n, (tier, mut measured)) in brief.tiers.iter().zip(measurements).enumerate() {
            measured.looks = parcel.looks(n).to_vec();
            let result = TierResult::of(&brief, n, tier, &measured);
            say!(
                "LOD{n}: {} Deviation up to {:.3} mm, under a pixel from {:.2} m on.",
                result.says,
                result.deviation_max_m * 1e3,
                result.switch_distance_m,
            );
            tiers.push(result);
        }
        for file in &parcel.files {
            output::write(&self.out.join(&file.name), &file.bytes)?;
        }
        let report = json!({
            "source": stem, "brief": brief.name, "tiers": tiers, "contents": parcel.tiers, "checks": parcel.checks,
        });
        output::json(&report, Some(&self.out.join("chain.json")))
    }
}
