//! What the Cut step shows.

use ectome_recipe::{Attention, CutSettings, Fate, FlatOutlook, Inspection, Vanished, advice};

use super::rebuild_view::RebuildView;
use super::tray_view::{TrayLine, result_sentence, tray_lines};
use crate::{
    asset::rows::Rows,
    parts::{Ledger, ledger},
    words::{self, tearing},
};

/// A place that the stage frames.
pub struct Place {
    /// Its coordinates in metres, set apart by commas.
    pub at: String,
    pub says: String,
}

/// Everything the step's column shows.
pub struct CutView {
    pub tray: Vec<TrayLine>,
    pub ledger: Ledger,
    /// All parts are imprinted or omitted.
    pub nothing_built: bool,
    /// The count under the pin.
    pub suggested: u32,
    /// Said before cutting a source that would tear.
    pub hint: Option<String>,
    pub result: Option<String>,
    pub gave_way: Vec<String>,
    /// Parts and materials of which nothing is left.
    pub gone: Vec<String>,
    /// Loose pieces of which nothing is left, in a sentence.
    pub vanished: Option<String>,
    /// Where the largest of them were.
    pub places: Vec<Place>,
    /// The analysis with these settings is there.
    pub analysed: bool,
    /// How much of the source is quads, if enough of it is for edge loops.
    pub quads: Option<String>,
    /// What merging flat areas would save, if it would save anything.
    pub flat: Option<String>,
    /// The same within a small distance, if that saves more.
    pub nearly_flat: Option<String>,
    /// That distance in millimetres.
    pub near_mm: String,
    pub guards: Vec<GuardLine>,
    pub crease: String,
    pub shares: Vec<ShareLine>,
    pub region: String,
    pub inverse: bool,
    /// Weight of the region in percent.
    pub weight: u32,
    /// What cutting repeats once would spare, if there are any.
    pub repeats: Option<String>,
    pub reuse_repeats: bool,
    /// How many parts are their own mirror image.
    pub halves: Option<String>,
    pub reuse_halves: bool,
    pub let_parts_go: bool,
    /// Laying a new skin over it.
    pub rebuild: RebuildView,
}

/// A guard that can be set.
pub struct GuardLine {
    pub field: &'static str,
    pub name: &'static str,
    pub on: bool,
}

/// A share of the attention.
pub struct ShareLine {
    pub name: &'static str,
    /// Percent of the whole.
    pub percent: u32,
}

impl CutView {
    /// Gathers it.
    pub fn of(rows: &Rows) -> Self {
        let (asset, inspection) = (&rows.asset, rows.inspection());
        let shown = rows.shown();
        let report = shown.and_then(|c| c.report.as_ref());
        let settings = &asset.settings;
        let flat = rows.outlook.as_ref().and_then(|o| o.flat);
        Self {
            tray: tray_lines(asset, &rows.tray, shown, &rows.chain),
            ledger: ledger(inspection),
            nothing_built: !inspection.objects.is_empty()
                && inspection
                    .objects
                    .iter()
                    .all(|o| o.fate != Fate::Build || o.triangles == 0),
            suggested: rows.suggested(),
            hint: tearing(inspection),
            result: shown.and_then(|c| result_sentence(c, asset, &rows.brief)),
            gave_way: report.map(|r| r.held_by.clone()).unwrap_or_default(),
            gone: report.map(|r| r.gone.clone()).unwrap_or_default(),
            vanished: report.and_then(|r| vanished_sentence(&r.vanished)),
            places: report.map(|r| places(&r.vanished)).unwrap_or_default(),
            analysed: rows.outlook.is_some(),
            quads: quads_sentence(inspection),
            flat: flat.and_then(|f| flat_sentence(f.triangles, rows.source_triangles())),
            nearly_flat: flat.and_then(|f| nearly_flat_sentence(&f, rows.source_triangles())),
            near_mm: flat.map_or_else(String::new, |f| f.near_mm.to_string()),
            guards: guards(settings),
            crease: settings
                .keep
                .creases
                .map_or_else(|| "35".to_owned(), |a| format!("{a}")),
            shares: shares(&settings.attention),
            region: serde_json::to_string(&settings.region.balls).unwrap_or_default(),
            inverse: settings.region.inverse,
            weight: (settings.region.weight * 100.0).round() as u32,
            repeats: repeats_sentence(inspection),
            reuse_repeats: settings.reuse_repeats,
            halves: match inspection.symmetric.len() {
                0 => None,
                1 => Some("1 part is its own mirror image: cut one half and mirror it".to_owned()),
                n => Some(format!(
                    "{n} parts are their own mirror image: cut one half of each"
                )),
            },
            reuse_halves: settings.reuse_halves,
            let_parts_go: settings.let_parts_go,
            rebuild: RebuildView::of(rows),
        }
    }
}

