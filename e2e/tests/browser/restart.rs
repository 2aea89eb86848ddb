//! `kill -9` in the middle of work, and a polite stop.

use std::fs;

use ectome_e2e::{
    app::App,
    http,
    wait::{runs, wait_for},
};
use ectome_formats::{Scene, glb};
use ectome_mesh::{Mesh, shapes};
use ectome_recipe::{Manner, UvStep};

/// The triangles as positions, in an order that does not depend on how they are stored.
fn surface(mesh: &Mesh) -> Vec<[[u32; 3]; 3]> {
    let mut faces: Vec<_> = (0..mesh.triangle_count())
        .map(|f| {
            let mut face = [0, 1, 2].map(|k| {
                let v = mesh.face(f)[k] as usize;
                mesh.points[mesh.vertex_point[v] as usize]
                    .to_array()
                    .map(f32::to_bits)
            });
            let least = (0..3).min_by_key(|&k| face[k]).unwrap_or_default();
            face.rotate_left(least);
            face
        })
        .collect();
    faces.sort_unstable();
    faces
}

#[test]
fn a_killed_server_finishes_its_cut_after_the_next_start() {
    let folder = tempfile::tempdir().unwrap();
    let mut app = App::start(folder.path());
    // Large enough that the cut takes a while: 327 680 triangles.
    let ball = Scene::from(shapes::icosphere(1.0, 7));
    let bytes = glb::write(&ball, &glb::Options::default()).unwrap();
    let answer = http::upload(app.port, &[("float.glb", &bytes)]).unwrap();
    assert_eq!(answer.status, 201, "{answer:?}");
    let shows = |app: &App, path: &str, text: &str| {
        http::get(app.port, path).is_some_and(|r| r.text().contains(text))
    };
    wait_for("intake", || shows(&app, "/assets/1/cut", "id=\"cut-form\""));

    http::post(app.port, "/assets/1/cuts", "triangles=2000").unwrap();
    wait_for("the cut begins", || runs(app.port, "Cutting to"));
    app.kill();
    app.restart();
    wait_for("the cut ends", || shows(&app, "/assets/1/cut", "on stage"));
    let work = http::get(app.port, "/work").unwrap().text();
    assert_eq!(
        work.matches("Float: Cutting to").count(),
        1,
        "the cut stands in the list once"
    );
    let page = http::get(app.port, "/assets/1/cut").unwrap().text();
    assert_eq!(page.matches("data-candidate=").count(), 1, "one candidate");
    let made = http::get(app.port, "/assets/1/download/float_1.glb").unwrap();
    let made = glb::read("float_1.glb", &made.body).unwrap();
    assert!(made.mesh.triangle_count() <= 2000 && made.mesh.triangle_count() >= 1998);
    // What a killed and restarted server made is what the command line makes.
    let [source, own] = ["float.glb", "own.glb"].map(|name| folder.path().join(name));
    fs::write(&source, &bytes).unwrap();
    let done = std::process::Command::new(ectome_e2e::app::program())
        .args(["cut", "--to", "2000", "-o"])
        .args([&own, &source])
        .output()
        .unwrap();
    assert!(done.status.success(), "{done:?}");
    // The download is ordered for devices; the surface is the same to the last digit.
    let own = glb::read("own.glb", &fs::read(&own).unwrap()).unwrap();
    assert!(surface(&own.mesh) == surface(&made.mesh), "another surface");

    // A polite stop ends with status 0, takes the database along and frees the folder.
    assert_eq!(app.stop(), Some(0));
    assert!(!folder.path().join("database/pid").exists());
    app.restart();
    assert!(shows(&app, "/", "Float"));
}

