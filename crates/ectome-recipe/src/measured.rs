//! What was measured, as a report says it.

use std::collections::BTreeSet;

use ectome_compare::{Judge, Report};
use ectome_formats::Scene;
use ectome_mesh::{Mesh, Run, nearest};
use ectome_reduce::Cut;

use crate::{
    CutReport,
    report::{Vanished, VanishedPiece},
};

/// The name of the part of `mesh` that is nearest to a place.
pub(crate) fn part_at(mesh: &Mesh, surface: &nearest::SurfaceIndex, place: [f32; 3]) -> String {
    let face = surface.nearest(place.into()).map(|n| n.face);
    mesh.runs
        .iter()
        .find(|r| face.is_some_and(|f| r.faces.contains(&f)))
        .map_or_else(String::new, |r| mesh.parts[r.part as usize].name.clone())
}

pub(crate) fn report(cut: &Cut, measured: &Report, source: &Mesh, before: usize) -> CutReport {
    CutReport {
        triangles_before: before,
        triangles_after: cut.mesh.triangle_count(),
        held_by: gave_way(cut, source, measured.high.open_edges > 0),
        ..measured_report(measured, source)
    }
}

/// The report of what was made of a source otherwise than by cutting to a count: what it came to is its target.
pub(crate) fn made_report(
    made: &Mesh,
    source: &Mesh,
    judge: &Judge,
    measured: &Report,
) -> CutReport {
    let triangles = made.triangle_count();
    CutReport {
        triangles_before: source.triangle_count(),
        triangles_after: triangles,
        target: triangles,
        deviation_worst_part: part_at(source, judge.surface(), measured.counted.worst_at_m),
        ..measured_report(measured, source)
    }
}

/// The part of a report that was measured beside a source.
fn measured_report(measured: &Report, source: &Mesh) -> CutReport {
    let counted = &measured.counted;
    let percent = |mm: f64| mm / (measured.diagonal_m * 1e3) * 100.0;
    CutReport {
        deviation_mean_percent_of_diagonal: percent(counted.deviation_mean_mm),
        deviation_max_percent_of_diagonal: percent(counted.deviation_max_mm),
        deviation_mean_mm: counted.deviation_mean_mm,
        deviation_max_mm: counted.deviation_max_mm,
        deviation_worst_at_m: counted.worst_at_m,
        vanished: vanished(source, measured),
        uv_drift_mean_texels: measured.uv_drift_mean_texels,
        uv_drift_max_texels: measured.uv_drift_max_texels,
        open_edges: [measured.high.open_edges, measured.low.open_edges],
        nonmanifold_edges: [
            measured.high.nonmanifold_edges,
            measured.low.nonmanifold_edges,
        ],
        flipped_faces: measured.flipped_faces,
        outline_agreement: measured.outline_agreement,
        outline_mean_pixels: measured.outline_mean_pixels,
        outline_worst_mm: counted.outline_worst_m * 1e3,
        peak_bytes: peak_bytes(),
        ..CutReport::default()
    }
}

/// The most vanished pieces that a report lists.
const LISTED: usize = 200;

/// Loose pieces of which nothing is left, with the parts they belong to.
fn vanished(source: &Mesh, measured: &Report) -> Vanished {
    let part = |face: u32| {
        let run = source.runs.iter().find(|r| r.faces.contains(&face));
        run.map_or_else(String::new, |r| source.parts[r.part as usize].name.clone())
    };
    let listed = measured.vanished.iter().take(LISTED);
    Vanished {
        pieces: measured.vanished.len(),
        largest: listed
            .map(|v| VanishedPiece {
                part: part(v.face),
                size_mm: v.size_mm,
                at_m: v.at_m,
            })
            .collect(),
    }
}

/// The names of the parts and materials of which nothing is left.
pub(crate) fn gone(source: &Scene, left: &Mesh) -> Vec<String> {
    let before = source.mesh.triangles_per_part();
    let after = left.triangles_per_part();
    let parts = source.mesh.parts.iter().enumerate();
    let went = parts.filter(|(p, _)| before[*p] > 0 && after.get(*p).is_none_or(|&n| n == 0));
    let mut names: Vec<String> = went.map(|(_, part)| part.name.clone()).collect();
    let materials = |mesh: &Mesh| -> BTreeSet<u32> {
        let used = mesh.runs.iter().filter(|r| !r.faces.is_empty());
        used.filter_map(|r| r.material).collect()
    };
    let went = &materials(&source.mesh) - &materials(left);
    names.extend(
        went.into_iter()
            .map(|m| format!("material {}", source.library.name(m))),
    );
    names
}

/// What had to give way, in words: only what the source has.
fn gave_way(cut: &Cut, source: &Mesh, is_open: bool) -> Vec<String> {
    let lines = lines_of(source, is_open);
    let mut list = Vec::new();
    if cut.corners_released && !lines.is_empty() {
        list.push(format!("corners of {lines}, given up to meet the target"));
    }
    if cut.lines_released {
        list.push(if lines.is_empty() {
            "the two sides of thin walls, which may have come together to meet the target"
                .to_owned()
        } else {
            format!("{lines}, crossed to meet the target")
        });
    }
    if cut.knots_released {
        list.push("tunnels and thin necks, closed or cut to meet the target".to_owned());
    }
    match cut.pieces_dropped {
        0 => {}
        1 => list.push("1 small piece, left out because it cannot shrink further".to_owned()),
        n => list.push(format!(
            "{n} small pieces, left out because they cannot shrink further"
        )),
    }
    list
}

/// The lines that a source can have, in words.
fn lines_of(source: &Mesh, is_open: bool) -> String {
    let several = |of: &dyn Fn(&Run) -> Option<u32>| {
        let first = source.runs.first().and_then(of);
        source.runs.iter().any(|r| of(r) != first)
    };
    let all = [
        (!source.uv_sets.is_empty(), "outlines of UV islands"),
        (!source.normals.is_empty(), "hard edges"),
        (several(&|r| r.material), "material edges"),
        (several(&|r| Some(r.part)), "part edges"),
        (is_open, "open borders"),
    ];
    let names: Vec<&str> = all
        .into_iter()
        .filter(|(has, _)| *has)
        .map(|(_, n)| n)
        .collect();
    match names.split_last() {
        Some((last, [])) => (*last).to_owned(),
        Some((last, rest)) => format!("{} or {last}", rest.join(", ")),
        None => String::new(),
    }
}

/// The largest resident size of this process so far, where the system tells.
fn peak_bytes() -> u64 {
    let Ok(status) = std::fs::read_to_string("/proc/self/status") else {
        return 0;
    };
    status
        .lines()
        .find_map(|line| line.strip_prefix("VmHWM:"))
        .and_then(|rest| {
            rest.trim()
                .trim_end_matches("kB")
                .trim()
                .parse::<u64>()
                .ok()
        })
        .map_or(0, |kib| kib * 1024)
}
