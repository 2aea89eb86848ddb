//! Many at once: uploads, listeners and readers beside heavy work, and how soon work stops that is told to. Figures, not verdicts:
//! docs/reliability.md records them. All of it takes ten minutes and 4 GB of disk; a word runs what is called so:
//! `cargo build --release && ECTOME_PROGRAM=target/release/ectome cargo bench -p ectome-e2e --bench load -- uploads`.

use std::{
    io::{Read, Write},
    net::TcpStream,
    time::{Duration, Instant},
};

use ectome_e2e::{app::App, http};
use ectome_formats::{Scene, glb};
use ectome_mesh::shapes;

/// A figure of the process in MB.
fn memory(app: &App, name: &str) -> u64 {
    let text = std::fs::read_to_string(format!("/proc/{}/status", app.process())).unwrap();
    let line = text.lines().find_map(|l| l.strip_prefix(name)).unwrap();
    line.trim()
        .trim_end_matches("kB")
        .trim()
        .parse::<u64>()
        .unwrap()
        / 1024
}

/// Uploads `bytes` bytes of a file that is made up on the way.
fn upload_large(app: &App, name: &str, bytes: u64) -> u16 {
    let token = http::token(app.port).unwrap();
    let head = format!(
        "--skerry\r\nContent-Disposition: form-data; name=\"files\"; filename=\"{name}\"\r\n\r\n"
    );
    let tail = "\r\n--skerry--\r\n";
    let mut stream = TcpStream::connect(("127.0.0.1", app.port)).unwrap();
    write!(
        stream,
        "POST /assets?token={token} HTTP/1.0\r\nHost: 127.0.0.1:{}\r\nX-Requested-By: test\r\nContent-Type: \
         multipart/form-data; boundary=skerry\r\nContent-Length: {}\r\n\r\n{head}",
        app.port,
        head.len() as u64 + bytes + tail.len() as u64
    )
    .unwrap();
    let block = vec![7u8; 1 << 20];
    let mut left = bytes;
    while left > 0 {
        let n = left.min(block.len() as u64) as usize;
        stream.write_all(&block[..n]).unwrap();
        left -= n as u64;
    }
    stream.write_all(tail.as_bytes()).unwrap();
    let mut answer = Vec::new();
    stream.read_to_end(&mut answer).unwrap();
    String::from_utf8_lossy(&answer)
        .split(' ')
        .nth(1)
        .unwrap()
        .parse()
        .unwrap()
}

fn fifty_uploads_and_one_of_four_gigabytes() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(folder.path());
    let ball = Scene::from(shapes::icosphere(1.0, 6));
    let bytes = glb::write(&ball, &glb::Options::default()).unwrap();
    let begun = Instant::now();
    std::thread::scope(|scope| {
        let large = scope.spawn(|| upload_large(&app, "large.stl", 4 << 30));
        let small: Vec<_> = (0..50)
            .map(|i| {
                let (app, bytes) = (&app, &bytes);
                scope.spawn(move || {
                    http::upload(app.port, &[(&format!("float {i}.glb"), bytes)])
                        .unwrap()
                        .status
                })
            })
            .collect();
        assert!(small.into_iter().all(|s| s.join().unwrap() == 201));
        assert_eq!(large.join().unwrap(), 201);
    });
    let uploads = memory(&app, "VmHWM:");
    println!(
        "50 uploads of {} kB and one of 4 GiB: {:.0?}, peak {uploads} MB",
        bytes.len() / 1024,
        begun.elapsed()
    );
    let deadline = Instant::now() + Duration::from_secs(600);
    while http::get(app.port, "/work")
        .is_some_and(|r| r.text().contains("state-queued") || r.text().contains("state-running"))
    {
        assert!(Instant::now() < deadline);
        std::thread::sleep(Duration::from_millis(300));
    }
    println!(
        "after all intakes and analyses: {:.0?}, peak {} MB",
        begun.elapsed(),
        memory(&app, "VmHWM:")
    );
    assert!(uploads < 1024);
}

