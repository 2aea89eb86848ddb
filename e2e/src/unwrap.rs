//! Unwrapping as a person does it.

use crate::{app::App, browser::Browser};

/// Opens the UVs step of a candidate of an asset, unwraps it there and waits for the next candidate.
pub async fn by_hand(browser: &Browser, app: &App, asset: u32, candidate: u32) {
    let page = format!("/assets/{asset}/uvs?show={candidate}");
    browser.open(&app.url(&page)).await;
    browser.until("document.querySelector('#unwrap')").await;
    browser.click("#unwrap").await;
    let next = candidate + 1;
    browser
        .until(&format!(
            "document.querySelector('#uvs')?.dataset.number === '{next}'"
        ))
        .await;
}
