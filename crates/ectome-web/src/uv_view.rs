//! What the column of the UVs step shows.

use ectome_recipe::{
    Brief, Inspection, Manner, Packing, Stacks, Turns, UvChange, UvStep,
    uv::{MANY, expected_seconds},
};
use ectome_store::candidate::{Candidate, CandidateState};

use crate::{proof_view::Side, words};

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
    /// How islands were made and laid out last, which the form starts from.
    pub mechanical: bool,
    pub packing: PackingFields,
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

/// Gathers it. `steps` are the changes of UVs that led to it.
pub fn uv_view(
    brief: &Brief,
    inspection: &Inspection,
    tray: &[Candidate],
    shown: Option<&Candidate>,
    asked: Option<&Candidate>,
    steps: &[UvStep],
) -> UvView {
    let made = steps.iter().rev().find_map(|s| match &s.change {
        UvChange::Unwrap { manner, .. } => Some(*manner),
        _ => None,
    });
    let triangles = shown.map_or(inspection.triangles, |c| c.triangles.unwrap_or(0) as usize);
    let number = shown.map_or(0, |c| c.number);
    let ready = || tray.iter().filter(|c| c.state == CandidateState::Ready);
    let side = |c: &Candidate, chosen: bool| Side {
        number: c.number,
        name: format!(
            "Candidate {}, {}",
            c.number,
            words::grouped(c.triangles.unwrap_or(0))
        ),
        chosen,
    };
    let source = |chosen| Side {
        number: 0,
        name: format!("Source, {}", words::grouped(inspection.triangles as u64)),
        chosen,
    };
    let mut on: Vec<Side> = ready().rev().map(|c| side(c, c.number == number)).collect();
    on.push(source(number == 0));
    let mut under: Vec<Side> = ready()
        .rev()
        .filter(|c| c.number != number)
        .map(|c| side(c, false))
        .collect();
    if number != 0 {
        under.push(source(false));
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
        has_repeats: !inspection.repeats.is_empty() || !inspection.symmetric.is_empty(),
        mechanical: made == Some(Manner::Mechanical),
        packing: (&steps.last().map_or_else(Packing::default, |s| s.packing.clone())).into(),
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