fn twenty_streams_and_two_hundred_reads_beside_a_cut() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(folder.path());
    // 1 310 720 triangles.
    let ball = Scene::from(shapes::icosphere(1.0, 8));
    let bytes = glb::write(&ball, &glb::Options::default()).unwrap();
    assert_eq!(
        http::upload(app.port, &[("float.glb", &bytes)])
            .unwrap()
            .status,
        201
    );
    let shows =
        |path: &str, text: &str| http::get(app.port, path).is_some_and(|r| r.text().contains(text));
    let wait = |what: &str, there: &dyn Fn() -> bool| {
        let deadline = Instant::now() + Duration::from_secs(300);
        while !there() {
            assert!(Instant::now() < deadline, "{what}");
            std::thread::sleep(Duration::from_millis(100));
        }
    };
    wait("intake", &|| shows("/assets/1/cut", "id=\"cut-form\""));
    let streams: Vec<TcpStream> = (0..20)
        .map(|_| {
            let mut stream = TcpStream::connect(("127.0.0.1", app.port)).unwrap();
            write!(
                stream,
                "GET /events HTTP/1.1\r\nHost: 127.0.0.1:{}\r\n\r\n",
                app.port
            )
            .unwrap();
            stream
        })
        .collect();
    http::post(app.port, "/assets/1/cuts", "triangles=10000").unwrap();
    wait("the cut begins", &|| {
        ectome_e2e::wait::runs(app.port, "Cutting to")
    });
    let mut times = Vec::new();
    for i in 0..200 {
        let path = [
            "/",
            "/assets/1/cut",
            "/work",
            "/assets/1/intake",
            "/briefs",
            "/assets/1/chain",
        ][i % 6];
        let asked = Instant::now();
        assert_eq!(http::get(app.port, path).unwrap().status, 200, "{path}");
        times.push(asked.elapsed());
    }
    let busy = ectome_e2e::wait::runs(app.port, "Cutting to");
    times.sort();
    println!(
        "200 reads beside 20 streams and {}: median {:.0?}, p95 {:.0?}, longest {:.0?}",
        if busy {
            "a cut that still runs"
        } else {
            "a cut that ended meanwhile"
        },
        times[100],
        times[190],
        times[199]
    );
    drop(streams);
}

/// How long after *Stop* a worker still computes, at moments spread over all it does.
fn stopping_at_any_moment() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(folder.path());
    let ball = Scene::from(shapes::icosphere(1.0, 8));
    let bytes = glb::write(&ball, &glb::Options::default()).unwrap();
    let ticks = || -> u64 {
        let stat = std::fs::read_to_string(format!("/proc/{}/stat", app.process())).unwrap();
        let rest: Vec<&str> = stat
            .rsplit(')')
            .next()
            .unwrap()
            .split_whitespace()
            .collect();
        rest[11].parse::<u64>().unwrap() + rest[12].parse::<u64>().unwrap()
    };
    let mut longest = Duration::ZERO;
    for run in 0..24u64 {
        assert_eq!(
            http::upload(app.port, &[("float.glb", &bytes)])
                .unwrap()
                .status,
            201
        );
        std::thread::sleep(Duration::from_millis(150 + 350 * run));
        let page = http::get(app.port, "/cards").unwrap().text();
        let id = page
            .split("href=\"/assets/")
            .nth(1)
            .unwrap()
            .split('/')
            .next()
            .unwrap()
            .to_owned();
        let work = http::get(app.port, "/work").unwrap().text();
        let at = work
            .split("<small>")
            .nth(1)
            .unwrap_or("")
            .split('<')
            .next()
            .unwrap_or("")
            .to_owned();
        http::post(app.port, &format!("/assets/{id}/remove"), "").unwrap();
        let asked = Instant::now();
        // Idle: less than a tenth of one processor over a tenth of a second.
        let (mut last, mut busy_until) = (ticks(), asked);
        while asked.elapsed() < Duration::from_secs(15)
            && busy_until.elapsed() < Duration::from_millis(600)
        {
            std::thread::sleep(Duration::from_millis(100));
            let now = ticks();
            if now - last > 3 {
                busy_until = Instant::now();
            }
            last = now;
        }
        let took = busy_until.duration_since(asked);
        longest = longest.max(took);
        println!(
            "after {:>5} ms, at \u{201c}{at}\u{201d}: computes {took:.0?} longer",
            150 + 350 * run
        );
    }
    println!("longest: {longest:.0?}");
}

fn main() {
    let all: [(&str, fn()); 3] = [
        ("uploads", fifty_uploads_and_one_of_four_gigabytes),
        ("reads", twenty_streams_and_two_hundred_reads_beside_a_cut),
        ("stopping", stopping_at_any_moment),
    ];
    let asked: Vec<String> = std::env::args().skip(1).collect();
    for (name, measure) in all {
        let named = asked.iter().filter(|a| !a.starts_with('-'));
        if named.clone().count() == 0 || named.clone().any(|a| a == name) {
            measure();
        }
    }
}
