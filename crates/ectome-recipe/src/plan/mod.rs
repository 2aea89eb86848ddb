//! A plan: what is done to a source for a brief, line by line, each with its reason. It is a proposal: lines can be changed
//! or left out before anything runs, and what runs are ordinary recipes. What is proposed when, [`propose`] says.

pub mod propose;

use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::{
    Change, CutSettings, Recipe, Target, UvStep,
    far_end::StandIn,
    figures::grouped,
    listed::{self, ListError},
    maps::BakeSettings,
    merge::MergeSettings,
    preparation::appended,
    rebuild::RebuildSettings,
};

/// What a line does.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "snake_case")]
pub enum Act {
    /// Changes the source.
    Prepare {
        /// How.
        change: Change,
    },
    /// Lays one closed skin over it.
    Rebuild {
        /// How.
        rebuild: RebuildSettings,
    },
    /// Cuts to the first tier.
    Cut {
        /// At most so many triangles.
        triangles: u32,
    },
    /// Gives new UVs.
    Unwrap {
        /// How.
        uv: UvStep,
    },
    /// Merges materials over one sheet.
    Merge {
        /// How.
        merge: MergeSettings,
    },
    /// Bakes maps.
    Bake {
        /// Which, and how.
        maps: BakeSettings,
    },
    /// Makes a further tier from the first.
    Tier {
        /// At most so many triangles.
        triangles: u32,
        /// What stands in for the source there, instead of a cut.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        stand_in: Option<StandIn>,
    },
    /// Writes the files that the brief names.
    Parcel,
}

/// One line of a plan.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Line {
    /// Why it is proposed.
    #[serde(default)]
    pub why: String,
    /// What it does.
    #[serde(flatten)]
    pub act: Act,
}

/// What is done to a source for a brief.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Plan {
    /// What was seen and left to whoever reads it.
    #[serde(default)]
    pub left: Vec<String>,
    /// The lines, first to last.
    #[serde(default, rename = "line")]
    pub lines: Vec<Line>,
}

/// Why a plan cannot be run, or its text not be read.
#[derive(Clone, Debug, Error, PartialEq, Eq)]
pub enum PlanError {
    /// The text is no plan.
    #[error("the plan cannot be read: {0}")]
    Read(#[from] ListError),
    /// TOML cannot hold it.
    #[error("the plan cannot be written: {0}")]
    Write(String),
    /// A line stands where it cannot.
    #[error(
        "line {0} of the plan ({1}) comes too late. Its order is: repairs, rebuild, cut, unwrap, merge, bake, tiers, parcel"
    )]
    Order(usize, &'static str),
    /// A line asks for what cannot be.
    #[error("line {0} of the plan: {1}")]
    Line(usize, String),
}

impl Act {
    /// Its place in the order of a plan.
    fn rank(&self) -> u8 {
        match self {
            Self::Prepare { .. } => 0,
            Self::Rebuild { .. } => 1,
            Self::Cut { .. } => 2,
            Self::Unwrap { .. } => 3,
            Self::Merge { .. } => 4,
            Self::Bake { .. } => 5,
            Self::Tier { .. } => 6,
            Self::Parcel => 7,
        }
    }

    /// In a few words.
    pub fn title(&self) -> &'static str {
        match self {
            Self::Prepare { change } => change.title(),
            Self::Rebuild { .. } => "Rebuild",
            Self::Cut { .. } => "Cut",
            Self::Unwrap { .. } => "Unwrap",
            Self::Merge { .. } => "Merge over one sheet",
            Self::Bake { .. } => "Bake maps",
            Self::Tier { .. } => "Tier",
            Self::Parcel => "Parcel",
        }
    }

    /// With its figures.
    pub fn says(&self) -> String {
        match self {
            Self::Prepare { change } => change.says(),
            Self::Rebuild { .. } => "Lay one closed skin over it".to_owned(),
            Self::Cut { triangles } => format!("Cut to {}", grouped(*triangles as usize)),
            Self::Unwrap { uv } => uv.title().to_owned(),
            Self::Merge { merge } => format!("Merge materials over one sheet of {}", merge.size),
            Self::Parcel => "Write the parcel".to_owned(),
            Self::Bake { maps } => {
                let words = maps.kinds.iter().map(|k| k.word().replace('_', " "));
                let words: Vec<String> = words.collect();
                format!("Bake {} at {}", words.join(", "), maps.size)
            }
            Self::Tier {
                triangles,
                stand_in,
            } => match stand_in {
                None => format!("A tier of {} from the first", grouped(*triangles as usize)),
                Some(what) => format!(
                    "A tier of {}, {}",
                    grouped(*triangles as usize),
                    what.says()
                ),
            },
        }
    }
}

