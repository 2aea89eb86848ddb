//! Every route as somebody finds it who is no page of ours: headers on every answer, sentences for every mistake.

use std::{fs, path::Path};

use ectome_e2e::{app::App, http};
use rstest::rstest;

const PYRAMID: &str = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\n";

/// The routes that the application lists, each with whether it answers to GET and POST.
fn routes() -> Vec<(String, bool, bool)> {
    let source = Path::new(env!("CARGO_MANIFEST_DIR")).join("../crates/ectome-web/src");
    let rooms = fs::read_dir(&source).unwrap().flatten();
    let rooms = rooms.map(|room| room.path().join("mod.rs"));
    let files = rooms.chain(["router.rs", "statics.rs"].map(|f| source.join(f)));
    let text: Vec<String> = files.flat_map(fs::read_to_string).collect();
    let text = text.concat();
    let list: Vec<_> = text
        .split(".route(")
        .skip(1)
        .map(|rest| {
            let path = rest.split('"').nth(1).unwrap();
            let how = rest.splitn(3, '"').nth(2).unwrap();
            let how = how.split([';', '}']).next().unwrap();
            let how = how.split(".fallback(").next().unwrap();
            (path.to_owned(), how.contains("get("), how.contains("post("))
        })
        .collect();
    assert!(list.len() > 30, "{list:?}");
    list
}

fn filled(path: &str) -> String {
    path.replace("{id}", "1")
        .replace("{step}", "cut")
        .replace("{number}", "1")
        .replace("{tier}", "0")
        .replace("{triangles}", "2")
        .replace("{at}", "0")
        .replace("{finding}", "0")
        .replace("{file}", "pyramid_1.glb")
        .replace("{blob}", "x.png")
        .replace("{*path}", "-/img/mark.svg")
}

fn ask(app: &App, method: &str, path: &str, more: &str) -> http::Response {
    let port = app.port;
    let text = format!(
        "{method} {path} HTTP/1.0\r\nHost: 127.0.0.1:{port}\r\nContent-Length: 0\r\nSec-Fetch-Site: same-origin\r\n{more}\r\n"
    );
    http::raw(port, text.as_bytes()).unwrap()
}

fn has_headers(answer: &http::Response, what: &str) {
    let head = answer.head.to_lowercase();
    for header in [
        "content-security-policy: default-src 'none'; script-src 'self'",
        "frame-ancestors 'none'",
        "x-content-type-options: nosniff",
        "x-frame-options: deny",
        "referrer-policy: same-origin",
        "cross-origin-opener-policy: same-origin",
        "cross-origin-resource-policy: same-origin",
        "permissions-policy:",
    ] {
        assert!(head.contains(header), "{what}: no {header} in {head}");
    }
    assert!(!head.contains("unsafe-"), "{what}");
}

#[test]
fn every_route_carries_the_headers_and_answers_in_sentences() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(folder.path());
    http::upload(app.port, &[("pyramid.obj", PYRAMID.as_bytes())]).unwrap();
    for (route, get, post) in routes() {
        let path = filled(&route);
        if route != "/events" {
            let answer = ask(&app, "GET", &path, "");
            has_headers(&answer, &route);
            assert_ne!(answer.status, 500, "{route}");
            if !get {
                assert_eq!(answer.status, 405, "GET {route}");
                assert!(
                    answer.head.to_lowercase().contains("allow: post"),
                    "{}",
                    answer.head
                );
            }
        }
        if !post {
            let answer = ask(&app, "POST", &path, "");
            has_headers(&answer, &route);
            assert_eq!(answer.status, 405, "POST {route}");
            assert!(answer.text().contains("class=\"sentence\""), "{route}");
        } else if !route.contains("remove") {
            // An empty form: refused with a sentence or taken, never a fault of ours.
            let answer = ask(&app, "POST", &path, "");
            has_headers(&answer, &route);
            assert!(answer.status < 500, "POST {route}: {}", answer.status);
            assert!(
                answer.status < 400 || answer.text().contains("class=\"sentence\""),
                "{route}: {}",
                answer.text()
            );
        }
    }
}

#[rstest]
#[case("/assets/one/cut", 404)]
#[case("/assets/-1/cut", 404)]
#[case("/assets/99999999999999999999/cut", 404)]
#[case("/assets/1/cut?show=many", 400)]
#[case("/assets/1/preview/few", 404)]
#[case("/briefs/x/toml", 404)]
#[case("/work/x/stop", 405)]
fn values_of_the_wrong_kind_are_sentences(#[case] path: &str, #[case] status: u16) {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(folder.path());
    let answer = http::get(app.port, path).unwrap();
    assert_eq!(answer.status, status, "{path}");
    assert!(
        answer.text().contains("class=\"sentence\""),
        "{path}: {}",
        answer.text()
    );
}

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
