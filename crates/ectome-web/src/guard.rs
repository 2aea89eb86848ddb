//! Who may ask, and what browsers may do with the answer.

use std::sync::OnceLock;

use axum::{
    body::{Body, to_bytes},
    extract::{Request, State},
    http::{HeaderMap, HeaderValue, Method, StatusCode, Uri, header},
    middleware::Next,
    response::{IntoResponse, Response},
};

use crate::{failure::Failure, state::App};

/// Everything a page loads comes from here; nothing runs that is not a file of ours.
const POLICY: &str = "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; \
    img-src 'self' data: blob:; connect-src 'self' blob:; form-action 'self'; base-uri 'none'; \
    frame-ancestors 'none'";

/// On every answer.
const HEADERS: [(&str, &str); 7] = [
    ("content-security-policy", POLICY),
    ("x-content-type-options", "nosniff"),
    ("x-frame-options", "DENY"),
    ("referrer-policy", "same-origin"),
    ("cross-origin-opener-policy", "same-origin"),
    ("cross-origin-resource-policy", "same-origin"),
    (
        "permissions-policy",
        "camera=(), geolocation=(), microphone=(), usb=()",
    ),
];

/// The header, form field or query value that carries the token.
const TOKEN_HEADER: &str = "x-ectome-token";
const TOKEN_FIELD: &str = "token";
/// The largest form that is looked into for it.
const MOST_FORM: usize = 4 << 20;

static TOKEN: OnceLock<String> = OnceLock::new();

/// Sets the token of this server, once.
pub fn set_token(token: String) {
    let _ = TOKEN.set(token);
}

/// The token that every form of ours carries: who sends it has read a page of ours.
pub fn token() -> &'static str {
    TOKEN.get().map_or("", String::as_str)
}

/// Refuses requests whose `Host` is not this machine (DNS rebinding) or that no page of ours sent (cross-site requests), and
/// adds security headers to every answer.
pub async fn check(State(app): State<App>, request: Request, next: Next) -> Response {
    let mut response = match allowed(request, app.port).await {
        Ok(request) => next.run(request).await,
        Err(failure) => failure.into_response(),
    };
    for (name, value) in HEADERS {
        response
            .headers_mut()
            .insert(name, HeaderValue::from_static(value));
    }
    response
}

/// The request, if it may go on.
async fn allowed(request: Request, port: u16) -> Result<Request, Failure> {
    let forbidden = |sentence: &str| Failure::new(StatusCode::FORBIDDEN, sentence);
    if !names_us(request.headers(), request.uri(), port) {
        return Err(forbidden(
            "Ectome answers only to this machine's own names: open http://127.0.0.1 with its port.",
        ));
    }
    match sender(request.headers(), request.method(), port) {
        Sender::Ours => Ok(request),
        Sender::Elsewhere => Err(forbidden(
            "This request comes from another site, so nothing was done. Use Ectome's own pages.",
        )),
        // Browsers say where a request comes from; what does not has to show that it read a page.
        Sender::Silent => match with_token(request).await? {
            Some(request) => Ok(request),
            None => Err(forbidden(
                "This request does not say which page sent it, so nothing was done. Use Ectome's own pages; a script \
                 sends the token of the data folder in the header X-Ectome-Token.",
            )),
        },
    }
}

/// Who sent a request.
#[derive(Debug, PartialEq, Eq)]
enum Sender {
    /// One of our pages, or somebody who only reads.
    Ours,
    /// Another site.
    Elsewhere,
    /// Nobody says.
    Silent,
}

fn sender(headers: &HeaderMap, method: &Method, port: u16) -> Sender {
    let origin_is_ours = headers.get_all(header::ORIGIN).iter().all(|o| {
        o.to_str()
            .ok()
            .and_then(|o| o.strip_prefix("http://"))
            .is_some_and(|h| is_local(h, port))
    });
    if !origin_is_ours {
        return Sender::Elsewhere;
    }
    if method == Method::GET || method == Method::HEAD {
        return Sender::Ours;
    }
    // Fetch Metadata Request Headers (W3C), section 2.2: every browser of today sends it to a loopback address.
    let mut sites = headers.get_all("sec-fetch-site").iter().peekable();
    if sites.peek().is_none() {
        return Sender::Silent;
    }
    if sites.all(|site| site == "same-origin") {
        Sender::Ours
    } else {
        Sender::Elsewhere
    }
}

/// True when the request names this machine, once, and nothing else.
fn names_us(headers: &HeaderMap, uri: &Uri, port: u16) -> bool {
    let mut hosts = headers.get_all(header::HOST).iter();
    let (Some(host), None) = (hosts.next(), hosts.next()) else {
        return false;
    };
    host.to_str().is_ok_and(|h| is_local(h, port))
        && uri
            .authority()
            .is_none_or(|authority| is_local(authority.as_str(), port))
}

/// True for the names of the loopback interface with our port.
fn is_local(host: &str, port: u16) -> bool {
    ["127.0.0.1", "localhost", "[::1]"]
        .iter()
        .any(|name| host.eq_ignore_ascii_case(&format!("{name}:{port}")))
}

