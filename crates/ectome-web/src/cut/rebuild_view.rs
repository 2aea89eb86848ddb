//! What the Rebuild manner of the Cut step shows.

use ectome_recipe::{
    Fate, dressing,
    rebuild::{RebuildReport, Taken, worth},
};

use super::rebuild_page::MARKED;
use crate::{asset::rows::Rows, words};

/// Parts that can be ticked one by one; with more the Parts step is the place to choose.
const TICKED: usize = 60;

/// A part that can be chosen.
pub struct PartBox {
    pub number: u32,
    pub name: String,
}

/// A place that the stage frames.
pub struct SkinPlace {
    pub number: usize,
    /// Its coordinates in metres, set apart by commas.
    pub at: String,
    pub says: String,
}

/// The form, and what the skin on the stage is.
pub struct RebuildView {
    /// Rebuilding is worth it.
    pub is_worth_it: bool,
    /// Why, or why not.
    pub why: String,
    /// What one go makes, in words.
    pub maps: String,
    pub parts: Vec<PartBox>,
    /// The numbers of all of them, set apart by commas.
    pub listed: String,
    /// A plane through the middle of the source, and its lowest place.
    pub plane: [String; 3],
    pub made: Option<MadeView>,
}

/// What the skin on the stage is.
pub struct MadeView {
    pub says: Vec<String>,
    /// Openings that were closed, largest first.
    pub openings: Vec<SkinPlace>,
    pub more_openings: Option<String>,
    /// Their places for the stage, as JSON.
    pub marks: String,
    /// Pieces with borders, largest first.
    pub open_pieces: Vec<SkinPlace>,
}

impl RebuildView {
    /// Gathers it.
    pub fn of(rows: &Rows) -> Self {
        let inspection = rows.inspection();
        let worth = worth(inspection);
        let built: Vec<PartBox> = inspection
            .objects
            .iter()
            .enumerate()
            .filter(|(_, o)| o.fate == Fate::Build && o.triangles > 0)
            .map(|(n, o)| PartBox {
                number: n as u32,
                name: o.name.clone(),
            })
            .collect();
        let parts = match built.len() {
            2..=TICKED => built,
            _ => Vec::new(),
        };
        let [low, high] = inspection.bounds_m;
        let middle = |k: usize| 0.5 * (low[k] + high[k]);
        let maps = dressing::of_skin(&rows.brief).1;
        let maps = maps.kinds.len() + maps.packed.len();
        let report = rows.shown().and_then(|c| c.report.as_ref());
        Self {
            is_worth_it: worth.is_worth_it,
            why: worth.why,
            maps: words::counted(maps as u64, "map"),
            listed: joined(parts.iter().map(|p| p.number)),
            parts,
            plane: [
                format!("{:.4}", middle(0)),
                format!("{:.4}", low[1] + 0.02 * (high[1] - low[1])),
                format!("{:.4}", middle(2)),
            ],
            made: report.and_then(|r| r.rebuild.as_deref()).map(made),
        }
    }
}

fn made(r: &RebuildReport) -> MadeView {
    let at = |at: [f32; 3]| joined(at);
    let of = |part: &str| match part {
        "" => String::new(),
        part => format!(" on {part}"),
    };
    let listed = r.openings.iter().take(MARKED).enumerate();
    let openings: Vec<SkinPlace> = listed
        .map(|(n, o)| SkinPlace {
            number: n + 1,
            at: at(o.at_m),
            says: format!("{} across{}", words::length(o.across_mm), of(&o.part)),
        })
        .collect();
    let beyond = r.closed_openings.saturating_sub(openings.len());
    let places: Vec<[f32; 3]> = r.openings.iter().take(MARKED).map(|o| o.at_m).collect();
    let sheets = r.open_pieces.iter().filter(|p| p.taken != Taken::Skin);
    let whole = r.open_pieces.iter().filter(|p| p.taken == Taken::Skin);
    let open = sheets.chain(whole).take(MARKED).enumerate();
    MadeView {
        says: r.sentences(),
        openings,
        more_openings: (beyond > 0).then(|| {
            format!(
                "{} smaller ones are not listed.",
                words::grouped(beyond as u64)
            )
        }),
        marks: serde_json::to_string(&places).unwrap_or_default(),
        open_pieces: open
            .map(|(n, p)| SkinPlace {
                number: n + 1,
                at: at(p.at_m),
                says: format!(
                    "{} across{}: {}",
                    words::length(p.across_mm),
                    of(&p.part),
                    p.taken.words()
                ),
            })
            .collect(),
    }
}

fn joined<T: ToString>(list: impl IntoIterator<Item = T>) -> String {
    let words: Vec<String> = list.into_iter().map(|x| x.to_string()).collect();
    words.join(",")
}
