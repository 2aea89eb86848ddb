//! What maps give back of what a cut took, and what is read back from them, on all assets of the demo: figures for
//! docs/performance.md, in about three minutes. `cargo bench -p ectome-recipe --bench maps`

#[path = "../tests/suite/maps_read_back.rs"]
mod maps_read_back;

use ectome_formats::Scene;
use ectome_intake::repair::weld::Weld;
use ectome_mesh::{Fate, Progress};
use ectome_recipe::{
    Change, CutSettings, Manner, Recipe, Target, UvStep, change,
    engine::{self, Stock},
    maps::{BakeReport, BakeSettings, Kind},
    triangles::triangulated,
};

/// An asset of the demo, one triangle of how many stays, and the same where only what was read back is asked for.
const ASSETS: [(&str, u32, u32); 6] = [
    ("fog_bell", 100, 100),
    ("mooring_post", 100, 100),
    ("figurehead", 100, 100),
    // Of these one triangle in a hundred is no plate, no winch and no kettle any more: their outlines are off, which no map gives back.
    ("tide_plate", 20, 4),
    ("rope_winch", 10, 10),
    ("enamel_kettle", 10, 10),
];

/// What somebody does to a demo asset before it is cut for maps: small raised things are only for the maps, and what is torn is
/// joined.
fn made_ready(name: &str, source: &Scene) -> Vec<Change> {
    let only_for_maps = |small: &dyn Fn(&str) -> bool| {
        let parts = source.mesh.parts.iter().enumerate();
        let parts = parts.filter(|(_, p)| small(&p.name)).map(|(i, _)| i as u32);
        vec![Change::Fate(change::Fate {
            parts: parts.collect(),
            fate: Fate::Imprint,
        })]
    };
    match name {
        "enamel_kettle" => vec![
            Change::Weld(change::Weld {
                how: Weld {
                    distance_m: 1e-4,
                    ..Weld::default()
                },
            }),
            Change::DropFloaters(change::DropFloaters { size_m: 0.04 }),
        ],
        "tide_plate" => only_for_maps(&|p| p != "plate" && p != "enamel field"),
        "rope_winch" => only_for_maps(&|p| p.starts_with("bolt")),
        _ => Vec::new(),
    }
}

/// How far shading is off as clay, without and with the normal map.
fn given_back(name: &str, part: u32) {
    let asset = ectome_demo::ASSETS.iter().find(|a| a.file == name).unwrap();
    let files = asset.files().unwrap();
    let set = ectome_formats::FileSet::new(files.iter().map(|(n, b)| (n.as_str(), &b[..])));
    let progress = Progress::new();
    let source = triangulated(set.import(&progress).unwrap(), &progress).unwrap();
    let count = source.mesh.triangle_count();
    let n = count as u32 / part;
    let changes = made_ready(name, &source);
    let recipe = Recipe::cut(name, &changes, Target::Triangles(n), CutSettings::default())
        .with_uvs(UvStep::unwrap(Manner::Soft))
        .with_maps(BakeSettings::of(vec![Kind::Normal], 2048));
    let made = engine::run(&recipe, &set, &progress).unwrap();
    let report = made.artefacts.iter().find(|a| a.kind == "bake").unwrap();
    let report: BakeReport = serde_json::from_slice(&report.bytes).unwrap();
    println!(
        "{name}, {count} to {n}, {:.5}, {:.5}, {:.4}, {:.1}",
        1.0 - report.shading_without.unwrap_or(1.0),
        1.0 - report.shading_with.unwrap_or(1.0),
        report.misses_percent,
        report.seconds_total
    );
}

fn main() {
    println!("asset, triangles, shading without, with, misses %, seconds");
    for (name, part, _) in ASSETS {
        given_back(name, part);
    }
    for (name, _, part) in ASSETS {
        println!("{}", maps_read_back::read_back(name, part));
    }
}
