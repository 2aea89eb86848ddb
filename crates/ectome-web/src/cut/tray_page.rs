//! What can be done with a candidate in the tray.

use axum::{extract::State, http::HeaderMap, response::Response};
use ectome_store::candidate::CandidateState;

use crate::{
    extract::Path,
    failure::Failure,
    fields::Fields,
    reply::{back, ready_asset, target},
    state::App,
    words,
};

/// `POST /assets/{id}/candidates/{number}`: `do` is `pin`, `unpin`, `discard` or `continue` (cut further, to
/// `triangles`).
pub async fn act(
    State(app): State<App>,
    Path((id, number)): Path<(u64, u32)>,
    headers: HeaderMap,
    f: Fields,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    let tray = app.store.tray(id).await?;
    let found = tray.iter().find(|c| c.number == number);
    let c = found.ok_or_else(|| {
        Failure::bad(format!(
            "Candidate {number} is not in the tray any more. Reload the page."
        ))
    })?;
    match f.text("do") {
        "pin" => app.store.pin(id, &c.hash, true).await?,
        "unpin" => app.store.pin(id, &c.hash, false).await?,
        "discard" => {
            if !app.store.discard(id, &c.hash).await? {
                return Err(Failure::bad(format!(
                    "Candidate {number} fills a tier or a scene. Give that another one first."
                )));
            }
            return Ok(back(&headers, id, "cut", None));
        }
        _ => {
            if c.state != CandidateState::Ready {
                return Err(Failure::bad(format!("Candidate {number} is not made yet.")));
            }
            let wanted = target(f.text("triangles"), &asset)?;
            let has = c.triangles.unwrap_or(0);
            if u64::from(wanted) >= has {
                return Err(Failure::bad(format!(
                    "Candidate {number} has {} triangles. Ask for fewer than that.",
                    words::grouped(has)
                )));
            }
            let hash = app.store.ask_to_go_on(&asset, c, wanted).await?;
            let tray = app.store.tray(id).await?;
            let made = tray.iter().find(|c| c.hash == hash).map(|c| c.number);
            return Ok(back(&headers, id, "cut", made));
        }
    }
    Ok(back(&headers, id, "cut", Some(number)))
}
