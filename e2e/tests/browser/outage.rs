//! A database that ends while the application runs: pages say so at once, and everything goes on.

use std::{
    process::Command,
    time::{Duration, Instant},
};

use ectome_e2e::{
    app::App,
    http,
    wait::{runs, wait_for},
};
use ectome_formats::{Scene, glb};
use ectome_mesh::shapes;

fn kill(process: u32) {
    let done = Command::new("kill")
        .args(["-9", &process.to_string()])
        .status();
    assert!(done.unwrap().success());
}

#[test]
fn pages_say_it_at_once_and_a_cut_goes_on() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(folder.path());
    let ball = Scene::from(shapes::icosphere(1.0, 7));
    let bytes = glb::write(&ball, &glb::Options::default()).unwrap();
    http::upload(app.port, &[("float.glb", &bytes)]).unwrap();
    let page = |path: &str| http::get(app.port, path).map(|r| (r.status, r.text()));
    let shows = |path: &str, text: &str| page(path).is_some_and(|(_, t)| t.contains(text));
    wait_for("intake", || shows("/assets/1/cut", "id=\"cut-form\""));
    http::post(app.port, "/assets/1/cuts", "triangles=2000").unwrap();
    wait_for("the cut begins", || runs(app.port, "Cutting to"));

    kill(app.database().unwrap());
    let begun = Instant::now();
    // Whatever is asked is answered within moments: with the page, or with the reason.
    while begun.elapsed() < Duration::from_secs(4) {
        let asked = Instant::now();
        let (status, text) = page("/").unwrap();
        assert!(
            asked.elapsed() < Duration::from_millis(2500),
            "{:?}",
            asked.elapsed()
        );
        assert!(
            status == 200 || (status == 503 && text.contains("started again")),
            "{status} {text}"
        );
        let style = http::get(app.port, "/static/-/css/ectome.css").unwrap();
        assert_eq!(style.status, 200, "files of ours need no database");
        std::thread::sleep(Duration::from_millis(30));
    }
    wait_for("the cut ends", || shows("/assets/1/cut", "on stage"));
    let work = page("/work").unwrap().1;
    assert!(!work.contains("state-failed"), "nothing failed");
    assert_eq!(work.matches("Float: Cutting to").count(), 1);
}

#[test]
fn no_database_outlives_the_application() {
    let folder = tempfile::tempdir().unwrap();
    let mut app = App::start(folder.path());
    let database = app.database().unwrap();
    app.kill();
    wait_for("the database ends", || {
        !std::path::Path::new(&format!("/proc/{database}")).exists()
    });
    app.restart();
    assert_ne!(app.database().unwrap(), database);
}

#[test]
fn a_database_that_cannot_be_kept_up_is_given_up_with_a_reason() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(folder.path());
    for _ in 0..3 {
        wait_for("it runs", || {
            http::get(app.port, "/").is_some_and(|r| r.status == 200)
        });
        let before = app.database().unwrap();
        kill(before);
        wait_for("it is gone", || {
            !std::path::Path::new(&format!("/proc/{before}")).exists()
        });
        wait_for("the pages know", || {
            http::get(app.port, "/").is_some_and(|r| r.status != 200)
                || app.database() != Some(before)
        });
    }
    wait_for("it is given up", || {
        http::get(app.port, "/").is_some_and(|r| r.text().contains("three times within a minute"))
    });
}
