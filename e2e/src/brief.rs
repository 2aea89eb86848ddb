//! A brief of one's own.

use crate::http;

/// Adds a brief, as TOML without its name, and judges an asset by it.
///
/// # Panics
/// Where either is refused.
pub fn give(port: u16, asset: u64, name: &str, rest: &str) {
    let toml = format!("name = \"{name}\"\n{rest}");
    let toml: String = url::form_urlencoded::byte_serialize(toml.as_bytes()).collect();
    let sent = http::post(port, "/briefs", &format!("toml={toml}")).expect("the server answers");
    assert!(sent.status < 400, "{}", sent.text());
    let briefs = http::get(port, "/briefs")
        .expect("the server answers")
        .text();
    let own = briefs.split("href=\"/briefs/").skip(1).find_map(|rest| {
        let (id, after) = rest.split_once('"')?;
        after
            .starts_with(&format!(">{name}"))
            .then(|| id.to_owned())
    });
    let brief = format!("brief={}", own.expect("the brief is listed"));
    let sent = http::post(port, &format!("/assets/{asset}/brief"), &brief);
    assert!(sent.expect("the server answers").status < 400);
}
