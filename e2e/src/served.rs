//! A folder over HTTP, with some files of one's own beside it: for scripts that load what they need by address.

use std::{
    collections::HashMap,
    io::{BufRead, BufReader, Write},
    net::{TcpListener, TcpStream},
    path::{Component, Path},
    sync::Arc,
    thread,
};

/// Serves on a free port of this machine until the program ends, and returns that port. `own` are files by their paths, which begin with a
/// stroke; every other path is looked for in `root`.
pub fn serve(root: &Path, own: HashMap<String, Vec<u8>>) -> u16 {
    let listener = TcpListener::bind(("127.0.0.1", 0)).expect("a free port");
    let port = listener.local_addr().expect("its own address").port();
    let (root, own) = (root.to_owned(), Arc::new(own));
    thread::spawn(move || {
        for stream in listener.incoming().map_while(Result::ok) {
            let (root, own) = (root.clone(), Arc::clone(&own));
            thread::spawn(move || answer(stream, &root, &own));
        }
    });
    port
}

/// Answers one request; whoever hangs up early gets no answer.
fn answer(mut stream: TcpStream, root: &Path, own: &HashMap<String, Vec<u8>>) -> Option<()> {
    let mut lines = BufReader::new(stream.try_clone().ok()?).lines();
    let first = lines.next()?.ok()?;
    while lines.next()?.ok().is_some_and(|line| !line.is_empty()) {}
    let path = first.split(' ').nth(1)?.split('?').next()?;
    let relative = Path::new(path.trim_start_matches('/'));
    let is_inside = relative
        .components()
        .all(|c| matches!(c, Component::Normal(_)));
    let found = own.get(path).cloned();
    let found = found.or_else(|| is_inside.then(|| std::fs::read(root.join(relative)).ok())?);
    let kind = match relative.extension().and_then(|e| e.to_str()) {
        Some("html") => "text/html",
        Some("js") => "text/javascript",
        Some("wasm") => "application/wasm",
        _ => "application/octet-stream",
    };
    let (status, body) = match found {
        Some(body) => ("200 OK", body),
        None => ("404 Not Found", Vec::new()),
    };
    let length = body.len();
    let head = format!(
        "HTTP/1.1 {status}\r\nContent-Type: {kind}\r\nContent-Length: {length}\r\nConnection: close\r\n\r\n"
    );
    stream.write_all(head.as_bytes()).ok()?;
    stream.write_all(&body).ok()
}
