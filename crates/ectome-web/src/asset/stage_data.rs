//! What the Rule and the stage draw, as JSON inside the page.

use ectome_recipe::Fate;
use ectome_store::candidate::Candidate;
use serde::Serialize;

use super::rows::Rows;

/// The whole of it. Lengths are metres unless a name says otherwise; blobs are named by their hash.
#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
pub struct StageData<'a> {
    asset: u64,
    /// Triangles of the source, once it is read.
    source: Option<usize>,
    source_mesh: Option<&'a str>,
    parts: Option<Vec<PartData<'a>>>,
    /// A change of the source is being made.
    pending: bool,
    /// What each count of triangles costs: the count, and the deviation in millimetres.
    curve: Option<Vec<(u32, f32)>>,
    balls: &'a [ectome_recipe::Ball],
    bounds: Option<[[f32; 3]; 2]>,
    gates: Vec<Gate>,
    pixel_at_one_metre_mm: f64,
    /// Where the first tier is seen.
    nearest: f64,
    /// The count under the pin.
    target: u32,
    /// The number of the candidate on the stage.
    shown: Option<u32>,
    candidates: Vec<CandidateData<'a>>,
}

#[derive(Serialize)]
struct PartData<'a> {
    name: &'a str,
    triangles: usize,
    fate: Fate,
}

/// A limit of the brief on the Rule.
#[derive(Serialize)]
struct Gate {
    tier: usize,
    triangles: u32,
    /// What fills the tier has more triangles than that.
    over: bool,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct CandidateData<'a> {
    number: u32,
    hash: &'a str,
    triangles: Option<u64>,
    mesh: Option<&'a str>,
    tier: Option<u32>,
    deviation_mm: Option<f64>,
    pinned: bool,
    source_field: Option<&'a str>,
    result_field: Option<&'a str>,
    nearest: Option<f64>,
}

/// Gathers it.
pub fn stage_data(rows: &Rows) -> StageData<'_> {
    let (asset, brief) = (&rows.asset, &rows.brief);
    let inspection = asset.inspection.as_ref();
    let tiers = brief.tiers.iter().enumerate();
    StageData {
        asset: asset.id,
        source: inspection.map(|i| i.triangles),
        source_mesh: asset.view.as_deref(),
        parts: inspection.map(|i| {
            let parts = i.objects.iter().map(|o| PartData {
                name: &o.name,
                triangles: o.triangles,
                fate: o.fate,
            });
            parts.collect()
        }),
        pending: asset.wanted.is_some(),
        curve: rows.outlook.as_ref().map(|o| {
            let places = o.curve.places().iter();
            places.map(|&(n, m)| (n, m * 1e3)).collect()
        }),
        balls: &asset.settings.region.balls,
        bounds: inspection.map(|i| i.bounds_m),
        gates: tiers
            .map(|(tier, t)| Gate {
                tier,
                triangles: t.triangles,
                over: made(rows, tier).is_some_and(|n| n > u64::from(t.triangles)),
            })
            .collect(),
        pixel_at_one_metre_mm: brief.pixel_m(1.0) * 1e3,
        nearest: brief
            .tiers
            .first()
            .map_or(1.0, |t| brief.nearest_m(t, asset.height_m())),
        target: rows.suggested(),
        shown: rows.shown().map(|c| c.number),
        candidates: rows.made().map(|c| candidate(rows, c)).collect(),
    }
}

/// Triangles of what fills a tier.
fn made(rows: &Rows, tier: usize) -> Option<u64> {
    let filled = rows.chain.iter().find(|t| t.tier as usize == tier)?;
    filled.candidate.triangles
}

fn candidate<'a>(rows: &Rows, c: &'a Candidate) -> CandidateData<'a> {
    let tier = rows.chain.iter().find(|t| t.candidate.hash == c.hash);
    let tier = tier.map(|t| t.tier);
    let asked = tier.and_then(|t| rows.brief.tiers.get(t as usize));
    CandidateData {
        number: c.number,
        hash: &c.hash,
        triangles: c.triangles,
        mesh: c.view.as_deref(),
        tier,
        deviation_mm: c.report.as_ref().map(|r| r.deviation_max_mm),
        pinned: c.pinned,
        source_field: c.pictures.as_ref().map(|p| p.source_field.as_str()),
        result_field: c.pictures.as_ref().map(|p| p.result_field.as_str()),
        nearest: asked.map(|t| rows.brief.nearest_m(t, rows.asset.height_m())),
    }
}
