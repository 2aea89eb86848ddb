//! The sheet that goes with a parcel: what it holds, what proves it, where it comes from and how it was made.

use serde::{Deserialize, Serialize};

use super::{Parcel, checks::Check, contents::Contents, files::File};
use crate::{Artefact, Brief, Measured, Recipe, Standing, Tier, TierResult, plan::Line};

/// Where a source comes from.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Provenance {
    /// Where it was got.
    pub origin: String,
    /// Who made it.
    pub author: String,
    /// Under which licence.
    pub licence: String,
    /// `yes`, `no` or `unknown`.
    pub may_be_passed_on: String,
}

/// What is known beside the files.
#[derive(Clone, Debug, Default)]
pub struct About {
    /// The asset's name, as a person calls it.
    pub asset: String,
    /// Triangles of the source.
    pub source_triangles: usize,
    /// Bytes of the source's files.
    pub source_bytes: u64,
    /// Materials of the source.
    pub source_materials: usize,
    /// What each tier must keep to, and what was measured of it.
    pub tiers: Vec<(Tier, Measured)>,
    /// The plan that was followed; empty where steps were asked for by hand.
    pub plan: Vec<Line>,
    /// What was seen and left.
    pub left: Vec<String>,
    /// The recipe of each tier.
    pub recipes: Vec<Recipe>,
    /// Origin and licence.
    pub provenance: Provenance,
    /// What each tier left to look at.
    pub pictures: Vec<Vec<Artefact>>,
}

/// A file as a sheet lists it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct FileLine {
    /// Its name.
    pub name: String,
    /// What it holds.
    #[serde(default)]
    pub of: String,
    /// Its bytes.
    pub bytes: u64,
    /// The BLAKE3 hash of its bytes, in hexadecimal.
    pub blake3: String,
}

impl From<&File> for FileLine {
    fn from(file: &File) -> Self {
        Self {
            name: file.name.clone(),
            of: file.of.clone(),
            bytes: file.bytes.len() as u64,
            blake3: blake3::hash(&file.bytes).to_hex().to_string(),
        }
    }
}

/// The conventions of the files, in words that importers ask for.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Conventions {
    /// The green channel of normal maps: `up` or `down`.
    pub green: String,
    /// The basis that normal maps are figures in.
    pub tangents: String,
    /// How several UV sheets are told apart.
    pub uv_sheets_are: String,
    /// Unit and axis up of GLB and glTF.
    pub gltf: String,
    /// Unit and axis up of the other formats.
    pub others: String,
}

/// The sheet of a parcel.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Sheet {
    /// The asset.
    pub asset: String,
    /// The brief's name.
    pub brief: String,
    /// The day.
    pub date: String,
    /// The worst standing of all tiers and checks.
    pub verdict: Standing,
    /// Triangles of the source.
    pub source_triangles: usize,
    /// Bytes of the source's files.
    pub source_bytes: u64,
    /// Materials of the source.
    pub source_materials: usize,
    /// Bytes of all files.
    pub bytes: u64,
    /// How each tier stands.
    pub tiers: Vec<TierResult>,
    /// What each tier holds.
    pub contents: Vec<Contents>,
    /// What trips importers, looked for.
    pub checks: Vec<Check>,
    /// What was done, and why.
    #[serde(default)]
    pub plan: Vec<Line>,
    /// What was seen and left.
    #[serde(default)]
    pub left: Vec<String>,
    /// How to read the files.
    pub conventions: Conventions,
    /// Origin and licence.
    pub provenance: Provenance,
    /// Every file.
    pub files: Vec<FileLine>,
    /// The recipe of each tier: every step with its settings.
    #[serde(default)]
    pub recipes: Vec<Recipe>,
}

impl Sheet {
    /// The sheet of a parcel.
    pub fn of(parcel: &Parcel, brief: &Brief, date: &str, about: &About) -> Self {
        let unfit = parcel.checks.iter().any(|c| !c.passes);
        let tiers = about.tiers.iter().enumerate().map(|(n, (tier, measured))| {
            // What was written counts, where it could be looked at; else what it was written from.
            let looks = parcel
                .seen
                .get(n)
                .map(|s| &s.looks)
                .filter(|l| !l.is_empty());
            let measured = Measured {
                looks: looks.unwrap_or(&measured.looks).clone(),
                ..measured.clone()
            };
            TierResult::of(brief, n, tier, &measured)
        });
        let tiers: Vec<TierResult> = tiers.collect();
        let standings = tiers.iter().map(|t| t.verdict);
        let verdict = standings
            .chain(unfit.then_some(Standing::Over))
            .max()
            .unwrap_or(Standing::Pass);
        let delivery = &brief.delivery;
        Self {
            asset: about.asset.clone(),
            brief: brief.name.clone(),
            date: date.to_owned(),
            verdict,
            source_triangles: about.source_triangles,
            source_bytes: about.source_bytes,
            source_materials: about.source_materials,
            bytes: parcel.files.iter().map(|f| f.bytes.len() as u64).sum(),
            tiers,
            contents: parcel.tiers.clone(),
            checks: parcel.checks.clone(),
            plan: about.plan.clone(),
            left: about.left.clone(),
            conventions: Conventions {
                green: brief.green.clone(),
                tangents: "MikkTSpace, bitangent per pixel".to_owned(),
                uv_sheets_are: brief.sheets.word().to_owned(),
                gltf: "metres, Y up".to_owned(),
                others: format!("{}, {:?} up", delivery.unit, delivery.up.up()),
            },
            provenance: about.provenance.clone(),
            files: parcel.files.iter().map(FileLine::from).collect(),
            recipes: about.recipes.clone(),
        }
    }
}

/// What the two files of a sheet are of.
pub const SHEET: &str = "sheet";
