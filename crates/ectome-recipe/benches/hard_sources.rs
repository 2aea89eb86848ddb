//! How long intake takes over sources that are small but hard: fans round one point, doubled faces, one large polygon, thousands of parts.
//! To be read, since times differ from machine to machine; docs/performance.md records them.
//!
//! `cargo bench -p ectome-recipe --bench hard_sources`

use std::{f32::consts::TAU, fmt::Write as _, time::Instant};

use ectome_formats::{FileSet, Scene, read};
use ectome_mesh::Progress;
use ectome_recipe::{Inspection, picture, triangles::triangulated};

/// `n` triangles round one point.
fn fan(n: usize) -> String {
    let mut text = "v 0 0 0.2\n".to_owned();
    for i in 0..n {
        let a = TAU * i as f32 / n as f32;
        let _ = writeln!(text, "v {} {} 0", a.cos(), a.sin());
    }
    for i in 0..n {
        let _ = writeln!(text, "f 1 {} {}", i + 2, (i + 1) % n + 2);
    }
    text
}

/// One polygon of `n` corners whose outline goes in and out; `spiky` makes neighbours differ.
fn polygon(n: usize, spiky: bool) -> String {
    let mut text = String::new();
    for i in 0..n {
        let a = TAU * i as f32 / n as f32;
        let r = if spiky {
            1.0 + (i * 7919 % 104_729) as f32 / 200_000.0
        } else {
            1.0 + 0.1 * (20.0 * a).sin()
        };
        let _ = writeln!(text, "v {} {} 0", r * a.cos(), r * a.sin());
    }
    text += "f";
    (1..=n).for_each(|i| {
        let _ = write!(text, " {i}");
    });
    text + "\n"
}

/// `parts` objects of `triangles` each: bent strips, seven kinds of them.
fn parts(parts: usize, triangles: usize) -> String {
    let side = (parts as f32).sqrt() as usize + 1;
    let quads = triangles.div_ceil(2);
    let mut text = String::new();
    for p in 0..parts {
        let (x, y) = ((p % side) as f32 * 2.0, (p / side) as f32 * 2.0);
        let lift = 0.3 + 0.01 * (p % 7) as f32;
        let _ = writeln!(text, "o part {p}");
        for i in 0..=quads {
            let (sin, cos) = (TAU * 0.5 * i as f32 / quads as f32).sin_cos();
            let _ = writeln!(
                text,
                "v {} {} 0\nv {} {} {lift}",
                x + cos,
                y + sin,
                x + 0.6 * cos,
                y + 0.6 * sin
            );
        }
        let first = p * 2 * (quads + 1) + 1;
        for t in 0..triangles {
            let a = first + t;
            let _ = match t % 2 {
                0 => writeln!(text, "f {a} {} {}", a + 2, a + 1),
                _ => writeln!(text, "f {a} {} {}", a + 1, a + 2),
            };
        }
    }
    text
}

/// A plate of two triangles, each there `n` times.
fn doubled(n: usize) -> String {
    let mut text = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\n".to_owned();
    for _ in 0..n {
        text += "f 1 2 3\nf 1 3 4\n";
    }
    text
}

fn main() {
    let sources = [
        ("10 000 triangles round one point", fan(10_000)),
        ("100 000 triangles round one point", fan(100_000)),
        ("2 triangles 25 000 times", doubled(25_000)),
        ("one polygon of 50 000 corners", polygon(50_000, false)),
        ("the same, spiky", polygon(50_000, true)),
        ("2 000 parts of 100 triangles", parts(2_000, 100)),
        ("32 000 parts of one triangle", parts(32_000, 1)),
        ("20 000 parts of 50 triangles", parts(20_000, 50)),
    ];
    println!(
        "{:<36}{:>8}{:>9}{:>9}{:>9}{:>9}",
        "source", "read", "inspect", "picture", "all", "hidden"
    );
    for (name, text) in sources {
        let mut lap = Instant::now();
        let mut took = || {
            let seconds = lap.elapsed().as_secs_f64();
            lap = Instant::now();
            seconds
        };
        let scene: Scene = read(&FileSet::new([("source.obj", text.as_bytes())])).unwrap();
        let read = took();
        let (mut inspection, _) = Inspection::of(&scene, &Progress::new()).unwrap();
        let inspect = took();
        let drawn = triangulated(scene.clone(), &Progress::new()).unwrap();
        assert!(!picture::png(&drawn, 640, 480).is_empty());
        let picture = took();
        inspection
            .look_for_hidden(&scene, &Progress::new())
            .unwrap();
        let hidden = took();
        let all = read + inspect + picture;
        println!("{name:<36}{read:>8.2}{inspect:>9.2}{picture:>9.2}{all:>9.2}{hidden:>9.2}");
    }
}
