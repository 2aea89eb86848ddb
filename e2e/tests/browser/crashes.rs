//! `kill -9` of the server, its worker with it, and of the database at random moments, again and again: nothing that was
//! confirmed is lost, nothing stands twice, no blob is missing or half written, nothing temporary stays.
//!
//! Long, so it runs only when asked: docs/reliability.md has the command and the recorded run.

use std::{
    collections::HashMap,
    path::Path,
    process::Command,
    time::{Duration, Instant},
};

use ectome_e2e::{app::App, http};
use ectome_formats::{Scene, glb};
use ectome_mesh::shapes;

/// Numbers drawn from a seed.
struct Dice(u64);

impl Dice {
    fn below(&mut self, n: u64) -> u64 {
        self.0 = self
            .0
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) % n
    }
}

fn kill(process: Option<u32>) {
    if let Some(process) = process {
        let _ = Command::new("kill")
            .args(["-9", &process.to_string()])
            .status();
    }
}

fn count(text: &str, what: &str) -> usize {
    text.matches(what).count()
}

/// The title of an asset as its card on the Assets page has it.
fn card(title: &str) -> String {
    format!("<span class=\"title\" hx-disable>{title}<")
}

#[test]
#[ignore = "takes minutes; see docs/reliability.md"]
fn kill_nine_at_random_moments() {
    let runs: u64 = std::env::var("ECTOME_RUNS")
        .ok()
        .and_then(|n| n.parse().ok())
        .unwrap_or(100);
    let seed = std::env::var("ECTOME_SEED")
        .ok()
        .and_then(|n| n.parse().ok())
        .unwrap_or(11);
    let mut dice = Dice(seed);
    let folder = tempfile::tempdir().unwrap();
    let mut app = App::start(folder.path());
    // What was confirmed, and what was sent without an answer.
    let (mut kept, mut open): (Vec<String>, Vec<String>) = (Vec::new(), Vec::new());
    let mut cuts: HashMap<u64, Vec<u64>> = HashMap::new();
    let mut victims = [0usize; 3];
    // The third end of a database within a minute would rightly be its last.
    let mut ends: Vec<Instant> = Vec::new();
    for run in 0..runs {
        let port = app.port;
        let name = format!("float {run}");
        let level = 3 + dice.below(3) as u32;
        // Each is another size, so that none shares its candidates with another.
        let ball = Scene::from(shapes::icosphere(1.0 + run as f32 * 0.01, level));
        let bytes = glb::write(&ball, &glb::Options::default()).unwrap();
        let killer = {
            let (database, server) = (app.database(), app.process());
            ends.retain(|end| end.elapsed() < Duration::from_secs(65));
            let which = match dice.below(3) as usize {
                1 if ends.len() >= 2 => 0,
                which => which,
            };
            if which == 1 {
                ends.push(Instant::now());
            } else {
                ends.clear();
            }
            let wait = Duration::from_millis(dice.below(1500));
            victims[which] += 1;
            let thread = std::thread::spawn(move || {
                std::thread::sleep(wait);
                if which != 0 {
                    kill(database);
                }
                if which != 1 {
                    kill(Some(server));
                }
            });
            (thread, which)
        };
        let title = format!("Float {run}");
        match http::upload(port, &[(&format!("{name}.glb"), &bytes)]) {
            Some(answer) if answer.status == 201 => kept.push(title),
            // Refused: it must not be there.
            Some(answer) if answer.status < 500 && answer.status != 0 => panic!("{answer:?}"),
            _ => open.push(title),
        }
        for _ in 0..2 {
            let asset = 1 + dice.below(run + 1);
            let triangles = 20 + dice.below(60);
            if http::post(
                port,
                &format!("/assets/{asset}/cuts"),
                &format!("triangles={triangles}"),
            )
            .is_some_and(|a| a.status == 303)
            {
                let list = cuts.entry(asset).or_default();
                if !list.contains(&triangles) {
                    list.push(triangles);
                }
            }
        }
        let (thread, which) = killer;
        thread.join().unwrap();
        if which != 1 {
            app.kill();
            app.restart();
        } else {
            app.wait();
        }
        if run % 10 == 9 {
            println!(
                "{} runs, {} assets confirmed, {} without an answer",
                run + 1,
                kept.len(),
                open.len()
            );
        }
    }
    let port = app.port;
    let deadline = Instant::now() + Duration::from_secs(300);
    let get = |path: &str| http::get(port, path).map(|r| r.text()).unwrap_or_default();
    loop {
        let work = get("/work");
        if work.contains("<h1>")
            || (!work.contains("state-queued") && !work.contains("state-running"))
        {
            break;
        }
        assert!(Instant::now() < deadline, "work never ends: {work}");
        std::thread::sleep(Duration::from_millis(200));
    }
    let listed = get("/");
    assert_eq!(count(&get("/work"), "state-failed"), 0, "nothing failed");
    for title in &kept {
        assert_eq!(count(&listed, &card(title)), 1, "{title}");
    }
    for title in &open {
        assert!(count(&listed, &card(title)) <= 1, "{title}");
    }
    let (mut checked, mut given_up) = (0, 0);
    let assets: Vec<u64> = listed
        .split("href=\"/assets/")
        .skip(1)
        .filter_map(|rest| rest.split('/').next()?.parse().ok())
        .collect();
    for asset in &assets {
        let page = get(&format!("/assets/{asset}/cut"));
        if page.contains("ended 3 times in the middle") {
            // Hit three times in a row: given up, and it says so.
            given_up += 1;
            continue;
        }
        let fault = page.split("could not be read.").nth(1).unwrap_or("");
        assert!(
            page.contains("id=\"cut-form\""),
            "asset {asset} is not ready: {}",
            fault.chars().take(300).collect::<String>()
        );
        for triangles in cuts.get(asset).into_iter().flatten() {
            let data = page.split("id=\"data\">").nth(1).unwrap();
            assert!(
                data.contains(&format!("\"target\":{triangles}")) || data.contains("candidates"),
                "{asset} {triangles}"
            );
        }
        let wanted = cuts.get(asset).map_or(0, Vec::len);
        let there = count(&page, "data-candidate=");
        assert!(
            there >= wanted,
            "asset {asset} has {there} candidates of {wanted}"
        );
        assert_eq!(
            count(&page, "in work"),
            0,
            "asset {asset} waits for nothing"
        );
        // Meshes stand in the page's data, pictures in its addresses.
        for (before, kind, end) in [("esh\":\"", "mesh", "glb"), ("/picture/", "picture", "png")] {
            for rest in page.split(before).skip(1) {
                let blob: String = rest.chars().take_while(char::is_ascii_hexdigit).collect();
                if blob.len() != 64 {
                    continue;
                }
                let answer = http::get(port, &format!("/{kind}/{blob}.{end}")).unwrap();
                assert_eq!(answer.status, 200, "{kind} {blob}");
                assert_eq!(blake3::hash(&answer.body).to_hex().to_string(), blob);
                checked += 1;
            }
        }
    }
    assert!(checked >= assets.len());
    assert_eq!(app.stop(), Some(0));
    let left = |path: &Path| -> Vec<String> {
        let list = std::fs::read_dir(path).into_iter().flatten().flatten();
        list.map(|e| e.file_name().to_string_lossy().into_owned())
            .collect()
    };
    assert!(left(&folder.path().join("incoming")).is_empty());
    let database = left(&folder.path().join("database"));
    assert!(
        !database
            .iter()
            .any(|n| n.contains("data.new") || n == "accounts.sql"),
        "{database:?}"
    );
    let mut blobs = 0;
    for group in left(&folder.path().join("blobs")) {
        let group = folder.path().join("blobs").join(group);
        for name in left(&group) {
            let bytes = std::fs::read(group.join(&name)).unwrap();
            assert_eq!(
                blake3::hash(&bytes).to_hex().to_string(),
                name,
                "a blob is what its name says"
            );
            blobs += 1;
        }
    }
    println!(
        "{runs} runs (server {}, database {}, both {}): {} assets confirmed, {} without an answer, {} listed, {given_up} hit three times in a row and given up, {blobs} blobs whole",
        victims[0],
        victims[1],
        victims[2],
        kept.len(),
        open.len(),
        assets.len(),
    );
}
