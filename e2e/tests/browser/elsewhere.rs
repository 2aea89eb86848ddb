//! A database over TCP with password and TLS, an object store that speaks S3, workers in processes of their own, and what
//! `ectome collect` takes away.

use std::{
    fs,
    process::{Child, Command, Output, Stdio},
};

use ectome_e2e::{
    app::{App, program},
    http,
    wait::wait_for,
};
use ectome_formats::{Scene, glb};
use ectome_mesh::shapes;
use ectome_testing::{object_store::ObjectStore, tls_database::TlsDatabase};

fn ball() -> Vec<u8> {
    let ball = Scene::from(shapes::icosphere(1.0, 5));
    glb::write(&ball, &glb::Options::default()).unwrap()
}

fn shows(app: &App, path: &str, text: &str) -> bool {
    http::get(app.port, path).is_some_and(|r| r.text().contains(text))
}

fn worker(environment: &[(&str, String)], kinds: &str) -> Child {
    Command::new(program())
        .args(["work", "--kinds", kinds, "--memory", "2GB"])
        .args(["--disk-reserve", "0"])
        .envs(environment.iter().map(|(name, value)| (name, value)))
        .stdout(Stdio::null())
        .spawn()
        .unwrap()
}

fn interrupted(mut child: Child) -> Option<i32> {
    let pid = child.id().to_string();
    let sent = Command::new("kill").args(["-INT", &pid]).status();
    assert!(sent.unwrap().success());
    child.wait().unwrap().code()
}

fn ectome(args: &[&str], environment: &[(&str, String)]) -> Output {
    Command::new(program())
        .args(args)
        .envs(environment.iter().map(|(name, value)| (name, value)))
        .output()
        .unwrap()
}

#[test]
fn two_workers_share_a_database_by_tls_and_an_object_store_by_s3() {
    let folder = tempfile::tempdir().unwrap();
    let database = TlsDatabase::start(&folder.path().join("elsewhere"));
    let objects = ObjectStore::start("props");
    let environment = |mode: &str| {
        let mut list = objects.environment().to_vec();
        list.push(("ECTOME_DATABASE", database.address(mode)));
        list.push(("ECTOME_STORE", "s3://props/ectome".to_owned()));
        list
    };
    let verified = environment("VERIFY_CA");
    // Without TLS the account is closed, and the refusal does not repeat the password.
    let refused = ectome(&["collect"], &environment("DISABLED"));
    let said = String::from_utf8_lossy(&refused.stderr);
    assert_eq!(refused.status.code(), Some(1), "{said}");
    assert!(!said.contains("rope"), "{said}");

    let app = App::elsewhere(&folder.path().join("data"), &verified);
    let readers = worker(&verified, "intake,prepare,analyse");
    let makers = worker(&verified, "make,parcel,plan");
    let answer = http::upload(app.port, &[("float.glb", &ball())]).unwrap();
    assert_eq!(answer.status, 201, "{answer:?}");
    wait_for("intake", || shows(&app, "/assets/1/cut", "id=\"cut-form\""));
    http::post(app.port, "/assets/1/cuts", "triangles=500").unwrap();
    wait_for("the cut", || shows(&app, "/assets/1/cut", "on stage"));
    let made = http::get(app.port, "/assets/1/download/float_1.glb").unwrap();
    assert!(made.status == 200 && made.body.starts_with(b"glTF"));
    // Ctrl-C puts work back and ends in order.
    assert_eq!([readers, makers].map(interrupted), [Some(0); 2]);
    http::post(app.port, "/assets/1/cuts", "triangles=400").unwrap();
    assert!(shows(&app, "/work", "state-queued"));

    let collected = ectome(&["collect"], &verified);
    assert!(collected.status.success(), "{collected:?}");
    let made = http::get(app.port, "/assets/1/download/float_1.glb").unwrap();
    assert_eq!(made.status, 200, "what is named stays");
}

#[test]
fn collect_takes_what_nobody_names_from_a_folder_that_nobody_uses() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("data");
    let collect = ["collect", "--data", data.to_str().unwrap()];
    let nothing = ectome(&collect, &[]);
    let said = String::from_utf8_lossy(&nothing.stderr);
    assert!(said.contains("holds no data of Ectome"), "{said}");

    let mut app = App::start(&data);
    let answer = http::upload(app.port, &[("float.glb", &ball())]).unwrap();
    assert_eq!(answer.status, 201, "{answer:?}");
    wait_for("intake", || shows(&app, "/assets/1/cut", "id=\"cut-form\""));
    let in_use = ectome(&collect, &[]);
    assert_eq!(in_use.status.code(), Some(1), "{in_use:?}");
    assert_eq!(app.stop(), Some(0));

    let nobody = b"named by no row";
    let hash = blake3::hash(nobody).to_hex();
    let blob = data.join("blobs").join(&hash[..2]).join(hash.as_str());
    fs::create_dir_all(blob.parent().unwrap()).unwrap();
    fs::write(&blob, nobody).unwrap();
    let collected = ectome(&collect, &[]);
    let said = String::from_utf8_lossy(&collected.stdout);
    assert!(said.contains("in 1 files"), "{said}");
    assert!(!blob.exists());
    app.restart();
    assert!(shows(&app, "/assets/1/cut", "id=\"cut-form\""));
}
