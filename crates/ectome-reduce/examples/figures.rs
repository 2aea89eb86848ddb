//! Quality of cuts beside a reference library on the same input:
//! `cargo run --release -p ectome-reduce --example figures [MESH.bin…]`, where a `.bin` holds u32 vertices, u32
//! triangles, u32 has_uv, f32 positions, f32 UVs, u32 indices, little-endian. Without files: a globe of a million
//! triangles and an assembly of rounded plates.

#[path = "../tests/suite/common/mod.rs"]
mod common;
#[path = "../benches/reference.rs"]
mod reference;

use std::time::Instant;

use ectome_compare::{Judge, Report};
use ectome_mesh::{Mesh, MeshBuilder, Primitive, Progress};
use ectome_reduce::{Attention, Options, Replay, analyse, refine};
use glam::{Affine3A, Vec2, Vec3};

fn main() {
    let files: Vec<String> = std::env::args().skip(1).collect();
    if files.is_empty() {
        figures("globe", &common::globe(1000, 501, 0.05));
        figures("plates", &common::plates(25, 58));
    }
    for file in files {
        match read(&file) {
            Some(mesh) => figures(&file, &mesh),
            None => eprintln!("{file} is not such a mesh"),
        }
    }
}

fn figures(name: &str, mesh: &Mesh) {
    let n = mesh.triangle_count();
    println!("\n{name}: {n} triangles");
    println!(
        "| method | target | triangles | mean % | largest % | open, non-manifold, flipped | outline % | UV drift, texels | colour, of 255 | seams off, texels | islands | seconds |"
    );
    println!("|---|---|---|---|---|---|---|---|---|---|---|---|");
    let progress = Progress::new();
    let options = Options::default();
    let judge = Judge::of(mesh).expect("triangles");
    let started = Instant::now();
    let log = analyse(mesh, &options, &progress).expect("analysed");
    let analysis = started.elapsed().as_secs_f64();
    let bytes = log.to_bytes().len() as f64 / n as f64;
    let replay = Replay::new(mesh, &log).expect("its own log");
    let reference = (!mesh.uv_sets.is_empty()).then(|| reference::Reference::of(mesh));
    for share in [2, 10, 100] {
        let target = n / share;
        let started = Instant::now();
        let mut cut = replay.at(mesh, &log, target).expect("reachable");
        let replayed = started.elapsed().as_secs_f64();
        let report = |m: &Mesh| judge.compare(mesh, m, &progress).expect("measured");
        row(
            "ours, analysis + replay",
            target,
            &report(&cut.mesh),
            analysis + replayed,
        );
        let started = Instant::now();
        refine(mesh, &options, &mut cut, &progress).expect("fitted");
        row(
            "ours, fitted",
            target,
            &report(&cut.mesh),
            started.elapsed().as_secs_f64(),
        );
        if let Some(r) = &reference {
            let started = Instant::now();
            let indices = r.simplify(target);
            let took = started.elapsed().as_secs_f64();
            row(
                "meshopt simplify",
                target,
                &report(&with(mesh, indices)),
                took,
            );
            let started = Instant::now();
            let indices = r.simplify_with_uv(target);
            let took = started.elapsed().as_secs_f64();
            row(
                "meshopt with UVs",
                target,
                &report(&with(mesh, indices)),
                took,
            );
        }
    }
    let looks_at_outline = Options {
        attention: Attention::of([9.0, 1.0, 1.0, 1.0, 1.0, 1.0]).expect("shares"),
        ..options
    };
    let mut cut = ectome_reduce::cut(mesh, n / 100, &looks_at_outline, &progress).expect("cut");
    let plain = judge.compare(mesh, &cut.mesh, &progress).expect("measured");
    row("ours, attention on outline", n / 100, &plain, 0.0);
    refine(mesh, &looks_at_outline, &mut cut, &progress).expect("fitted");
    let fitted = judge.compare(mesh, &cut.mesh, &progress).expect("measured");
    row("ours, the same, fitted", n / 100, &fitted, 0.0);
    println!("analysis {analysis:.2} s, log {bytes:.1} bytes a triangle");
}

fn row(method: &str, target: usize, r: &Report, seconds: f64) {
    println!(
        "| {method} | {target} | {} | {:.5} | {:.4} | {}, {}, {} | {:.3} | {:.2} | {:.2} | {:.2} | {} | {seconds:.2} |",
        r.low.triangles,
        r.deviation_mean_percent_of_diagonal,
        r.deviation_max_percent_of_diagonal,
        r.low.open_edges,
        r.low.nonmanifold_edges,
        r.flipped_faces,
        r.outline_agreement * 100.0,
        r.uv_drift_mean_texels.unwrap_or(0.0),
        r.colour_transfer_error.unwrap_or(0.0),
        r.seam_drift_max_texels.unwrap_or(0.0),
        r.uv_islands[1],
    );
}

/// The mesh with other triangles.
fn with(mesh: &Mesh, indices: Vec<u32>) -> Mesh {
    let mut out = mesh.clone();
    out.runs.truncate(1);
    out.runs[0].faces = 0..(indices.len() / 3) as u32;
    out.corners = indices;
    out
}

fn read(path: &str) -> Option<Mesh> {
    let bytes = std::fs::read(path).ok()?;
    let word = |i: usize| {
        Some(u32::from_le_bytes(
            bytes.get(4 * i..4 * i + 4)?.try_into().ok()?,
        ))
    };
    let real = |i: usize| word(i).map(f32::from_bits);
    let (vertices, triangles) = (word(0)? as usize, word(1)? as usize);
    let positions = (0..vertices)
        .map(|v| {
            Some(Vec3::new(
                real(3 + 3 * v)?,
                real(4 + 3 * v)?,
                real(5 + 3 * v)?,
            ))
        })
        .collect::<Option<_>>()?;
    let mut at = 3 + 3 * vertices;
    let mut uv_sets = Vec::new();
    if word(2)? == 1 {
        let set = (0..vertices)
            .map(|v| Some(Vec2::new(real(at + 2 * v)?, real(at + 2 * v + 1)?)))
            .collect::<Option<_>>()?;
        uv_sets.push(set);
        at += 2 * vertices;
    }
    let corners = (0..3 * triangles)
        .map(|i| word(at + i))
        .collect::<Option<_>>()?;
    let mut builder = MeshBuilder::new();
    builder
        .part("mesh", Affine3A::IDENTITY)
        .primitive(Primitive {
            positions,
            uv_sets,
            corners,
            ..Primitive::default()
        });
    Some(builder.finish())
}
