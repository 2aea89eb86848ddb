//! What stands around the column of a step, whichever it is.

use ectome_store::asset::PassOn;

use super::{
    rows::Rows,
    stage_data::stage_data,
    tabs::{Tab, tabs},
};
use crate::{page_json::PageJson, words};

/// The frame of an asset's page.
pub struct Frame {
    pub id: u64,
    pub name: String,
    /// The word of the step in addresses.
    pub step: &'static str,
    /// The number of the candidate that the address asks for.
    pub asked: Option<u32>,
    pub brief_name: String,
    /// The licence, where it forbids to pass the source on.
    pub forbidden: Option<String>,
    pub tabs: Vec<Tab>,
    /// Candidates made of the source as it was before its last change.
    pub out_of_date: usize,
    pub source: SourceCounts,
    pub candidate: Option<CandidateCounts>,
    pub data: PageJson,
}

/// The source in figures.
pub struct SourceCounts {
    pub triangles: String,
    pub vertices: String,
    pub objects: String,
    pub materials: String,
    /// Triangles of the thinned copy that the stage shows instead, if it does.
    pub shown_with: Option<String>,
}

/// The candidate on the stage in figures.
pub struct CandidateCounts {
    pub number: u32,
    pub triangles: String,
    pub vertices: String,
}

impl Frame {
    /// Gathers it.
    pub fn of(rows: &Rows) -> Self {
        let asset = &rows.asset;
        let inspection = rows.inspection();
        let licence = asset.provenance.licence.clone();
        Self {
            id: asset.id,
            name: asset.name.clone(),
            step: rows.room.address,
            asked: rows
                .asked()
                .map(|c| c.number)
                .or(rows.on_source().then_some(0)),
            brief_name: rows.brief.name.clone(),
            forbidden: (asset.provenance.may_pass_on == PassOn::No).then_some(licence),
            tabs: tabs(rows),
            out_of_date: rows.tray.iter().filter(|c| c.is_out_of_date(asset)).count(),
            source: SourceCounts {
                triangles: words::grouped(rows.source_triangles()),
                vertices: words::grouped(inspection.vertices as u64),
                objects: words::counted(inspection.objects.len() as u64, "object"),
                materials: words::counted(inspection.materials.len() as u64, "material"),
                shown_with: match inspection.stage_triangles {
                    0 => None,
                    n => Some(words::grouped(n as u64)),
                },
            },
            candidate: rows.shown().map(|c| CandidateCounts {
                number: c.number,
                triangles: words::grouped(c.triangles.unwrap_or(0)),
                vertices: words::grouped(c.vertices.unwrap_or(0)),
            }),
            data: PageJson::of(&stage_data(rows)),
        }
    }
}
