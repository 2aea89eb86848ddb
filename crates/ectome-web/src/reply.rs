//! What handlers of an asset ask first, and how they answer last.

use axum::{
    http::{HeaderMap, StatusCode},
    response::{IntoResponse, Redirect, Response},
};
use ectome_recipe::Brief;
use ectome_store::{
    asset::{Asset, AssetState},
    candidate::{Candidate, CandidateState},
};

use crate::{failure::Failure, state::App, words};

/// An asset whose source has been read.
///
/// # Errors
/// A sentence for one that is not, or that could not be.
pub async fn ready_asset(app: &App, id: u64) -> Result<Asset, Failure> {
    let asset = app.store.asset(id).await?;
    match asset.state() {
        AssetState::Ready => Ok(asset),
        AssetState::Arriving => Err(Failure::bad(format!(
            "The intake of {} is not finished. Cut it when its triangles are counted.",
            asset.name
        ))),
        AssetState::Failed => Err(Failure::bad(format!(
            "{} could not be read, so there is nothing to cut. Drop a repaired file on the Assets page.",
            asset.name
        ))),
    }
}

/// A candidate of an asset that is made.
///
/// # Errors
/// A sentence for one that is not.
pub async fn made(app: &App, id: u64, number: u32) -> Result<Candidate, Failure> {
    let tray = app.store.tray(id).await?;
    let found = tray.into_iter().find(|c| c.number == number);
    found
        .filter(|c| c.state == CandidateState::Ready)
        .ok_or_else(|| {
            Failure::new(
                StatusCode::NOT_FOUND,
                format!("Candidate {number} is not there, or not made yet. Choose another."),
            )
        })
}

/// The brief an asset is judged by.
///
/// # Errors
/// A sentence when it is gone.
pub async fn brief_of(app: &App, asset: &Asset) -> Result<Brief, Failure> {
    let briefs = app.store.briefs().await?;
    let row = briefs.into_iter().find(|b| b.id == asset.brief);
    row.map(|b| b.brief).ok_or_else(no_brief)
}

/// What is said when the brief of an asset is gone.
pub fn no_brief() -> Failure {
    Failure::bad("This asset's brief is gone. Choose another one.")
}

/// A typed target; groups may be set apart by spaces of any kind.
///
/// # Errors
/// A sentence for what is no count, or none that can be cut to.
pub fn target(text: &str, asset: &Asset) -> Result<u32, Failure> {
    let digits: String = text.chars().filter(|c| !c.is_whitespace()).collect();
    let source = asset.inspection.as_ref().map_or(0, |i| i.triangles);
    let n: u32 = digits.parse().map_err(|_| {
        Failure::bad(format!(
            "“{text}” is no count of triangles. Type a whole number, such as 6000."
        ))
    })?;
    if n < 4 {
        return Err(Failure::bad(format!(
            "{n} triangles leave no surface. Ask for at least 4."
        )));
    }
    if n as usize >= source {
        return Err(Failure::bad(format!(
            "{} has {} triangles already. Ask for fewer than that.",
            asset.name,
            words::grouped(source as u64)
        )));
    }
    Ok(n)
}

/// Back to a step: as a redirect for forms, as htmx's own for htmx.
pub fn back(headers: &HeaderMap, id: u64, step: &str, show: Option<u32>) -> Response {
    let show = show.map_or_else(String::new, |n| format!("?show={n}"));
    let address = format!("/assets/{id}/{step}{show}");
    if headers.contains_key("hx-request") {
        [("hx-redirect", address)].into_response()
    } else {
        Redirect::to(&address).into_response()
    }
}
