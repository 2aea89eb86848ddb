//! Errors as sentences.

use askama::Template;
use axum::{
    http::{StatusCode, Uri, header},
    response::{IntoResponse, Response},
};
use ectome_store::StoreError;

use crate::statics::VERSION;

/// An answer that did not work out: what, where, what to do.
#[derive(Debug)]
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

    /// A request that cannot be carried out as it stands.
    pub fn bad(sentence: impl Into<String>) -> Self {
        Self::new(StatusCode::UNPROCESSABLE_ENTITY, sentence)
    }
}

#[derive(Template)]
#[template(path = "failure.html")]
struct Page<'a> {
    title: &'a str,
    sentence: &'a str,
    version: &'static str,
}

impl IntoResponse for Failure {
    fn into_response(self) -> Response {
        let title = match self.status {
            StatusCode::NOT_FOUND => "Nothing here",
            StatusCode::INTERNAL_SERVER_ERROR => "Ectome failed",
            _ => "That did not work",
        };
        let page = Page {
            title,
            sentence: &self.sentence,
            version: *VERSION,
        };
        let body = page.render().unwrap_or_else(|_| self.sentence.clone());
        let html = [(header::CONTENT_TYPE, "text/html; charset=utf-8")];
        (self.status, html, body).into_response()
    }
}

impl From<StoreError> for Failure {
    fn from(error: StoreError) -> Self {
        match error {
            StoreError::Missing { what, id } => Self::new(
                StatusCode::NOT_FOUND,
                format!("There is no {what} {id}. It may have been removed from the shelf."),
            ),
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

/// For addresses that lead nowhere.
pub async fn no_such_page(uri: Uri) -> Failure {
    Failure::new(
        StatusCode::NOT_FOUND,
        format!(
            "No page has the address {}. The shelf lists all assets.",
            uri.path()
        ),
    )
}