impl Plan {
    /// Reads a plan that was written as TOML.
    ///
    /// # Errors
    /// [`PlanError::Read`].
    pub fn from_toml(text: &str) -> Result<Self, PlanError> {
        let mut all = listed::table(text)?;
        let lines = listed::take(&mut all, "line")?;
        let left = listed::take(&mut all, "left")?;
        listed::nothing_else(&all, &["line", "left"])?;
        Ok(Self { left, lines })
    }

    /// Writes it as TOML, for [`from_toml`](Self::from_toml).
    ///
    /// # Errors
    /// [`PlanError::Write`].
    pub fn to_toml(&self) -> Result<String, PlanError> {
        toml::to_string_pretty(self).map_err(|e| PlanError::Write(e.to_string()))
    }

    /// The changes of the source that it asks for, behind those that are made already.
    pub fn changes(&self, first: &[Change]) -> Vec<Change> {
        let mut changes = first.to_vec();
        for line in &self.lines {
            if let Act::Prepare { change } = &line.act {
                changes = appended(changes, change.clone());
            }
        }
        changes
    }

    /// A recipe for each tier, nearest first. `source` is the content hash of the source's files, `first` are changes that
    /// are made before those of the plan.
    ///
    /// # Errors
    /// [`PlanError::Order`], [`PlanError::Line`].
    pub fn recipes(
        &self,
        source: &str,
        first: &[Change],
        settings: &CutSettings,
    ) -> Result<Vec<Recipe>, PlanError> {
        let (mut changes, mut last) = (first.to_vec(), 0);
        let mut base: Option<Recipe> = None;
        let mut tiers = Vec::new();
        for (i, Line { act, .. }) in self.lines.iter().enumerate() {
            let rank = act.rank();
            if rank < last || (rank == last && matches!(rank, 1..=5 | 7)) {
                return Err(PlanError::Order(i + 1, act.title()));
            }
            last = rank;
            let so_far = base.take();
            let prepared = || Recipe::whole(source, &changes);
            base = match act {
                Act::Prepare { change } => {
                    change
                        .check()
                        .map_err(|e| PlanError::Line(i + 1, e.to_string()))?;
                    changes = appended(changes, change.clone());
                    None
                }
                Act::Tier {
                    stand_in: Some(what),
                    ..
                } if what.fault().is_some() => {
                    let fault = what.fault().unwrap_or_default();
                    return Err(PlanError::Line(i + 1, format!("{} {fault}", what.says())));
                }
                Act::Cut { triangles }
                | Act::Tier {
                    triangles,
                    stand_in: None,
                } if *triangles < 4 => {
                    return Err(PlanError::Line(
                        i + 1,
                        format!("{triangles} triangles make no shape; 4 is the least"),
                    ));
                }
                Act::Rebuild { rebuild } => {
                    Some(Recipe::rebuilt(source, &changes, rebuild.clone()))
                }
                Act::Cut { triangles } => Some(
                    so_far
                        .unwrap_or_else(prepared)
                        .continued(Target::Triangles(*triangles), settings.clone()),
                ),
                Act::Unwrap { uv } => Some(so_far.unwrap_or_else(prepared).with_uvs(uv.clone())),
                Act::Bake { maps } => Some(so_far.unwrap_or_else(prepared).with_maps(maps.clone())),
                Act::Merge { merge } => Some(
                    so_far
                        .unwrap_or_else(prepared)
                        .with_merged_materials(merge.clone()),
                ),
                Act::Tier {
                    triangles,
                    stand_in,
                } => {
                    tiers.push((*triangles, stand_in.as_ref()));
                    so_far
                }
                Act::Parcel => so_far,
            };
        }
        let base = base.unwrap_or_else(|| Recipe::whole(source, &changes));
        let further = |(n, stand_in): &(u32, Option<&StandIn>)| match stand_in {
            Some(what) => what.recipe(source, &changes),
            None => base
                .clone()
                .continued(Target::Triangles(*n), settings.clone()),
        };
        let further: Vec<Recipe> = tiers.iter().map(further).collect();
        Ok(std::iter::once(base).chain(further).collect())
    }
}
