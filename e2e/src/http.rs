//! Requests by hand, for what no browser would send.

use std::{
    io::{Read, Write},
    net::TcpStream,
    time::Duration,
};

/// What came back.
#[derive(Debug)]
pub struct Response {
    /// The status.
    pub status: u16,
    /// The head, as text.
    pub head: String,
    /// The body.
    pub body: Vec<u8>,
}

impl Response {
    /// The body as text.
    pub fn text(&self) -> String {
        String::from_utf8_lossy(&self.body).into_owned()
    }

    /// The sentence of a failure page.
    pub fn sentence(&self) -> String {
        let text = self.text();
        let from = text.split("class=\"sentence\"").nth(1).unwrap_or(&text);
        let from = from.split_once('>').map_or(from, |(_, rest)| rest);
        from.split('<').next().unwrap_or_default().to_owned()
    }
}

/// Sends bytes as they are and reads until the other side closes.
pub fn raw(port: u16, request: &[u8]) -> Option<Response> {
    let mut stream = TcpStream::connect(("127.0.0.1", port)).ok()?;
    stream
        .set_read_timeout(Some(Duration::from_secs(60)))
        .ok()?;
    // A server that refuses may close before it has read everything.
    let _ = stream.write_all(request);
    let mut all = Vec::new();
    let _ = stream.read_to_end(&mut all);
    let end = all.windows(4).position(|w| w == b"\r\n\r\n")?;
    let head = String::from_utf8_lossy(&all[..end]).into_owned();
    let status = head.split(' ').nth(1)?.parse().ok()?;
    Some(Response {
        status,
        head,
        body: all[end + 4..].to_vec(),
    })
}

/// `GET path`. HTTP 1.0, so that nothing is chunked.
pub fn get(port: u16, path: &str) -> Option<Response> {
    let request = format!("GET {path} HTTP/1.0\r\nHost: 127.0.0.1:{port}\r\n\r\n");
    raw(port, request.as_bytes())
}

/// The token that every form of the application carries.
pub fn token(port: u16) -> Option<String> {
    let page = get(port, "/")?.text();
    let from = page.split_once("/assets?token=")?.1;
    Some(from.split('"').next()?.to_owned())
}

/// `POST path` of a form, with the token of the application's own forms.
pub fn post(port: u16, path: &str, form: &str) -> Option<Response> {
    let form = &format!("{form}&token={}", token(port)?);
    let request = format!(
        "POST {path} HTTP/1.0\r\nHost: 127.0.0.1:{port}\r\nContent-Type: \
         application/x-www-form-urlencoded\r\nContent-Length: {}\r\n\r\n{form}",
        form.len()
    );
    raw(port, request.as_bytes())
}

/// Uploads files as a browser's form would.
pub fn upload(port: u16, files: &[(&str, &[u8])]) -> Option<Response> {
    upload_to(port, "/assets", files)
}

/// The same to a path of its own.
pub fn upload_to(port: u16, path: &str, files: &[(&str, &[u8])]) -> Option<Response> {
    let token = token(port)?;
    let mut body: Vec<u8> = Vec::new();
    for (name, bytes) in files {
        body.extend(
            format!(
                "--skerry\r\nContent-Disposition: form-data; name=\"files\"; filename=\"{name}\"\r\n\
                 Content-Type: application/octet-stream\r\n\r\n"
            )
            .as_bytes(),
        );
        body.extend(*bytes);
        body.extend(b"\r\n");
    }
    body.extend(b"--skerry--\r\n");
    let mut request = format!(
        "POST {path}?token={token} HTTP/1.0\r\nHost: 127.0.0.1:{port}\r\nX-Requested-By: test\r\nContent-Type: \
         multipart/form-data; boundary=skerry\r\nContent-Length: {}\r\n\r\n",
        body.len()
    )
    .into_bytes();
    request.extend(body);
    raw(port, &request)
}
