//! `ectome rebuild`: one closed skin over everything.

use std::path::PathBuf;

use clap::Args;
use ectome_formats::Scene;
use ectome_mesh::edit;
use ectome_recipe::{
    CutSettings, Plane, Session, Target,
    figures::grouped,
    rebuild::{RebuildSettings, Rebuilt, rebuilt},
};
use serde_json::{Value, json};

use super::{failure::Failure, source::SourceArgs};
use crate::{
    output::{self, say},
    watch::Watch,
};

/// Lays one closed skin over everything: over scans with holes, kit-bashes with buried interiors, soup.
///
/// What is inside is dropped, openings are closed and listed, open sheets get a thickness. The skin has no UVs and no textures: `ectome
/// unwrap` and `ectome bake` give it new ones.
#[derive(Args)]
pub struct Rebuild {
    #[command(flatten)]
    source: SourceArgs,
    /// The smallest detail, in millimetres; without it what --to needs, or a 360th of the source's diagonal.
    #[arg(long, value_name = "MM")]
    detail: Option<f64>,
    /// Close gaps between pieces up to this, in millimetres.
    #[arg(long, value_name = "MM", default_value_t = 0.0)]
    close: f64,
    /// Close openings up to this only, in millimetres; a piece with a wider one is a sheet. Without it all are closed.
    #[arg(long, value_name = "MM")]
    openings: Option<f64>,
    /// The thickness of open sheets, in millimetres, 0 to leave them out; without it .9 of the detail.
    #[arg(long, visible_alias = "sheets", value_name = "MM")]
    shell: Option<f64>,
    /// Keep hollows that nothing outside sees.
    #[arg(long)]
    keep_hollows: bool,
    /// Leave out what is behind a plane, and close the outline there, before anything else: a height in metres, or a point and the
    /// direction that stays.
    #[arg(long, value_name = "HEIGHT|X,Y,Z,NX,NY,NZ", value_parser = plane, allow_hyphen_values = true)]
    above: Option<Plane>,
    /// Cut the skin to at most so many triangles afterwards.
    #[arg(long, value_name = "N")]
    to: Option<u32>,
    /// Where the result goes (.glb, .obj or .ply).
    #[arg(short, long, value_name = "OUT", value_parser = output::scene_name)]
    out: PathBuf,
    /// Where a report goes (.json).
    #[arg(long, value_name = "R.json")]
    report: Option<PathBuf>,
}

/// Openings that are listed.
const LISTED: usize = 5;

/// Reads a plane.
fn plane(text: &str) -> Result<Plane, String> {
    let numbers: Result<Vec<f32>, _> = text.split(',').map(|n| n.trim().parse()).collect();
    match numbers.as_deref() {
        Ok(&[height]) if height.is_finite() => Ok(Plane {
            point: [0.0, height, 0.0],
            normal: [0.0, 1.0, 0.0],
        }),
        Ok(&[x, y, z, nx, ny, nz]) => Ok(Plane {
            point: [x, y, z],
            normal: [nx, ny, nz],
        }),
        _ => Err("a height in metres, or six numbers: a point and a direction".to_owned()),
    }
}

impl Rebuild {
    pub fn run(self) -> Result<(), Failure> {
        let progress = Watch::begin();
        let started = std::time::Instant::now();
        let scene = self.source.built(&progress)?;
        let before = scene.mesh.triangle_count();
        let settings = RebuildSettings {
            detail_mm: self.detail,
            for_triangles: self.to,
            sheets_mm: self.shell,
            openings_mm: self.openings,
            gaps_mm: self.close,
            keep_hollows: self.keep_hollows,
            above: self.above,
            parts: None,
        };
        let share = if self.to.is_some() { 0.6 } else { 1.0 };
        let made = rebuilt(scene, &settings, &progress.span(0.1, share))?;
        let Rebuilt {
            scene: mut skin,
            report,
            ..
        } = made;
        say!(
            "{} triangles to a skin of {}. {}",
            grouped(before),
            grouped(skin.mesh.triangle_count()),
            report.sentences().join(" ")
        );
        for o in report.openings.iter().take(LISTED) {
            let [x, y, z] = o.at_m;
            say!(
                "  {:.1} mm across at {x:.3}, {y:.3}, {z:.3}, beside {}",
                o.across_mm,
                o.part
            );
        }
        let mut written = serde_json::to_value(&report).unwrap_or_default();
        if let Some(to) = self.to {
            let session =
                Session::new(skin, CutSettings::default(), None, &progress.span(0.6, 0.8))?;
            let (cut, done) = session.cut(Target::Triangles(to), &progress.span(0.8, 1.0))?;
            say!(
                "Cut to {}, {:.3} mm off the skin on the mean, {:.3} at most.",
                grouped(cut.mesh.triangle_count()),
                done.deviation_mean_mm,
                done.deviation_max_mm
            );
            add(
                &mut written,
                serde_json::to_value(&done).unwrap_or_default(),
            );
            skin = cut;
        }
        only_seen_parts(&mut skin);
        output::scene(&self.out, &skin, false)?;
        add(
            &mut written,
            json!({
                "triangles_before": before, "triangles": skin.mesh.triangle_count(),
                "seconds_total": started.elapsed().as_secs_f64(),
            }),
        );
        match &self.report {
            Some(path) => output::json(&written, Some(path)),
            None => Ok(()),
        }
    }
}

/// Adds the fields of a document to another.
fn add(to: &mut Value, more: Value) {
    if let (Value::Object(to), Value::Object(more)) = (to, more) {
        to.extend(more);
    }
}

/// Parts of which nothing is seen from outside are no parts any more.
fn only_seen_parts(skin: &mut Scene) {
    let held = skin.mesh.triangles_per_part();
    let kept: Vec<_> = (skin.mesh.parts.iter().zip(&held))
        .filter(|(_, n)| **n > 0)
        .map(|(p, _)| p.clone())
        .collect();
    let place: Vec<u32> = held
        .iter()
        .scan(0, |next, n| {
            let at = *next;
            *next += u32::from(*n > 0);
            Some(at)
        })
        .collect();
    let part = skin.mesh.part_of_faces();
    skin.mesh = edit::regrouped(&skin.mesh, kept, |f| place[part[f] as usize]);
}
