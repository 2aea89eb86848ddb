//! How long intake takes over sources that are small but hard: a fan round one point, one large polygon, thousands of
//! parts. docs/performance.md records its figures.
//!
//! ```sh
//! cargo run --release -p ectome-recipe --example slow_sources [FILE…]
//! ```

use std::{f32::consts::TAU, fmt::Write as _, time::Instant};

use ectome_formats::{FileSet, Scene, read};
use ectome_mesh::Progress;
use ectome_recipe::{Inspection, picture, step::triangulated};

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
        let r = match spiky {
            true => 1.0 + (i * 7919 % 104_729) as f32 / 200_000.0,
            false => 1.0 + 0.1 * (20.0 * a).sin(),
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

fn main() {
    let given: Vec<String> = std::env::args().skip(1).collect();
    let made: Vec<(String, Vec<u8>)> = match given.is_empty() {
        true => vec![
            ("fan of 10 000.obj".to_owned(), fan(10_000).into_bytes()),
            (
                "polygon of 50 000.obj".to_owned(),
                polygon(50_000, false).into_bytes(),
            ),
            (
                "spiky polygon of 50 000.obj".to_owned(),
                polygon(50_000, true).into_bytes(),
            ),
            (
                "2 000 parts of 100.obj".to_owned(),
                parts(2_000, 100).into_bytes(),
            ),
            (
                "32 000 parts of 1.obj".to_owned(),
                parts(32_000, 1).into_bytes(),
            ),
            (
                "20 000 parts of 50.obj".to_owned(),
                parts(20_000, 50).into_bytes(),
            ),
        ],
        false => given
            .into_iter()
            .map(|name| {
                let bytes = std::fs::read(&name).expect("a file that can be read");
                (name, bytes)
            })
            .collect(),
    };
    println!(
        "{:<32}{:>9}{:>9}{:>9}{:>9}{:>9}",
        "source", "read", "inspect", "picture", "hidden", "all but hidden"
    );
    for (name, bytes) in made {
        let begun = Instant::now();
        let mut lap = begun;
        let mut took = || {
            let seconds = lap.elapsed().as_secs_f64();
            lap = Instant::now();
            seconds
        };
        let scene: Scene = read(&FileSet::new([(name.as_str(), &bytes[..])])).expect("a mesh");
        let read = took();
        let (mut inspection, _) = Inspection::of(&scene, &Progress::new()).expect("not stopped");
        let inspect = took();
        let drawn = picture::png(
            &triangulated(scene.clone(), &Progress::new()).expect("nobody stops it"),
            640,
            480,
        );
        let picture = took();
        inspection
            .look_for_hidden(&scene, &Progress::new())
            .expect("not stopped");
        let hidden = took();
        assert!(!drawn.is_empty());
        println!(
            "{name:<32}{read:>9.2}{inspect:>9.2}{picture:>9.2}{hidden:>9.2}{:>9.2}",
            read + inspect + picture
        );
    }
}