/// The request again, if its header, its address or its form holds the token.
async fn with_token(request: Request) -> Result<Option<Request>, Failure> {
    let in_header = request.headers().get(TOKEN_HEADER);
    let in_header = in_header.and_then(|t| t.to_str().ok()).map(str::to_owned);
    let query = request.uri().query().unwrap_or_default();
    if in_header.as_deref().is_some_and(is_token) || holds_token(query.as_bytes()) {
        return Ok(Some(request));
    }
    let is_form = request
        .headers()
        .get(header::CONTENT_TYPE)
        .and_then(|t| t.to_str().ok())
        .is_some_and(|t| t.starts_with("application/x-www-form-urlencoded"));
    if !is_form {
        return Ok(None);
    }
    let (head, body) = request.into_parts();
    let body = to_bytes(body, MOST_FORM).await.map_err(|_| {
        Failure::new(
            StatusCode::PAYLOAD_TOO_LARGE,
            "The form is larger than any of Ectome's. Send it from its own page.",
        )
    })?;
    Ok(holds_token(&body).then(|| Request::from_parts(head, Body::from(body))))
}

fn holds_token(form: &[u8]) -> bool {
    url::form_urlencoded::parse(form).any(|(name, value)| name == TOKEN_FIELD && is_token(&value))
}

/// Compares without telling by its time how much was right.
fn is_token(given: &str) -> bool {
    !token().is_empty() && blake3::hash(given.as_bytes()) == blake3::hash(token().as_bytes())
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn headers(given: &[(&'static str, &'static str)]) -> HeaderMap {
        let mut headers = HeaderMap::new();
        for (name, value) in given {
            headers.append(*name, HeaderValue::from_static(value));
        }
        headers
    }

    #[rstest]
    #[case(&[], Method::GET, Sender::Ours)]
    #[case(&[], Method::POST, Sender::Silent)]
    #[case(&[("sec-fetch-site", "same-origin")], Method::POST, Sender::Ours)]
    #[case(&[("sec-fetch-site", "none")], Method::POST, Sender::Elsewhere)]
    #[case(&[("sec-fetch-site", "same-site")], Method::POST, Sender::Elsewhere)]
    #[case(&[("sec-fetch-site", "cross-site")], Method::DELETE, Sender::Elsewhere)]
    #[case(&[("sec-fetch-site", "same-origin"), ("sec-fetch-site", "cross-site")], Method::POST, Sender::Elsewhere)]
    // An origin of ours is no proof: old browsers send it, and so does whoever likes to.
    #[case(&[("origin", "http://localhost:4180")], Method::POST, Sender::Silent)]
    #[case(&[("origin", "http://elsewhere.example")], Method::POST, Sender::Elsewhere)]
    #[case(&[("origin", "http://elsewhere.example")], Method::GET, Sender::Elsewhere)]
    #[case(&[("origin", "null"), ("sec-fetch-site", "same-origin")], Method::POST, Sender::Elsewhere)]
    fn who_sent_it(
        #[case] given: &[(&'static str, &'static str)],
        #[case] method: Method,
        #[case] expected: Sender,
    ) {
        assert_eq!(sender(&headers(given), &method, 4180), expected);
    }

    #[rstest]
    #[case(&[("host", "localhost:4180")], "/", true)]
    #[case(&[("host", "LOCALHOST:4180")], "/", true)]
    #[case(&[("host", "localhost:4180")], "http://localhost:4180/", true)]
    #[case(&[("host", "localhost:4180")], "http://rebound.example/", false)]
    #[case(&[("host", "rebound.example")], "/", false)]
    #[case(&[("host", "localhost:4180"), ("host", "rebound.example")], "/", false)]
    #[case(&[("host", "localhost:4180"), ("host", "localhost:4180")], "/", false)]
    #[case(&[], "/", false)]
    fn only_requests_that_name_us_once(
        #[case] given: &[(&'static str, &'static str)],
        #[case] uri: &'static str,
        #[case] ours: bool,
    ) {
        let uri = Uri::from_static(uri);
        assert_eq!(names_us(&headers(given), &uri, 4180), ours);
    }

    #[rstest]
    #[case("127.0.0.1:4180", true)]
    #[case("Localhost:4180", true)]
    #[case("[::1]:4180", true)]
    #[case("127.0.0.1:80", false)]
    #[case("127.0.0.1", false)]
    #[case("skerry.example:4180", false)]
    #[case("127.0.0.1:4180.example", false)]
    fn only_loopback_names_with_our_port(#[case] host: &str, #[case] ours: bool) {
        assert_eq!(is_local(host, 4180), ours);
    }

    #[tokio::test]
    async fn the_token_counts_in_header_address_and_form_and_the_form_is_handed_on() {
        set_token("skerry".to_owned());
        let form = |body: &'static str| {
            let kind = "application/x-www-form-urlencoded";
            let request = Request::post("/x").header(header::CONTENT_TYPE, kind);
            with_token(request.body(Body::from(body)).unwrap())
        };
        let kept = form("a=1&token=skerry").await.unwrap().unwrap();
        let body = to_bytes(kept.into_body(), 100).await.unwrap();
        assert_eq!(&body[..], b"a=1&token=skerry");
        assert!(form("a=1&token=skerr").await.unwrap().is_none());
        let by = |request: axum::http::request::Builder| {
            with_token(request.body(Body::empty()).unwrap())
        };
        let right = by(Request::post("/x").header(TOKEN_HEADER, "skerry")).await;
        assert!(right.unwrap().is_some());
        let right = by(Request::post("/x?token=skerry")).await;
        assert!(right.unwrap().is_some());
        assert!(by(Request::post("/x")).await.unwrap().is_none());
    }
}
