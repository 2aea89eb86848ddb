//! The demo is there after the first start, and after the first start only.

use ectome_e2e::{app::App, http, wait::wait_for};

#[test]
fn the_demo_comes_with_the_first_start_and_not_with_the_next() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("data");
    let names: Vec<String> = ectome_demo::ASSETS
        .iter()
        .map(|a| a.title.to_owned())
        .collect();
    assert!(names.len() >= 6);
    let listed = |app: &App| {
        let page = http::get(app.port, "/").map_or_else(String::new, |r| r.text());
        names
            .iter()
            .map(|n| page.matches(n.as_str()).count())
            .collect::<Vec<_>>()
    };
    let mut app = App::with_demo(&data);
    wait_for("the demo", || listed(&app).iter().all(|&n| n >= 1));
    wait_for("the mark that it was made", || {
        data.join("demo-made").exists()
    });
    let before = listed(&app);
    assert_eq!(app.stop(), Some(0));
    drop(app);
    // One that was taken away does not come back either: the next start adds nothing.
    let app = App::with_demo(&data);
    std::thread::sleep(std::time::Duration::from_secs(3));
    assert_eq!(listed(&app), before);
}
