//! What the server refuses, and that it goes on serving.

use ectome_e2e::{app::App, http};

const PYRAMID: &str = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\n";

fn wait_for_cards(app: &App, text: &str) {
    for _ in 0..200 {
        if http::get(app.port, "/cards").is_some_and(|r| r.text().contains(text)) {
            return;
        }
        std::thread::sleep(std::time::Duration::from_millis(50));
    }
    panic!("the Assets page never says: {text}");
}

#[test]
fn other_hosts_and_other_sites_are_refused() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(folder.path());
    let port = app.port;
    let ask = |text: String| http::raw(port, text.as_bytes()).unwrap();
    let rebound = ask("GET / HTTP/1.0\r\nHost: rebound.example\r\n\r\n".to_owned());
    assert_eq!(rebound.status, 403);
    let elsewhere = ask(format!(
        "POST /assets/1/remove HTTP/1.0\r\nHost: 127.0.0.1:{port}\r\nOrigin: http://elsewhere.example\r\n\
         Content-Length: 0\r\n\r\n"
    ));
    assert_eq!(elsewhere.status, 403);
    let page = http::get(port, "/").unwrap();
    assert_eq!(page.status, 200);
    let head = page.head.to_lowercase();
    assert!(head.contains("content-security-policy: default-src 'none'"));
    assert!(!head.contains("unsafe"));
    assert!(head.contains("x-content-type-options: nosniff"));
}

#[test]
fn a_file_over_the_limit_gets_a_clear_answer_and_leaves_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::with_upload_limit(folder.path(), 100_000);
    let large = vec![b' '; 2_000_000];
    let answer = http::upload(app.port, &[("large.glb", &large)]).unwrap();
    assert_eq!(answer.status, 413);
    assert!(
        answer.sentence().contains("ECTOME_UPLOAD_LIMIT"),
        "{}",
        answer.sentence()
    );
    // The same without announcing the size: the stream is stopped on the way.
    let mut request = format!(
        "POST /assets HTTP/1.1\r\nHost: 127.0.0.1:{}\r\nConnection: close\r\nTransfer-Encoding: chunked\r\n\
         Sec-Fetch-Site: same-origin\r\nContent-Type: multipart/form-data; boundary=skerry\r\n\r\n",
        app.port
    )
    .into_bytes();
    let head =
        "--skerry\r\nContent-Disposition: form-data; name=\"files\"; filename=\"l.glb\"\r\n\r\n";
    request.extend(format!("{:x}\r\n{head}\r\n", head.len()).as_bytes());
    for part in large.chunks(50_000).take(6) {
        request.extend(format!("{:x}\r\n", part.len()).as_bytes());
        request.extend(part);
        request.extend(b"\r\n");
    }
    request.extend(b"0\r\n\r\n");
    let answer = http::raw(app.port, &request).unwrap();
    assert_eq!(answer.status, 413);
    let left = std::fs::read_dir(folder.path().join("incoming")).unwrap();
    assert_eq!(left.count(), 0);
}

#[test]
fn hostile_files_get_a_sentence_each_and_the_server_lives() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(folder.path());
    let port = app.port;
    let deep = format!(
        "{{\"asset\":{{\"version\":\"2.0\"}},\"extras\":{}1{}}}",
        "[".repeat(100_000),
        "]".repeat(100_000)
    );
    let mut nested = b"glTF\x02\0\0\0".to_vec();
    nested.extend((20 + deep.len() as u32).to_le_bytes());
    nested.extend((deep.len() as u32).to_le_bytes());
    nested.extend(b"JSON");
    nested.extend(deep.as_bytes());
    let cases: [(&str, &[u8]); 5] = [
        ("photo.glb", b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR"),
        ("short.glb", b"glTF\x02\0\0\0\xff\xff\xff\xff"),
        ("nested.glb", &nested),
        ("nan.obj", b"v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"),
        ("range.obj", b"v 0 0 0\nv 1 0 0\nf 1 2 900000000\n"),
    ];
    for (name, bytes) in cases {
        let answer = http::upload(port, &[(name, bytes)]).unwrap();
        assert_eq!(answer.status, 201, "{name}: {answer:?}");
        wait_for_cards(&app, &format!("</b> {name}"));
    }
    let nothing = http::upload(port, &[("notes.txt", b"hello")]).unwrap();
    assert_eq!(nothing.status, 422);
    assert!(nothing.sentence().contains("notes.txt"));
    let fine = http::upload(port, &[("../../pyramid.obj", PYRAMID.as_bytes())]).unwrap();
    assert_eq!(fine.status, 201);
    wait_for_cards(&app, "<b>4</b> triangles");
    // A missing material file is no fault.
    let text = format!("mtllib gone.mtl\nusemtl paint\n{PYRAMID}");
    http::upload(port, &[("cairn.obj", text.as_bytes())]).unwrap();
    wait_for_cards(&app, "Cairn");
    for path in [
        "/assets/999/cut",
        "/assets/1/nothing",
        "/mesh/../../x",
        "/nowhere",
    ] {
        let answer = http::get(port, path).unwrap();
        assert_eq!(answer.status, 404, "{path}");
    }
}
