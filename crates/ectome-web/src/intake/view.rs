//! What the Intake step shows: counts, what is wrong and what repairs it, what was done, where it is from.

use ectome_recipe::{
    AdvisedFinding, Change, FindingKind, Inspection,
    change::Offer,
    finding::noun,
    plan::{Act, Line},
    sizes::Sizes,
};
use ectome_store::asset::{Asset, PassOn, Provenance};

use super::form_view::FormView;
use crate::{asset::rows::Rows, failure::Failure, state::App, words};

/// A finding as a line.
pub struct FindingLine {
    pub number: usize,
    pub count: String,
    pub noun: &'static str,
    pub detail: String,
    pub harm: String,
    pub word: &'static str,
    pub class: &'static str,
    pub icon: &'static str,
    /// The repair's form, empty for none.
    pub remedy: String,
    pub can_show: bool,
}

/// A change that was made.
pub struct ChangeLine {
    pub at: usize,
    pub title: &'static str,
    pub sentence: String,
}

/// The Intake step.
pub struct IntakeView {
    pub facts: Vec<(String, String)>,
    pub findings: Vec<FindingLine>,
    pub notes: Vec<String>,
    pub changes: Vec<ChangeLine>,
    pub pending: bool,
    /// The last plan asked for more than the repairs that could not be made.
    pub has_rest: bool,
    pub fault: Option<String>,
    /// The forms of changes, in the order in which they are offered.
    pub forms: Vec<FormView>,
    pub provenance: Provenance,
    pub pass_on: [(&'static str, &'static str, bool); 3],
    pub materials: Vec<String>,
    pub files: Vec<FileLine>,
}

/// A file of the source.
pub struct FileLine {
    pub name: String,
    pub size: String,
}

impl IntakeView {
    /// The form that repairs a finding, if one does.
    pub fn form(&self, word: &str) -> Option<&FormView> {
        self.forms.iter().find(|f| f.word == word)
    }

    /// Gathers it.
    ///
    /// # Errors
    /// When the store does not answer.
    pub async fn of(app: &App, rows: &Rows) -> Result<Self, Failure> {
        let files = app.store.source_files(rows.asset.id).await?;
        let files = files.into_iter().map(|f| FileLine {
            name: f.name,
            size: words::bytes(f.bytes),
        });
        let mut view = intake_view(&rows.asset, rows.inspection(), files.collect());
        if view.fault.is_some() {
            let plan = app
                .store
                .last_plan(rows.asset.id)
                .await?
                .unwrap_or_default();
            let is_repair = |l: &Line| matches!(l.act, Act::Prepare { .. });
            view.has_rest = plan.lines.iter().any(is_repair) && !plan.lines.iter().all(is_repair);
        }
        Ok(view)
    }
}

fn intake_view(asset: &Asset, i: &Inspection, files: Vec<FileLine>) -> IntakeView {
    IntakeView {
        facts: facts(i),
        findings: i.findings.iter().enumerate().map(finding_line).collect(),
        notes: i.notes.clone(),
        changes: asset
            .preparation
            .iter()
            .enumerate()
            .map(|(at, c)| ChangeLine {
                at,
                title: c.title(),
                sentence: asset
                    .results
                    .get(at)
                    .map_or_else(String::new, |d| d.sentence.clone()),
            })
            .collect(),
        pending: asset.wanted.is_some(),
        fault: asset.preparation_fault.clone(),
        has_rest: false,
        forms: forms(asset, i),
        provenance: asset.provenance.clone(),
        pass_on: [
            (PassOn::Unknown, "not known"),
            (PassOn::Yes, "yes"),
            (PassOn::No, "no"),
        ]
        .map(|(p, says)| (p.word(), says, asset.provenance.may_pass_on == p)),
        materials: i.materials.clone(),
        files,
    }
}

fn forms(asset: &Asset, i: &Inspection) -> Vec<FormView> {
    let chosen = asset.preparation.iter().find_map(|c| match c {
        Change::Measure(m) => Some(m.space),
        _ => None,
    });
    let because = asset.space.as_ref().map_or_else(String::new, |found| {
        if found.certain {
            found.reason.clone()
        } else {
            format!("{} A guess: change it if it is wrong.", found.reason)
        }
    });
    let offer = Offer {
        sizes: Sizes::of(i),
        materials: &i.materials,
        uv_sets: i.uv_sets,
        space: chosen.unwrap_or_default(),
        space_because: &because,
    };
    let forms = Change::forms(&offer).into_iter();
    forms.map(|(word, form)| FormView::of(word, form)).collect()
}

fn finding_line((number, f): (usize, &AdvisedFinding)) -> FindingLine {
    let (word, class, icon) = match f.rank {
        3 => ("spoils a cut", "is-over", "cross"),
        2 => ("shows", "is-tight", "tight"),
        _ => ("costs", "is-quiet", "wait"),
    };
    FindingLine {
        number,
        count: words::grouped(f.count as u64),
        noun: noun(f.kind, f.count),
        detail: f.detail.clone(),
        harm: f.harm.clone(),
        word,
        class,
        icon,
        remedy: f.remedy.clone(),
        can_show: !matches!(
            f.kind,
            FindingKind::MissingTextures | FindingKind::LargeTextures | FindingKind::AbsurdScale
        ),
    }
}

fn facts(i: &Inspection) -> Vec<(String, String)> {
    let size: Vec<String> = (0..3)
        .map(|k| format!("{:.2}", i.bounds_m[1][k] - i.bounds_m[0][k]))
        .collect();
    let g = |n: usize| words::grouped(n as u64);
    let mut facts = vec![
        ("Triangles".to_owned(), g(i.triangles)),
        (
            "Quads, n-gons".to_owned(),
            format!("{}, {}", g(i.quads), g(i.ngons)),
        ),
        (
            "Vertices at points".to_owned(),
            format!("{} at {}", g(i.vertices), g(i.points)),
        ),
        (
            "Objects, pieces".to_owned(),
            format!("{}, {}", g(i.objects.len()), g(i.components)),
        ),
        (
            "UV sets, islands".to_owned(),
            format!("{}, {}", i.uv_sets, g(i.uv_islands)),
        ),
        ("Size".to_owned(), format!("{} m", size.join(" × "))),
    ];
    for t in &i.textures {
        let name = match t.name.as_str() {
            "" => "texture",
            name => name,
        };
        facts.push((name.to_owned(), format!("{} × {}", t.width, t.height)));
    }
    facts
}
