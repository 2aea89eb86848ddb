//! What the column of the UVs step shows.

use ectome_recipe::{
    Manner, Packing, Stacks, Turns, UvChange, UvStep,
    uv::change as uv_change,
    uv::{MANY, expected_seconds},
};
use ectome_store::candidate::{Candidate, CandidateState};

use crate::{
    asset::{rows::Rows, sides::Side},
    failure::Failure,
    state::App,
    words,
};

/// A candidate that came of changing UVs.
pub struct HistoryLine {
    pub number: u32,
    pub says: String,
    pub state: &'static str,
    pub fault: String,
    pub shown: bool,
}

/// Everything the step's column shows before the numbers arrive.
pub struct UvView {
    /// The number of the candidate on the sheet; 0 for the source.
    pub number: u32,
    pub triangles: String,
    /// Whose UVs can be on the sheet.
    pub on: Vec<Side>,
    /// Whose can be laid under them.
    pub under: Vec<Side>,
    /// What unwrapping so many triangles costs.
    pub cost: Option<String>,
    pub size: u32,
    pub density: String,
    pub history: Vec<HistoryLine>,
    pub has_repeats: bool,
    /// Materials of the source.
    pub materials: usize,
    /// How islands were made and laid out last, which the form starts from.
    pub mechanical: bool,
    pub packing: PackingFields,
    /// How several sheets will be told apart in files.
    pub sheets_are: &'static str,
    /// How far the cut moved the texture.
    pub drift: Option<String>,
    /// Why the change that was asked for could not be made.
    pub fails: Option<String>,
}

/// A packing as the fields of a form.
pub struct PackingFields {
    pub padding: String,
    pub border: String,
    pub sheets: u32,
    pub turns: &'static str,
    pub stacks: &'static str,
    pub straighten: bool,
    pub by_part: bool,
}

impl From<&Packing> for PackingFields {
    fn from(p: &Packing) -> Self {
        Self {
            padding: p.sheet.padding.to_string(),
            border: p.sheet.border.to_string(),
            sheets: p.sheet.sheets,
            turns: match p.sheet.turns {
                Turns::Never => "never",
                Turns::Quarter => "quarter",
                Turns::Free => "free",
            },
            stacks: match p.stacks {
                Stacks::Apart => "apart",
                Stacks::Repeats => "repeats",
                Stacks::Mirrored => "mirrored",
            },
            straighten: p.sheet.straighten,
            by_part: p.by_part,
        }
    }
}

impl UvView {
    /// Gathers it.
    ///
    /// # Errors
    /// When the store does not answer.
    pub async fn of(app: &App, rows: &Rows) -> Result<Self, Failure> {
        // What was asked for last stays in the form, made or not.
        let last = rows.asked().filter(|c| c.changes_uvs).or(rows.shown());
        let steps = match last {
            Some(c) => app.store.uv_steps(&c.hash).await?,
            None => Vec::new(),
        };
        Ok(uv_view(rows, &steps))
    }
}

/// `steps` are the changes of UVs that led to what is on the sheet.
fn uv_view(rows: &Rows, steps: &[UvStep]) -> UvView {
    let (brief, inspection, tray) = (&rows.brief, rows.inspection(), &rows.tray);
    let (shown, asked) = (rows.shown(), rows.asked());
    let made = steps.iter().rev().find_map(|s| match &s.change {
        UvChange::Unwrap(uv_change::Unwrap { manner, .. }) => Some(*manner),
        _ => None,
    });
    let triangles = shown.map_or(inspection.triangles, |c| c.triangles.unwrap_or(0) as usize);
    let number = shown.map_or(0, |c| c.number);
    let mut on: Vec<Side> = rows
        .made()
        .rev()
        .map(|c| Side::candidate(c, c.number == number))
        .collect();
    on.push(Side::source(rows, number == 0));
    let mut under: Vec<Side> = rows
        .made()
        .rev()
        .filter(|c| c.number != number)
        .map(|c| Side::candidate(c, false))
        .collect();
    if number != 0 {
        under.push(Side::source(rows, false));
    }
    UvView {
        number,
        triangles: words::grouped(triangles as u64),
        on,
        under,
        cost: (triangles > MANY).then(|| {
            format!(
                "Unwrapping {} triangles takes about {}. Cut first, then unwrap: the islands come out cleaner too.",
                words::grouped(triangles as u64),
                words::seconds(expected_seconds(triangles))
            )
        }),
        size: brief.texture_px,
        density: format!("{}", brief.texels_per_metre),
        history: history(tray, asked.or(shown)),
        materials: inspection.materials.len(),
        has_repeats: !inspection.repeats.is_empty() || !inspection.symmetric.is_empty(),
        mechanical: made == Some(Manner::Mechanical),
        packing: (&steps.last().map_or_else(Packing::default, |s| s.packing.clone())).into(),
        sheets_are: brief.sheets.says(),
        drift: shown.and_then(drift),
        fails: asked.filter(|c| c.changes_uvs).and_then(|c| c.fault.clone()),
    }
}

fn drift(c: &Candidate) -> Option<String> {
    let r = c.report.as_ref()?;
    let (mean, max) = (r.uv_drift_mean_texels?, r.uv_drift_max_texels?);
    let seams = c
        .proof
        .as_ref()
        .and_then(|p| p.uvs.as_ref())
        .map_or_else(String::new, |u| {
            format!(", seams {:.1} at most", u.seams_max_texels)
        });
    Some(format!(
        "The cut moved the texture {mean:.2} texels on the mean and {max:.1} at worst at 2048{seams}."
    ))
}

/// The changes that led to a candidate, and those that went on from it, first to last.
fn history(tray: &[Candidate], at: Option<&Candidate>) -> Vec<HistoryLine> {
    let Some(at) = at else {
        return Vec::new();
    };
    let mut list = vec![at];
    while let Some(before) = list[0].based_on.as_deref().filter(|_| list[0].changes_uvs) {
        match tray.iter().find(|c| c.hash == before) {
            Some(c) => list.insert(0, c),
            None => break,
        }
    }
    let mut last = at;
    while let Some(next) = tray
        .iter()
        .rfind(|c| c.changes_uvs && c.based_on.as_deref() == Some(&last.hash))
    {
        list.push(next);
        last = next;
    }
    if list.len() == 1 && !at.changes_uvs {
        return Vec::new();
    }
    list.iter()
        .map(|c| HistoryLine {
            number: c.number,
            says: match (&c.uv, c.changes_uvs, c.state) {
                (Some(uv), ..) => uv.sentence.clone(),
                (None, true, CandidateState::Waiting) => "In work".to_owned(),
                (None, true, _) => String::new(),
                (None, false, _) => "As it was cut".to_owned(),
            },
            state: match c.state {
                CandidateState::Ready => "ready",
                CandidateState::Waiting => "waiting",
                CandidateState::Failed => "failed",
            },
            fault: c.fault.clone().unwrap_or_default(),
            shown: c.hash == at.hash,
        })
        .collect()
}
