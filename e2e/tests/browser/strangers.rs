//! Requests of somebody who is no page of ours, as they go over the wire.

use std::fs;

use ectome_e2e::{app::App, http};

const PYRAMID: &str = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\n";

#[test]
fn who_does_not_say_where_it_comes_from_shows_the_token() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(folder.path());
    let port = app.port;
    http::upload(port, &[("pyramid.obj", PYRAMID.as_bytes())]).unwrap();
    let post = |headers: &str| {
        let text = format!("POST /assets/1/remove HTTP/1.0\r\n{headers}Content-Length: 0\r\n\r\n");
        http::raw(port, text.as_bytes()).unwrap()
    };
    let host = format!("Host: 127.0.0.1:{port}\r\n");
    for refused in [
        host.clone(),
        format!("{host}Origin: http://127.0.0.1:{port}\r\n"),
        format!("{host}X-Ectome-Token: 0000\r\n"),
        format!("{host}Sec-Fetch-Site: cross-site\r\nX-Ectome-Token: 0000\r\n"),
        format!("{host}Sec-Fetch-Site: none\r\n"),
        format!("{host}Host: 127.0.0.1:{port}\r\nSec-Fetch-Site: same-origin\r\n"),
        "Host: rebound.example\r\nSec-Fetch-Site: same-origin\r\n".to_owned(),
    ] {
        assert_eq!(post(&refused).status, 403, "{refused}");
    }
    assert!(http::get(port, "/").unwrap().text().contains("Pyramid"));
    // A script reads the token where only its user can.
    let token = fs::read_to_string(folder.path().join("token")).unwrap();
    let answer = post(&format!(
        "Host: LOCALHOST:{port}\r\nX-Ectome-Token: {}\r\n",
        token.trim()
    ));
    assert_eq!(answer.status, 303, "{answer:?}");
    assert!(!http::get(port, "/").unwrap().text().contains("Pyramid"));
}

#[test]
fn a_name_that_is_taken_and_a_text_that_is_too_long_are_said() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(folder.path());
    let port = app.port;
    let toml = "toml=name+%3D+%22Mine%22%0A%5B%5Btier%5D%5D%0Atriangles+%3D+500";
    assert!(http::post(port, "/briefs", toml).unwrap().status < 400);
    let taken = http::post(port, "/briefs", toml).unwrap();
    assert_eq!(taken.status, 409);
    assert_eq!(
        taken.sentence(),
        "Another one is called Mine. Choose another name."
    );
    http::upload(port, &[("pyramid.obj", PYRAMID.as_bytes())]).unwrap();
    let long = format!(
        "origin=&author={}&licence=&may_pass_on=yes",
        "x".repeat(1_900_000)
    );
    let answer = http::post(port, "/assets/1/provenance", &long).unwrap();
    assert_eq!(answer.status, 422);
    assert!(
        answer.sentence().contains("1900000 letters"),
        "{}",
        answer.sentence()
    );
    let name = format!("{}.obj", "n".repeat(600));
    let answer = http::upload(port, &[(&name, PYRAMID.as_bytes())]).unwrap();
    assert_eq!(answer.status, 422);
    assert!(
        answer.sentence().contains("name of a file"),
        "{}",
        answer.sentence()
    );
    assert_eq!(
        fs::read_dir(folder.path().join("incoming"))
            .unwrap()
            .count(),
        0
    );
}
