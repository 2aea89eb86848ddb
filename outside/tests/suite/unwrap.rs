//! Unwrapping beside that of a reference library in the same run, by the same measure.

use ectome_formats::Scene;
use ectome_mesh::{Mesh, Progress};
use ectome_recipe::{
    Manner, Packing, SheetSettings, UvChange, UvReport, UvStep, uv::change as uv_change,
    uv::examined,
};
use ectome_uv::{face_graph::FaceGraph, join, layout::Layout};
use glam::DVec2;

fn settings() -> SheetSettings {
    SheetSettings {
        size: 1024,
        padding: 4.0,
        border: 0.0,
        ..SheetSettings::default()
    }
}

/// A layout as the mesh's first UVs.
fn wearing(mesh: &Mesh, uvs: &[[[f32; 2]; 3]]) -> Scene {
    let mut layout = Layout::empty(mesh.face_count());
    layout.uv = uvs
        .iter()
        .map(|t| t.map(|[u, v]| DVec2::new(f64::from(u), f64::from(v))))
        .collect();
    Scene::from(layout.applied(mesh))
}

fn seam_metres(mesh: &Mesh) -> f64 {
    let graph = FaceGraph::of(mesh);
    let seams = join::seams(&graph, &Layout::of(mesh));
    graph
        .edges
        .iter()
        .zip(seams)
        .filter(|(_, s)| *s)
        .map(|(e, _)| e.length)
        .sum()
}

fn says(name: &str, r: &UvReport, seams: f64) {
    let n = &r.numbers;
    println!(
        "{name}: {} islands, {seams:.3} m of seams, {:.1} % covered, stretch {:.4}",
        n.islands, n.coverage_percent, n.stretch_l2
    );
}

#[test]
fn fewer_islands_and_shorter_seams_at_no_more_stretch() {
    let folder = tempfile::tempdir().unwrap();
    let mesh = ectome_outside::read(&ectome_outside::bunny(folder.path())).mesh;
    let theirs = wearing(&mesh, &ectome_outside::unwrapped_by_xatlas(&mesh));
    let step = UvStep {
        change: UvChange::Unwrap(uv_change::Unwrap {
            manner: Manner::Soft,
            marks: Vec::new(),
            only: Vec::new(),
        }),
        packing: Packing {
            sheet: settings(),
            ..Packing::default()
        },
    };
    let (ours, our) = step.apply(Scene::from(mesh), &Progress::new()).unwrap();
    let their = examined(&theirs, 1024, 1);
    let (our_seams, their_seams) = (seam_metres(&ours.mesh), seam_metres(&theirs.mesh));
    says("ours", &our, our_seams);
    says("xatlas", &their, their_seams);
    assert!(our.numbers.overlapping.is_empty() && our.numbers.without_uvs == 0);
    // It was 7 islands and 92 m beside 18 and 148, stretched 1.004 beside 1.021, 55 % of the sheet beside 53.
    assert!(our.numbers.islands <= their.numbers.islands);
    assert!(our_seams <= their_seams);
    assert!(our.numbers.stretch_l2 <= 1.02 * their.numbers.stretch_l2);
    assert!(our.numbers.coverage_percent >= 0.95 * their.numbers.coverage_percent);
}
