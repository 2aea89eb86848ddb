//! The steps of an asset, and what each says of itself before it is opened.

use ectome_recipe::Fate;
use ectome_store::asset::AssetState;

use super::{rows::Rows, step_name::StepName};
use crate::{judged, words};

/// A step in the list.
pub struct Tab {
    pub number: usize,
    pub address: &'static str,
    pub name: &'static str,
    pub says: String,
    pub class: &'static str,
    pub here: bool,
}

/// All of them.
pub fn tabs(rows: &Rows) -> Vec<Tab> {
    StepName::ALL
        .into_iter()
        .enumerate()
        .map(|(i, step)| {
            let (says, class) = says(step, rows);
            Tab {
                number: i + 1,
                address: step.address(),
                name: step.name(),
                says,
                class,
                here: step == rows.step,
            }
        })
        .collect()
}

/// What a step says of itself, and the class of that.
fn says(step: StepName, rows: &Rows) -> (String, &'static str) {
    match step {
        StepName::Intake => intake(rows),
        StepName::Parts => parts(rows),
        StepName::Cut => match rows.shown() {
            Some(c) => (words::grouped(c.triangles.unwrap_or(0)), "is-kelp"),
            None => none_yet(),
        },
        StepName::Chain if rows.chain.is_empty() => none_yet(),
        StepName::Chain => judged::chain_verdict(&rows.brief, &rows.asset, &rows.chain),
        StepName::Uvs => uvs(rows),
        StepName::Maps => maps(rows),
        StepName::Proof => judged::proof_says(rows.shown(), &rows.brief, &rows.asset, &rows.chain),
        StepName::Parcel => parcel(rows),
    }
}

fn none_yet() -> (String, &'static str) {
    ("none yet".to_owned(), "is-quiet")
}

fn intake(rows: &Rows) -> (String, &'static str) {
    match (rows.asset.state(), rows.inspection().findings.len()) {
        (AssetState::Failed, _) => ("could not be read".to_owned(), "is-over"),
        (AssetState::Arriving, _) => ("in work".to_owned(), "is-quiet"),
        (AssetState::Ready, 0) => ("clean".to_owned(), "is-quiet"),
        (AssetState::Ready, n) => (words::counted(n as u64, "finding"), "is-tight"),
    }
}

fn parts(rows: &Rows) -> (String, &'static str) {
    let there = rows.inspection().objects.iter().filter(|o| o.triangles > 0);
    let (built, all) = there.fold((0, 0), |(b, n), o| {
        (b + usize::from(o.fate == Fate::Build), n + 1)
    });
    if built == all {
        (words::grouped(all as u64), "is-quiet")
    } else {
        (format!("{built} of {all} built"), "is-kelp")
    }
}

fn uvs(rows: &Rows) -> (String, &'static str) {
    let shown = rows.shown();
    match shown.and_then(|c| c.uv.as_ref()) {
        Some(uv) => (
            format!("{:.0} % covered", uv.numbers.coverage_percent),
            "is-kelp",
        ),
        None => match shown.and_then(|c| c.proof.as_ref()).map(|p| p.uv_sets) {
            _ if shown.is_some_and(|c| c.changes_uvs) => ("laid out".to_owned(), "is-kelp"),
            Some(1..) => ("kept".to_owned(), "is-quiet"),
            None if rows.inspection().uv_sets > 0 => ("as imported".to_owned(), "is-quiet"),
            _ => none_yet(),
        },
    }
}

fn maps(rows: &Rows) -> (String, &'static str) {
    match rows.maps_of_shown() {
        Some(_) => ("baked".to_owned(), "is-kelp"),
        None => none_yet(),
    }
}

fn parcel(rows: &Rows) -> (String, &'static str) {
    if judged::failed(&rows.chain) > 0 {
        return ("a tier is missing".to_owned(), "is-over");
    }
    if !judged::is_complete(&rows.asset, &rows.chain) {
        return ("waits for a chain".to_owned(), "is-quiet");
    }
    match judged::chain_verdict(&rows.brief, &rows.asset, &rows.chain).1 {
        "is-pass" => ("ready".to_owned(), "is-pass"),
        _ => ("ready, does not pass".to_owned(), "is-over"),
    }
}
