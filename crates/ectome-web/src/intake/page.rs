//! What the Intake and Parts steps do: changes to the source before it is cut, and where it comes from.

use askama::Template;
use axum::{
    extract::State,
    http::{HeaderMap, StatusCode, header},
    response::{Html, IntoResponse, Response},
};
use ectome_recipe::{
    Change,
    preparation::{appended, without},
};
use ectome_store::asset::{PassOn, Provenance};

use crate::{
    extract::Path,
    failure::Failure,
    fields::Fields,
    reply::{back, ready_asset},
    state::App,
    words,
};

/// `POST /assets/{id}/changes`: one more change.
pub async fn add(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
    fields: Fields,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    let change = change(&fields)?;
    let step = if change.names_parts() {
        "parts"
    } else {
        "intake"
    };
    let list = appended(
        asset.wanted.clone().unwrap_or(asset.preparation.clone()),
        change,
    );
    app.store.ask_for_preparation(&asset, &list).await?;
    Ok(stay_or_go(&headers, id, step))
}

/// The change that a form describes: the one its button asks for, or its own.
fn change(fields: &Fields) -> Result<Change, Failure> {
    let asked = match fields.text("instead") {
        "" => fields.text("change"),
        other => other,
    };
    Change::read(asked, fields).map_err(Failure::bad)
}

/// `POST /assets/{id}/changes/{at}/remove`: takes a change back.
pub async fn remove(
    State(app): State<App>,
    Path((id, at)): Path<(u64, usize)>,
    headers: HeaderMap,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    if asset.wanted.is_some() {
        return Err(Failure::bad(
            "Another change is being made. Take this one back when that is done.",
        ));
    }
    let list = without(asset.preparation.clone(), at)
        .map_err(|e| Failure::bad(words::sentence(&e.to_string())))?;
    app.store.ask_for_preparation(&asset, &list).await?;
    Ok(stay_or_go(&headers, id, "intake"))
}

#[derive(Template)]
#[template(
    source = "<span class=\"preview-line\">{{ sentence }}.</span>",
    ext = "html"
)]
struct PreviewLine {
    sentence: String,
}

/// `POST /assets/{id}/changes/preview`: what a change would do, in a line.
pub async fn preview(
    State(app): State<App>,
    Path(id): Path<u64>,
    fields: Fields,
) -> Result<Html<String>, Failure> {
    let asset = ready_asset(&app, id).await?;
    let done = app
        .open
        .try_change(&app.store, &asset, change(&fields)?)
        .await?;
    let sentence = match done.count {
        0 => "Nothing to do".to_owned(),
        _ => format!("Would give: {}", done.sentence),
    };
    Ok(Html(PreviewLine { sentence }.render()?))
}

/// `GET /assets/{id}/marks/{finding}`: where a finding is, as JSON.
pub async fn marks(
    State(app): State<App>,
    Path((id, finding)): Path<(u64, usize)>,
) -> Result<Response, Failure> {
    let asset = app.store.asset(id).await?;
    let none = || {
        Failure::new(
            StatusCode::NOT_FOUND,
            "There is no such finding any more. Reload the page.",
        )
    };
    let bytes = app.store.blobs.get(&asset.marks.ok_or_else(none)?).await?;
    let all: Vec<serde_json::Value> = serde_json::from_slice(&bytes).map_err(|_| none())?;
    let one = all.get(finding).ok_or_else(none)?;
    Ok((
        [(header::CONTENT_TYPE, "application/json")],
        one.to_string(),
    )
        .into_response())
}

/// `POST /assets/{id}/provenance`
pub async fn provenance(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
    fields: Fields,
) -> Result<Response, Failure> {
    app.store.asset(id).await?;
    let given = Provenance {
        origin: fields.text("origin").to_owned(),
        author: fields.text("author").to_owned(),
        licence: fields.text("licence").to_owned(),
        may_pass_on: PassOn::of(fields.text("may_pass_on")),
    };
    app.store.set_provenance(id, &given).await?;
    Ok(back(&headers, id, "intake", None))
}

/// A page with scripts learns of the work by its events; a plain form is sent back.
fn stay_or_go(headers: &HeaderMap, id: u64, step: &str) -> Response {
    if headers.contains_key("hx-request") {
        ([("hx-trigger", "asked")], StatusCode::NO_CONTENT).into_response()
    } else {
        back(headers, id, step, None)
    }
}
