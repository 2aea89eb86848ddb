//! `ectome rebuild`: one closed skin over everything.

use std::path::PathBuf;

use clap::Args;
use ectome_formats::Scene;
use ectome_mesh::{edit, measure};
use ectome_rebuild::{Report, Settings, Skin, rebuild};
use ectome_recipe::{
    Change, CutSettings, Plane, Session, Target,
    figures::{counted, grouped},
    step,
};
use serde_json::json;

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
    /// The smallest detail, in millimetres; without it a 360th of the source's diagonal.
    #[arg(long, value_name = "MM")]
    detail: Option<f64>,
    /// The thickness of open sheets, in millimetres; without it .9 of the detail.
    #[arg(long, value_name = "MM")]
    sheets: Option<f64>,
    /// Keep hollows that nothing outside sees.
    #[arg(long)]
    keep_hollows: bool,
    /// Leave out what is below this height, in metres, and close the outline there, before anything else.
    #[arg(long, value_name = "M", allow_negative_numbers = true)]
    above: Option<f32>,
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

/// Cells along a source's diagonal where nobody names a size: .28 % each.
const CELLS: f32 = 360.0;
/// Openings that are listed.
const LISTED: usize = 5;

impl Rebuild {
    pub fn run(self) -> Result<(), Failure> {
        let progress = Watch::begin();
        let mut scene = step::triangulated(self.source.built(&progress)?, &progress)?;
        if let Some(height) = self.above {
            let clip = Change::Clip {
                plane: Plane {
                    point: [0.0, height, 0.0],
                    normal: [0.0, 1.0, 0.0],
                },
                cap: true,
            };
            scene = step::triangulated(clip.apply(scene, &progress)?.0, &progress)?;
        }
        let before = scene.mesh.triangle_count();
        let diagonal = measure::bounds(&scene.mesh).diagonal();
        let metres = |mm: Option<f64>| mm.map(|v| (v / 1e3) as f32);
        let mut settings = Settings::with_cell(metres(self.detail).unwrap_or(diagonal / CELLS));
        settings.fill_hollows = !self.keep_hollows;
        if let Some(thickness) = metres(self.sheets) {
            settings.sheet_m = thickness;
        }
        let share = if self.to.is_some() { 0.6 } else { 1.0 };
        let Skin { mesh, report } = rebuild(&scene.mesh, &settings, &progress.span(0.1, share))?;
        say!("{}", sentence(before, mesh.triangle_count(), &report));
        for o in report.openings.iter().take(LISTED) {
            let [x, y, z] = o.at_m;
            say!(
                "  {:.1} mm across at {x:.3}, {y:.3}, {z:.3}",
                o.across_m * 1e3
            );
        }
        // Materials name what they were; their textures lie on UVs that are no more.
        let mut skin = Scene {
            library: scene.library.without_textures(),
            copyright: scene.copyright.clone(),
            mesh,
            ..Scene::default()
        };
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
            skin = cut;
        }
        // Parts of which nothing is seen from outside are no parts any more.
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
        output::scene(&self.out, &skin, false)?;
        let openings: Vec<_> = report
            .openings
            .iter()
            .map(|o| json!({ "at_m": o.at_m, "across_m": o.across_m, "area_m2": o.area_m2 }))
            .collect();
        let written = json!({
            "triangles_before": before, "triangles": skin.mesh.triangle_count(), "detail_m": settings.cell_m,
            "pieces": report.pieces, "turned_outward": report.turned, "sheets": report.sheets,
            "openings": openings, "hollows_filled": report.hollows_filled, "cells": report.cells,
            "border_edges": report.border_edges, "non_manifold_edges": report.non_manifold_edges,
            "components": report.components, "genus": report.genus,
        });
        match &self.report {
            Some(path) => output::json(&written, Some(path)),
            None => Ok(()),
        }
    }
}

fn sentence(before: usize, after: usize, r: &Report) -> String {
    let mut says = format!(
        "{} triangles in {} became a skin of {} in {}.",
        grouped(before),
        counted(r.pieces as u64, "piece"),
        grouped(after),
        counted(r.components as u64, "part"),
    );
    for (n, what) in [
        (r.turned, "turned outward"),
        (r.sheets, "given a thickness"),
        (r.openings.len(), "openings closed"),
        (r.hollows_filled, "hollows filled"),
    ] {
        if n > 0 {
            says += &format!(" {} {what}.", grouped(n));
        }
    }
    says
}
