//! Unwraps GLB files and prints what came of it: `cargo run --release -p ectome-uv --example unwrapped -- FILE.glb…`
//! With `--keep` first, files are only measured.

use std::time::Instant;

use ectome_formats::{FileSet, read};
use ectome_mesh::Progress;
use ectome_uv::{
    arrange::{self, Wishes},
    layout::Layout,
    measure,
    pack::Settings,
    unwrap::{self, Manner, Options},
};

fn main() {
    let mut manners = vec![Manner::Soft, Manner::Mechanical];
    for name in std::env::args().skip(1) {
        if name == "--keep" {
            manners.clear();
            continue;
        }
        let bytes = std::fs::read(&name).expect("a file");
        let scene = read(&FileSet::new([("a.glb", &bytes[..])].into_iter())).expect("a GLB");
        let mesh = scene.mesh;
        let settings = Settings::default();
        let print = |what: &str, layout: &Layout, seconds: [f64; 2]| {
            let islands = measure::islands(&mesh, layout);
            let n = measure::numbers(&mesh, layout, &islands, settings.size);
            println!(
                "{name} {what}: {} triangles, {} islands, coverage {:.1} %, overlap {:.3} %, L2 {:.4} (own scale {:.4}), max {:.2}, gap {:.2}, {:.0} texels/m, spread {:.1} %, inside-out {}, flipped {}, {:.2} + {:.2} s",
                mesh.face_count(),
                n.islands,
                n.coverage_percent,
                n.overlap_percent,
                n.stretch_l2,
                n.stretch_within_l2,
                n.stretch_max,
                n.smallest_gap_texels.unwrap_or(0.0),
                n.texels_per_metre,
                n.density_spread_percent,
                n.inside_out.len(),
                n.flipped_triangles,
                seconds[0],
                seconds[1],
            );
        };
        for &manner in &manners {
            let start = Instant::now();
            let options = Options {
                manner,
                ..Options::default()
            };
            let layout = unwrap::whole(&mesh, &options, &Progress::new()).expect("not stopped");
            let first = start.elapsed().as_secs_f64();
            let start = Instant::now();
            let islands = measure::islands(&mesh, &layout);
            let packed = arrange::pack(
                &layout,
                &islands,
                &Wishes::default(),
                &settings,
                &Progress::new(),
            )
            .expect("room");
            print(
                &format!("{manner:?}"),
                &packed,
                [first, start.elapsed().as_secs_f64()],
            );
        }
        if manners.is_empty() {
            print("kept", &Layout::of(&mesh), [0.0; 2]);
        }
    }
}