#[test]
fn a_killed_server_finishes_its_preparation_after_the_next_start() {
    let folder = tempfile::tempdir().unwrap();
    let mut app = App::start(folder.path());
    let ball = Scene::from(shapes::icosphere(1.0, 7));
    let bytes = glb::write(&ball, &glb::Options::default()).unwrap();
    http::upload(app.port, &[("float.glb", &bytes)]).unwrap();
    let shows = |app: &App, path: &str, text: &str| {
        http::get(app.port, path).is_some_and(|r| r.text().contains(text))
    };
    wait_for("intake", || shows(&app, "/assets/1/cut", "id=\"cut-form\""));
    // Half the ball goes; until then it stays what it was.
    let plane = "change=clip&px=0&py=0&pz=0&nx=0&ny=1&nz=0&cap=on";
    http::post(app.port, "/assets/1/changes", plane).unwrap();
    wait_for("the change begins", || {
        shows(&app, "/assets/1/intake", "id=\"pending\"")
    });
    app.kill();
    app.restart();
    wait_for("the change ends", || {
        shows(&app, "/assets/1/intake", "triangles clipped off")
            && !shows(&app, "/assets/1/intake", "id=\"pending\"")
    });
    let work = http::get(app.port, "/work").unwrap().text();
    assert!(!work.contains("state-failed"), "nothing failed");
}

#[test]
fn a_locked_folder_and_a_taken_port_are_one_clear_sentence_each() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(folder.path());
    let try_start = |data: &std::path::Path, port: u16| {
        let done = std::process::Command::new(ectome_e2e::app::program())
            .args(["serve", "--no-demo", "--data"])
            .arg(data)
            .args(["--port", &port.to_string()])
            .output()
            .unwrap();
        assert_eq!(done.status.code(), Some(1));
        String::from_utf8(done.stderr).unwrap()
    };
    let locked = try_start(folder.path(), 0);
    assert!(
        locked.contains("in use by another Ectome") && locked.contains("ECTOME_DATA"),
        "{locked}"
    );
    let other = tempfile::tempdir().unwrap();
    let taken = try_start(other.path(), app.port);
    assert!(
        taken.contains("is taken") && taken.contains("ECTOME_PORT"),
        "{taken}"
    );
    assert!(locked.lines().count() == 1 && taken.lines().count() == 1);
    assert_eq!(fs::read_dir(other.path()).unwrap().count(), 0);
}

/// Killed while maps are baked again where the brush was, and while a low mesh of somebody else is brought: both are there once after the
/// next start. Stopped, it says so, and the maps before it stay.
#[test]
fn painted_maps_and_brought_meshes_survive_a_kill_and_a_stop() {
    let folder = tempfile::tempdir().unwrap();
    let mut app = App::start(folder.path());
    let unwrapped = |level: u32| {
        let scene = Scene::from(shapes::icosphere(1.0, level));
        let unwrap = UvStep::unwrap(Manner::Soft);
        let scene = unwrap.apply(scene, &Default::default()).unwrap().0;
        glb::write(&scene, &glb::Options::default()).unwrap()
    };
    let source = glb::write(
        &Scene::from(shapes::icosphere(1.0, 7)),
        &glb::Options::default(),
    );
    http::upload(app.port, &[("float.glb", &source.unwrap())]).unwrap();
    let shows = |app: &App, path: &str, text: &str| {
        http::get(app.port, path).is_some_and(|r| r.text().contains(text))
    };
    let is_there =
        |app: &App, path: &str| http::get(app.port, path).is_some_and(|r| r.status == 200);
    wait_for("intake", || shows(&app, "/assets/1/cut", "id=\"cut-form\""));

    // The mesh is large, so that bringing it takes a while.
    let low = http::upload_to(app.port, "/assets/1/low", &[("low.glb", &unwrapped(5))]).unwrap();
    assert_eq!(low.status, 303);
    wait_for("bringing begins", || runs(app.port, "low.glb"));
    app.kill();
    app.restart();
    wait_for("it is brought", || {
        is_there(&app, "/assets/1/download/float_1.glb")
    });
    let bake = "do=bake&map=normal&map=occlusion&size=1024&samples=4&padding=8&reach_mm=10&bits=8&from=everything&directions=blended";
    let asked = http::post(app.port, "/assets/1/bakes/1", bake).unwrap();
    assert_eq!(asked.status, 303, "{}", asked.text());
    wait_for("maps", || is_there(&app, "/assets/1/bakes/2/bake.json"));
    let before = http::get(app.port, "/assets/1/bakes/2/float_normal.png").unwrap();

    // A brush over everything.
    let brush = "%5B%7B%22at%22%3A%5B0%2C0%2C0%5D%2C%22radius%22%3A3%7D%5D";
    let again = |app: &App, times: u32| {
        let form = format!("do=again&brush={brush}&brush_times={times}");
        http::post(app.port, "/assets/1/bakes/2", &form).unwrap()
    };
    assert_eq!(again(&app, 2).status, 303);
    wait_for("baking again begins", || runs(app.port, "Bake"));
    app.kill();
    app.restart();
    wait_for("baked again", || {
        is_there(&app, "/assets/1/bakes/3/bake.json")
    });
    let page = http::get(app.port, "/assets/1/maps").unwrap().text();
    assert!(
        !page.contains("data-candidate=\"4\""),
        "nothing is there twice"
    );

    assert_eq!(again(&app, 3).status, 303);
    wait_for("baking again begins", || runs(app.port, "Bake"));
    let work = http::get(app.port, "/work").unwrap().text();
    let (before_it, _) = work.split_once("/stop").unwrap();
    let (_, id) = before_it.rsplit_once("/work/").unwrap();
    let stopped = http::post(app.port, &format!("/work/{id}/stop"), "").unwrap();
    assert!(stopped.status < 400, "{}", stopped.text());
    wait_for("it is stopped", || {
        shows(&app, "/assets/1/maps?show=4", "The work was stopped")
    });
    let after = http::get(app.port, "/assets/1/bakes/2/float_normal.png").unwrap();
    assert_eq!(before.body, after.body);
    assert_eq!(before.status, 200);
}

