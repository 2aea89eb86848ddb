//! The demo scene under one budget, measured after cutting: figures for docs/performance.md, in about two minutes.
//! `cargo bench -p ectome-recipe --bench scene`

use ectome_mesh::Progress;
use ectome_recipe::{
    Brief, CutSettings, Session, Target,
    budget::{Member, pro_rata, share},
    starting_briefs, triangles,
};

fn headset() -> Brief {
    let mut list = starting_briefs::starting().into_iter();
    list.find(|b| b.name == "Headset, environment piece")
        .unwrap()
}

fn main() {
    let progress = Progress::new();
    let brief = headset();
    let mut sessions = Vec::new();
    let mut members = Vec::new();
    for asset in ectome_demo::ASSETS.iter().filter(|a| a.copies > 0) {
        let scene = triangles::triangulated(ectome_demo::once::named(asset.file), &Progress::new())
            .unwrap();
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
    let measured = |i: usize, triangles: u32| -> f64 {
        let target = Target::Triangles(triangles);
        let (_, report) = sessions[i].cut(target, &progress).unwrap();
        report.deviation_max_mm / 1e3 / members[i].pixel_m
    };
    let shared_px = (0..members.len())
        .map(|i| measured(i, shared.triangles[i]))
        .fold(0.0, f64::max);
    // In proportion, the largest error is at least that of the asset expected to have it.
    let worst = (0..members.len())
        .max_by(|&a, &b| plain.pixels[a].total_cmp(&plain.pixels[b]))
        .unwrap();
    let plain_px = measured(worst, plain.triangles[worst]);
    println!(
        "measured: {shared_px:.2} px shared, at least {plain_px:.2} px pro rata; {:?} against {:?}",
        shared.triangles, plain.triangles
    );
    assert!(shared_px <= 0.6 * plain_px, "{shared_px} of {plain_px} px");
    assert!(shared.worst_pixels() <= 0.6 * plain.worst_pixels());
}