fn quads_sentence(i: &Inspection) -> Option<String> {
    let share = advice::quad_share(i)?;
    Some(format!(
        "{:.0} % of the source is quads. Take out one edge loop in",
        share * 100.0
    ))
}

/// Vanished pieces that can be shown on the stage.
const PLACES: usize = 8;

fn places(v: &Vanished) -> Vec<Place> {
    let largest = v.largest.iter().take(PLACES);
    largest
        .map(|piece| {
            let size = words::length(piece.size_mm);
            Place {
                at: piece.at_m.map(|x| x.to_string()).join(","),
                says: match piece.part.as_str() {
                    "" => size,
                    part => format!("{part}, {size}"),
                },
            }
        })
        .collect()
}

fn vanished_sentence(v: &Vanished) -> Option<String> {
    let largest = v.largest.first()?;
    let on = match largest.part.as_str() {
        "" => String::new(),
        part => format!(" of {part}"),
    };
    let size = words::length(largest.size_mm);
    Some(match v.pieces {
        1 => format!("1 loose piece vanished: {size} across{on}"),
        n => format!(
            "{} loose pieces vanished, the largest {size} across{on}",
            words::grouped(n as u64)
        ),
    })
}

fn repeats_sentence(i: &Inspection) -> Option<String> {
    let copies = advice::copies(i)?;
    Some(format!(
        "Cut repeats once and reuse them: {copies} parts are copies"
    ))
}

fn flat_sentence(left: u64, source: u64) -> Option<String> {
    let share = advice::flat_share(left, source)?;
    Some(format!(
        "Flat areas can go from {} to {} triangles, {:.0} % fewer, with no change of shape or texture.",
        words::grouped(source),
        words::grouped(left),
        share * 100.0,
    ))
}

fn nearly_flat_sentence(flat: &FlatOutlook, source: u64) -> Option<String> {
    advice::flat_share(flat.near, flat.triangles)?;
    let share = advice::flat_share(flat.near, source)?;
    Some(format!(
        "Flat within {}: down to {} triangles, {:.0} % fewer.",
        words::length(flat.near_mm),
        words::grouped(flat.near),
        share * 100.0,
    ))
}

fn guards(settings: &CutSettings) -> Vec<GuardLine> {
    let keep = &settings.keep;
    [
        ("seams", "UV seams", keep.seams),
        ("borders", "Open borders", keep.borders),
        ("materials", "Material edges", keep.materials),
        ("parts", "Part edges", keep.parts),
        ("creases", "Hard edges over", keep.creases.is_some()),
    ]
    .map(|(field, name, on)| GuardLine { field, name, on })
    .into()
}

fn shares(a: &Attention) -> Vec<ShareLine> {
    [
        ("Outline", a.outline),
        ("Shape", a.shape),
        ("UVs", a.uvs),
        ("Shading", a.shading),
        ("Colour", a.colour),
        ("Borders", a.borders),
    ]
    .map(|(name, share)| ShareLine {
        name,
        percent: (share * 100.0).round() as u32,
    })
    .into()
}
