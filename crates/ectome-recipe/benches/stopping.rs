//! How long work goes on after it was asked to stop: the waits in milliseconds over a source of 1.7 million triangles (for UVs over a
//! torus of 60 000, whose islands are large), each with the fraction at which the work was stopped. To be read, since times differ from
//! machine to machine; takes ten minutes. A word measures that alone: `cargo bench -p ectome-recipe --bench stopping -- rebuild`.

use std::{
    sync::mpsc,
    thread,
    time::{Duration, Instant},
};

use ectome_mesh::{Progress, shapes};
use ectome_recipe::{
    Manner, UvStep,
    far_end::{CardSettings, HullSettings, StandIn, stand_in},
    rebuild::{RebuildSettings, rebuilt},
    triangles,
};

/// Stops work at so many moments, spread over its length.
const MOMENTS: u32 = 12;

fn stopped(what: &'static str) {
    let source = if what == "uvs" {
        shapes::torus(1.0, 0.4, 300, 100).into()
    } else {
        triangles::triangulated(ectome_demo::once::wreck_shelf(), &Progress::new()).unwrap()
    };
    let source = std::sync::Arc::new(source);
    let begin = || {
        let progress = Progress::new();
        let (own, source) = (progress.clone(), source.clone());
        let (tell, told) = mpsc::channel();
        thread::spawn(move || {
            let scene = (*source).clone();
            let _ = tell.send(None);
            let made = match what {
                "uvs" => UvStep::unwrap(Manner::Soft).apply(scene, &own).map(|_| ()),
                "rebuild" => rebuilt(scene, &RebuildSettings::default(), &own).map(|_| ()),
                "hulls" => {
                    let hulls = HullSettings {
                        hulls: 8,
                        ..HullSettings::default()
                    };
                    stand_in(scene, &StandIn::Hull(hulls), &own).map(|_| ())
                }
                _ => stand_in(scene, &StandIn::Cards(CardSettings::default()), &own).map(|_| ()),
            };
            let _ = tell.send(Some(made.is_ok()));
        });
        told.recv().unwrap();
        (progress, told)
    };
    let started = Instant::now();
    let (_, told) = begin();
    assert_eq!(told.recv().unwrap(), Some(true));
    let whole = started.elapsed();
    let mut waits = Vec::new();
    for k in 0..MOMENTS {
        let (progress, told) = begin();
        thread::sleep(whole * k / MOMENTS);
        let at = progress.fraction();
        progress.cancel();
        let asked = Instant::now();
        let _ = told.recv();
        waits.push((asked.elapsed().as_millis(), at, progress.current_stage()));
        // What was left to its end must not slow the next one down.
        thread::sleep(Duration::from_secs(2));
    }
    waits.sort_by_key(|w| std::cmp::Reverse(w.0));
    println!(
        "{what}: {:.1} s in all, then waits: {waits:?}",
        whole.as_secs_f64()
    );
}

fn main() {
    let asked: Vec<String> = std::env::args().skip(1).collect();
    for what in ["rebuild", "hulls", "cards", "uvs"] {
        let mut named = asked.iter().filter(|a| !a.starts_with('-')).peekable();
        if named.peek().is_none() || named.any(|a| a == what) {
            stopped(what);
        }
    }
}
