//! Maps as the sheet of the UVs step shows them.

use std::collections::BTreeMap;

use ectome_recipe::{
    Artefact,
    maps::{BakeReport, Kind, on_sheet},
};
use ectome_store::candidate::Candidate;
use serde::Serialize;

use crate::{failure::Failure, state::App, words};

/// A map.
#[derive(Serialize)]
pub struct SheetMap {
    name: &'static str,
    /// The blobs of its pictures, sheet by sheet.
    pictures: Vec<String>,
    /// What its colours stand for: names by colour (`#rrggbb`).
    legend: BTreeMap<String, String>,
}

/// The maps that were baked for a candidate.
///
/// # Errors
/// When the store does not answer.
pub async fn maps_on_sheet(
    app: &App,
    c: &Candidate,
    sheets: u32,
) -> Result<Vec<SheetMap>, Failure> {
    if !c.has_maps {
        return Ok(Vec::new());
    }
    let artefacts = app.store.artefacts(&c.hash).await?;
    let Some(blob) = artefacts.of(Artefact::BAKE) else {
        return Ok(Vec::new());
    };
    let bytes = app.store.blobs.get(blob).await?;
    let report: BakeReport = serde_json::from_slice(&bytes).unwrap_or_default();
    let maps = Kind::ALL.into_iter().filter_map(|kind| {
        let map = report.maps.get(kind.word())?;
        let picture = |sheet| artefacts.one_of(Artefact::MAP, &on_sheet(kind.word(), sheet));
        Some(SheetMap {
            name: words::map_name(kind),
            pictures: (0..sheets.max(1))
                .filter_map(picture)
                .map(str::to_owned)
                .collect(),
            legend: map
                .legend
                .iter()
                .map(|(name, colour)| (colour.clone(), name.clone()))
                .collect(),
        })
    });
    Ok(maps.collect())
}