/// Killed while a skin is laid, while hulls are and while cards are made: each is there once after the next start, and is what it was asked
/// to be.
#[test]
fn skins_and_stand_ins_survive_a_kill() {
    let folder = tempfile::tempdir().unwrap();
    let mut app = App::start(folder.path());
    let ring = Scene::from(shapes::torus(1.0, 0.3, 320, 160));
    let bytes = glb::write(&ring, &glb::Options::default()).unwrap();
    http::upload(app.port, &[("float.glb", &bytes)]).unwrap();
    wait_for("intake", || {
        http::get(app.port, "/assets/1/cut").is_some_and(|r| r.text().contains("rebuild-form"))
    });
    let skin = "do=skin&detail_mm=12&openings_mm=&gaps_mm=&sheets_mm=&triangles=2000";
    let asked = [
        ("rebuilds", skin, "Rebuilding at"),
        ("stand-ins", "as=hull&hulls=6&triangles=40", "Up to 6 hulls"),
        (
            "stand-ins",
            "as=cards&planes=3&size=512&own_back=on",
            "3 crossed cards",
        ),
    ];
    let made: Vec<Mesh> = asked
        .into_iter()
        .enumerate()
        .map(|(n, (path, form, says))| {
            let sent = http::post(app.port, &format!("/assets/1/{path}"), form).unwrap();
            assert!(sent.status < 400, "{}", sent.text());
            wait_for(says, || runs(app.port, says));
            app.kill();
            app.restart();
            let file = format!("/assets/1/download/float_{}.glb", n + 1);
            let there = || http::get(app.port, &file).filter(|r| r.status == 200);
            wait_for(says, || there().is_some());
            glb::read("float.glb", &there().unwrap().body).unwrap().mesh
        })
        .collect();
    let work = http::get(app.port, "/work").unwrap().text();
    for (_, _, says) in asked {
        assert_eq!(work.matches(says).count(), 1, "{says} stands there once");
    }
    assert!(!work.contains("state-failed"), "nothing failed");
    assert!(made[0].triangle_count() > 10_000);
    assert!((2..=6).contains(&made[1].parts.len()) && made[1].triangle_count() <= 240);
    assert_eq!(made[2].triangle_count(), 12);
    let other = http::get(app.port, "/assets/1/download/float_4.glb").unwrap();
    assert_eq!(other.status, 404, "nothing is there twice");
}
