//! The demo scene under one budget.

use ectome_mesh::Progress;
use ectome_recipe::{
    Brief, CutSettings, Session, Target,
    budget::{Member, pro_rata, share},
    engine, starting_briefs,
};

fn headset() -> Brief {
    let mut list = starting_briefs::starting().into_iter();
    list.find(|b| b.name == "Headset, environment piece")
        .unwrap()
}

#[test]
fn a_shared_budget_beats_pro_rata_on_the_demo_scene_as_measured() {
    let progress = Progress::new();
    let brief = headset();
    let mut sessions = Vec::new();
    let mut members = Vec::new();
    for asset in &ectome_demo::ASSETS {
        let scene = engine::triangulated((asset.make)());
        let session = Session::new(scene, CutSettings::default(), None, &progress).unwrap();
        members.push(Member {
            curve: session.error_curve(),
            pixel_m: brief.pixel_m(asset.seen_from_m),
            instances: asset.copies,
        });
        sessions.push(session);
    }
    let budget = 120_000;
    let shared = share(&members, budget).unwrap();
    let plain = pro_rata(&members, budget);
    println!(
        "expected: {:.2} px shared, {:.2} px pro rata",
        shared.worst_pixels(),
        plain.worst_pixels()
    );
    let measured = |triangles: &[u32]| -> f64 {
        let pixels = sessions
            .iter()
            .zip(&members)
            .zip(triangles)
            .map(|((session, m), &n)| {
                let (_, report) = session.cut(Target::Triangles(n), &progress).unwrap();
                report.deviation_max_mm / 1e3 / m.pixel_m
            });
        pixels.fold(0.0, f64::max)
    };
    let (shared_px, plain_px) = (measured(&shared.triangles), measured(&plain.triangles));
    println!(
        "measured: {shared_px:.2} px shared, {plain_px:.2} px pro rata; {:?} against {:?}",
        shared.triangles, plain.triangles
    );
    assert!(shared_px <= 0.6 * plain_px, "{shared_px} of {plain_px} px");
    assert!(shared.worst_pixels() <= 0.6 * plain.worst_pixels());
}
