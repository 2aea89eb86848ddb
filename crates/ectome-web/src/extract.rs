//! Parts of a request as handlers want them; what cannot be read is a failure page like any other.

use axum::{
    extract::{
        FromRequest, FromRequestParts, Request,
        rejection::{FormRejection, PathRejection, QueryRejection},
    },
    http::StatusCode,
};

use crate::failure::Failure;

/// Values from the path.
#[derive(FromRequestParts)]
#[from_request(via(axum::extract::Path), rejection(Failure))]
pub struct Path<T>(pub T);

/// Values behind the question mark.
#[derive(FromRequestParts)]
#[from_request(via(axum::extract::Query), rejection(Failure))]
pub struct Query<T>(pub T);

/// The fields of a form.
#[derive(FromRequest)]
#[from_request(via(axum::Form), rejection(Failure))]
pub struct Form<T>(pub T);

/// Files of a form.
pub struct Multipart(pub axum::extract::Multipart);

impl<S: Send + Sync> FromRequest<S> for Multipart {
    type Rejection = Failure;

    async fn from_request(request: Request, state: &S) -> Result<Self, Failure> {
        let form = axum::extract::Multipart::from_request(request, state).await;
        form.map(Self).map_err(|_| {
            Failure::new(
                StatusCode::BAD_REQUEST,
                "Files arrive as a form of files (multipart/form-data). Drop them on the Assets page.",
            )
        })
    }
}

impl From<PathRejection> for Failure {
    fn from(_: PathRejection) -> Self {
        Self::new(
            StatusCode::NOT_FOUND,
            "That address leads nowhere: a number in it is none. The Assets page lists what there is.",
        )
    }
}

impl From<QueryRejection> for Failure {
    fn from(error: QueryRejection) -> Self {
        Self::new(
            StatusCode::BAD_REQUEST,
            format!(
                "What stands behind the question mark of the address cannot be read ({}). Open the page from the list of assets.",
                error.body_text()
            ),
        )
    }
}

impl From<FormRejection> for Failure {
    fn from(error: FormRejection) -> Self {
        let status = match error.status() {
            StatusCode::PAYLOAD_TOO_LARGE => StatusCode::PAYLOAD_TOO_LARGE,
            _ => StatusCode::UNPROCESSABLE_ENTITY,
        };
        Self::new(
            status,
            format!(
                "The form could not be read ({}). Open its page again and send it from there.",
                error.body_text()
            ),
        )
    }
}
