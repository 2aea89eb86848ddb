//! Hulls and cards on the Chain step: what stands in at the far end.

use axum::{extract::State, http::HeaderMap, response::Response};
use ectome_recipe::far_end::{CardSettings, HullSettings, StandIn};

use crate::{
    asset::rows::Rows,
    extract::Path,
    failure::Failure,
    fields::Fields,
    reply::{back, ready_asset},
    state::App,
};

/// The forms, and what of it is on the stage.
pub struct FarEndView {
    pub is_open: bool,
    /// The sheet of cards that the form begins with.
    pub size: u32,
    /// What the candidate on the stage is.
    pub says: Vec<String>,
}

impl FarEndView {
    /// Gathers it.
    pub fn of(rows: &Rows) -> Self {
        let report = rows.shown().and_then(|c| c.report.as_ref());
        let says = report.and_then(|r| r.far.as_deref());
        let says = says.map_or_else(Vec::new, |far| far.sentences());
        Self {
            is_open: !says.is_empty(),
            size: CardSettings::default().size.min(rows.brief.texture_px),
            says,
        }
    }
}

/// `POST /assets/{id}/stand-ins`: `as` = `hull` (`hulls` at most, of `triangles` each) or `cards` (`planes`, `size`, `own_back`): a
/// candidate that stands in for the source.
pub async fn stand_in(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
    f: Fields,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    let what = match f.text("as") {
        "cards" => StandIn::Cards(CardSettings {
            planes: f.number("planes", "The number of cards", 1.0, 4.0)? as u32,
            // What turns to the eye is never seen from behind.
            own_back: f.ticked("own_back") && f.text("planes") != "1",
            size: f.number("size", "The sheet of cards", 32.0, 2048.0)? as u32,
        }),
        _ => StandIn::Hull(HullSettings {
            hulls: f.number("hulls", "The count of hulls", 1.0, 64.0)? as u32,
            triangles_each: f.number("triangles", "The triangles of a hull", 4.0, 10_000.0)? as u32,
        }),
    };
    let hash = app.store.ask_for_stand_in(&asset, &what).await?;
    let tray = app.store.tray(id).await?;
    let number = tray.iter().find(|c| c.hash == hash).map(|c| c.number);
    Ok(back(&headers, id, "chain", number))
}
