//! Errors as sentences.

use askama::Template;
use axum::{
    body::Body,
    extract::Request,
    http::{HeaderMap, Method, StatusCode, Uri, header},
    middleware::Next,
    response::{IntoResponse, Response},
};
use ectome_store::StoreError;

use crate::static_files::VERSION;

/// An answer that did not work out: what, where, what to do.
#[derive(Debug, Clone)]
pub struct Failure {
    status: StatusCode,
    sentence: String,
}

impl Failure {
    /// A failure with a status and a sentence.
    pub fn new(status: StatusCode, sentence: impl Into<String>) -> Self {
        Self {
            status,
            sentence: sentence.into(),
        }
    }

    /// What went wrong.
    pub fn sentence(&self) -> String {
        self.sentence.clone()
    }

    /// A request that cannot be carried out as it stands.
    pub fn bad(sentence: impl Into<String>) -> Self {
        Self::new(StatusCode::UNPROCESSABLE_ENTITY, sentence)
    }

    /// For a page that asks again by itself: what is not there *yet* has been accepted (202, RFC 9110 section 15.3.3) and is
    /// no failure that a browser puts into its log.
    pub fn or_later(mut self) -> Self {
        if self.status == StatusCode::SERVICE_UNAVAILABLE {
            self.status = StatusCode::ACCEPTED;
        }
        self
    }

    fn page(&self, back: Option<&str>) -> String {
        let title = match self.status {
            StatusCode::NOT_FOUND => "Nothing here",
            StatusCode::INTERNAL_SERVER_ERROR => "Ectome failed",
            StatusCode::ACCEPTED => "Not yet",
            _ => "That did not work",
        };
        let page = Page {
            title,
            sentence: &self.sentence,
            back,
            version: *VERSION,
        };
        page.render().unwrap_or_else(|_| self.sentence.clone())
    }
}

#[derive(Template)]
#[template(path = "failure.html")]
struct Page<'a> {
    title: &'a str,
    sentence: &'a str,
    back: Option<&'a str>,
    version: &'static str,
}

impl IntoResponse for Failure {
    fn into_response(self) -> Response {
        let html = [(header::CONTENT_TYPE, "text/html; charset=utf-8")];
        let mut response = (self.status, html, self.page(None)).into_response();
        response.extensions_mut().insert(self);
        response
    }
}

/// Gives the page of a failure a button that leads back to where the request was made.
pub async fn with_way_back(request: Request, next: Next) -> Response {
    let back = page_before(request.headers(), request.uri());
    let response = next.run(request).await;
    match (back, response.extensions().get::<Failure>()) {
        (Some(back), Some(failure)) => {
            let page = failure.page(Some(&back));
            response.map(|_| Body::from(page))
        }
        _ => response,
    }
}

/// The page of ours that a request was made from, as path and query, where it is another one than the page asked for and than the
/// assets, to which a failure leads anyway.
fn page_before(headers: &HeaderMap, asked: &Uri) -> Option<String> {
    let from: Uri = headers.get(header::REFERER)?.to_str().ok()?.parse().ok()?;
    let host = headers.get(header::HOST)?.to_str().ok()?;
    let is_ours = from.authority().is_some_and(|a| a.as_str() == host);
    let back = from.path_and_query()?.as_str();
    (is_ours && back != "/" && Some(back) != asked.path_and_query().map(|p| p.as_str()))
        .then(|| back.to_owned())
}

impl From<StoreError> for Failure {
    fn from(error: StoreError) -> Self {
        match error {
            StoreError::Missing { what, id } => Self::new(
                StatusCode::NOT_FOUND,
                format!("There is no {what} {id}. It may have been removed."),
            ),
            full @ StoreError::NoSpace { .. } => Self::new(
                StatusCode::INSUFFICIENT_STORAGE,
                format!("{}.", capital(&full.to_string())),
            ),
            taken @ StoreError::Taken { .. } => Self::new(
                StatusCode::CONFLICT,
                format!("{}.", capital(&taken.to_string())),
            ),
            StoreError::TooLong { .. } | StoreError::TooLarge { .. } => {
                Self::bad(format!("{}.", capital(&error.to_string())))
            }
            full if full.is_full_disk() => Self::new(
                StatusCode::INSUFFICIENT_STORAGE,
                "The disk that Ectome keeps everything on is full, so that was not done. Remove assets that are not needed \
                 any more, or free space there.",
            ),
            gone if gone.is_outage() => {
                tracing::warn!(error = %gone, "the database is gone");
                Self::new(
                    StatusCode::SERVICE_UNAVAILABLE,
                    "The database went away just now and is being started again. Look whether it was done, then try again in \
                     a moment.",
                )
            }
            other => {
                tracing::error!(error = %other, "request failed");
                Self::new(
                    StatusCode::INTERNAL_SERVER_ERROR,
                    "Ectome could not reach its data just now. Nothing was lost; try again in a moment.",
                )
            }
        }
    }
}

impl From<ectome_formats::FormatError> for Failure {
    fn from(error: ectome_formats::FormatError) -> Self {
        Self::bad(format!("{error}."))
    }
}

impl From<askama::Error> for Failure {
    fn from(error: askama::Error) -> Self {
        tracing::error!(%error, "page could not be rendered");
        Self::new(
            StatusCode::INTERNAL_SERVER_ERROR,
            "Ectome could not draw this page. Nothing was lost; please report it.",
        )
    }
}

/// A sentence with a capital first.
fn capital(text: &str) -> String {
    let mut chars = text.chars();
    let first = chars.next().map(|c| c.to_uppercase().collect::<String>());
    first.unwrap_or_default() + chars.as_str()
}

/// For addresses that are asked the wrong way.
pub async fn no_such_method(method: Method, uri: Uri) -> Failure {
    Failure::new(
        StatusCode::METHOD_NOT_ALLOWED,
        format!(
            "{} is not asked with {method}. Go back and use the page's own buttons.",
            uri.path()
        ),
    )
}

/// For addresses that lead nowhere.
pub async fn no_such_page(uri: Uri) -> Failure {
    Failure::new(
        StatusCode::NOT_FOUND,
        format!(
            "No page has the address {}. The Assets page lists what there is.",
            uri.path()
        ),
    )
}
