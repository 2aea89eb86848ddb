//! What the Intake step shows: counts, what is wrong and what repairs it, what was done, where it is from.

use ectome_recipe::{
    AdvisedFinding, Change, FindingKind, Inspection, Up,
    finding::noun,
    plan::{Act, Line},
    preparation::Sizes,
};
use ectome_store::asset::{Asset, PassOn, Provenance};

use crate::{asset::rows::Rows, failure::Failure, state::App, words};
use ectome_formats::space::UNITS;

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

/// Figures that the forms start with.
pub struct Defaults {
    pub weld_mm: String,
    pub hole_mm: String,
    pub floater_mm: String,
    /// A point in the middle, a little above the lowest.
    pub plane: [String; 3],
    pub plane_low: String,
}

/// The unit and axis forms.
pub struct SpaceView {
    pub units: Vec<(&'static str, bool)>,
    pub ups: Vec<(&'static str, &'static str, bool)>,
    pub reason: String,
    pub guessed: bool,
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
    pub defaults: Defaults,
    pub space: SpaceView,
    pub provenance: Provenance,
    pub pass_on: [(&'static str, &'static str, bool); 3],
    pub materials: Vec<String>,
    pub uv_sets: usize,
    pub files: Vec<FileLine>,
}

/// A file of the source.
pub struct FileLine {
    pub name: String,
    pub size: String,
}

impl IntakeView {
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
    let sizes = Sizes::of(i);
    let mm = |m: f32| trimmed(f64::from(m) * 1e3);
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
        defaults: Defaults {
            weld_mm: mm(sizes.weld_m),
            hole_mm: mm(sizes.hole_m),
            floater_mm: mm(sizes.floater_m),
            plane: sizes.middle_m.map(|v| trimmed(f64::from(v))),
            plane_low: trimmed(f64::from(sizes.low_m)),
        },
        space: space_view(asset),
        provenance: asset.provenance.clone(),
        pass_on: [
            (PassOn::Unknown, "not known"),
            (PassOn::Yes, "yes"),
            (PassOn::No, "no"),
        ]
        .map(|(p, says)| (p.word(), says, asset.provenance.may_pass_on == p)),
        materials: i.materials.clone(),
        uv_sets: i.uv_sets,
        files,
    }
}

/// A number for a field: three figures, no zeros behind the point.
fn trimmed(v: f64) -> String {
    let digits = (2 - v.abs().max(1e-9).log10().floor() as i32).clamp(0, 6) as usize;
    let text = format!("{v:.digits$}");
    match text.contains('.') {
        true => text.trim_end_matches('0').trim_end_matches('.').to_owned(),
        false => text,
    }
}

fn space_view(asset: &Asset) -> SpaceView {
    let chosen = asset.preparation.iter().find_map(|c| match c {
        Change::Measure { space } => Some(*space),
        _ => None,
    });
    let space = chosen.unwrap_or_default();
    SpaceView {
        units: UNITS
            .iter()
            .map(|&(name, m)| (name, (m - space.unit_m).abs() < 1e-6))
            .collect(),
        ups: [("y", "Y", Up::Y), ("z", "Z", Up::Z), ("x", "X", Up::X)]
            .map(|(value, name, up)| (value, name, up == space.up))
            .into(),
        reason: asset
            .space
            .as_ref()
            .map_or_else(String::new, |f| f.reason.clone()),
        guessed: asset.space.as_ref().is_some_and(|f| !f.certain),
    }
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

#[cfg(test)]
mod tests {
    use super::trimmed;

    #[test]
    fn figures_in_fields_are_short() {
        assert_eq!(trimmed(0.123456), "0.123");
        assert_eq!(trimmed(1500.0), "1500");
        assert_eq!(trimmed(0.5), "0.5");
        assert_eq!(trimmed(-12.34), "-12.3");
        assert_eq!(trimmed(0.0), "0");
    }
}
