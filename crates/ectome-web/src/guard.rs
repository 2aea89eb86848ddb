//! Who may ask, and what browsers may do with the answer.

use axum::{
    extract::{Request, State},
    http::{HeaderMap, HeaderValue, Method, StatusCode, header},
    middleware::Next,
    response::{IntoResponse, Response},
};

use crate::{app::App, failure::Failure};

/// Everything a page loads comes from here; nothing runs that is not a file of ours.
const POLICY: &str = "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; \
    img-src 'self' data: blob:; connect-src 'self' blob:; form-action 'self'; base-uri 'none'; \
    frame-ancestors 'none'";

/// Refuses requests whose `Host` is not this machine (DNS rebinding) or whose `Origin` is another
/// site (cross-site requests), and adds security headers to every answer.
pub async fn check(State(app): State<App>, request: Request, next: Next) -> Response {
    let mut response = match refusal(request.headers(), request.method(), app.port) {
        Some(sentence) => Failure::new(StatusCode::FORBIDDEN, sentence).into_response(),
        None => next.run(request).await,
    };
    for (name, value) in [
        ("content-security-policy", POLICY),
        ("x-content-type-options", "nosniff"),
        ("referrer-policy", "same-origin"),
        ("cross-origin-opener-policy", "same-origin"),
        ("cross-origin-resource-policy", "same-origin"),
    ] {
        response
            .headers_mut()
            .insert(name, HeaderValue::from_static(value));
    }
    response
}

/// Why a request is refused, if it is.
fn refusal(headers: &HeaderMap, method: &Method, port: u16) -> Option<&'static str> {
    let text = |name| {
        headers
            .get(name)
            .and_then(|v: &HeaderValue| v.to_str().ok())
    };
    if !text(header::HOST).is_some_and(|h| is_local(h, port)) {
        return Some(
            "Ectome answers only to this machine's own names: open http://127.0.0.1 with its port.",
        );
    }
    let origin_is_ours = headers.get(header::ORIGIN).is_none_or(|o| {
        o.to_str()
            .ok()
            .and_then(|o| o.strip_prefix("http://"))
            .is_some_and(|h| is_local(h, port))
    });
    let changes = method != Method::GET && method != Method::HEAD;
    let from_elsewhere = headers
        .get("sec-fetch-site")
        .is_some_and(|site| site != "same-origin" && site != "none");
    (!origin_is_ours || (changes && from_elsewhere)).then_some(
        "This request comes from another site, so nothing was done. Use Ectome's own pages.",
    )
}

/// True for the names of the loopback interface with our port.
fn is_local(host: &str, port: u16) -> bool {
    ["127.0.0.1", "localhost", "[::1]"]
        .iter()
        .any(|name| host == format!("{name}:{port}"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(&[("host", "localhost:4180")], Method::POST, false)]
    #[case(&[("host", "localhost:4180"), ("origin", "http://localhost:4180")], Method::POST, false)]
    #[case(&[("host", "localhost:4180"), ("origin", "http://elsewhere.example")], Method::POST, true)]
    #[case(&[("host", "localhost:4180"), ("origin", "null")], Method::POST, true)]
    #[case(&[("host", "localhost:4180"), ("sec-fetch-site", "cross-site")], Method::POST, true)]
    #[case(&[("host", "rebound.example")], Method::GET, true)]
    #[case(&[], Method::GET, true)]
    fn other_sites_are_refused(
        #[case] given: &[(&'static str, &'static str)],
        #[case] method: Method,
        #[case] refused: bool,
    ) {
        let mut headers = HeaderMap::new();
        for (name, value) in given {
            headers.insert(*name, HeaderValue::from_static(value));
        }
        assert_eq!(refusal(&headers, &method, 4180).is_some(), refused);
    }

    #[rstest]
    #[case("127.0.0.1:4180", true)]
    #[case("localhost:4180", true)]
    #[case("[::1]:4180", true)]
    #[case("127.0.0.1:80", false)]
    #[case("127.0.0.1", false)]
    #[case("skerry.example:4180", false)]
    #[case("127.0.0.1:4180.example", false)]
    fn only_loopback_names_with_our_port(#[case] host: &str, #[case] ours: bool) {
        assert_eq!(is_local(host, 4180), ours);
    }
}
