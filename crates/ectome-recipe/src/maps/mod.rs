//! Maps: what is baked from what, what is refused before anything starts, and how maps become files.
//!
//! | file | what it holds |
//! |---|---|
//! | `looks` | materials and textures of a scene as the kernel wants them |
//! | `refuse` | why a bake would come to nothing, said before it starts |
//! | `picture` | a map as a PNG that says what its values mean |
//! | `report` | what was baked, in figures |
//! | `dress` | a scene with its maps as glTF textures |

mod dress;
mod looks;
mod picture;
mod refuse;
mod report;

use ectome_bake::{Baked, Settings, bake};
use ectome_formats::Scene;
use ectome_mesh::{Fate, Mesh, Progress, edit};
use serde::{Deserialize, Serialize};

pub use dress::dressed;
pub use ectome_bake::{Directions, Kind, Matching, Reach};
pub use report::{BakeReport, MapReport, PartMisses};

use crate::{EngineError, step::triangulated};
use looks::Looks;

/// Which parts of the source a part of the low mesh is baked from.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum From {
    /// Each from the part of its name; what has none of its name is baked from everything.
    #[default]
    SameName,
    /// From everything: neighbours may bleed.
    Everything,
}

/// How maps are baked and written.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct BakeSettings {
    /// The maps.
    pub kinds: Vec<Kind>,
    /// Width and height in texels.
    pub size: u32,
    /// Samples along each edge of a texel: 1 to 4.
    #[serde(default = "two")]
    pub samples: u32,
    /// Texels that islands grow by.
    #[serde(default = "sixteen")]
    pub padding: u32,
    /// How far rays look.
    #[serde(default = "automatic")]
    pub reach: Reach,
    /// Where they look along.
    #[serde(default)]
    pub directions: Directions,
    /// What is baked from what.
    #[serde(default)]
    pub from: From,
    /// Rays of each place for occlusion, bent normals and thickness.
    #[serde(default = "sixty_four")]
    pub rays: u32,
    /// Green of normals is up; else down.
    #[serde(default = "yes")]
    pub green_up: bool,
    /// 16 bits a channel; else 8.
    #[serde(default)]
    pub deep: bool,
}

fn two() -> u32 {
    2
}
fn sixteen() -> u32 {
    16
}
fn sixty_four() -> u32 {
    64
}
fn yes() -> bool {
    true
}
fn automatic() -> Reach {
    Reach::Automatic(1.0)
}

impl BakeSettings {
    /// Maps of a size, everything else as usual.
    pub fn of(kinds: Vec<Kind>, size: u32) -> Self {
        Self {
            kinds,
            size,
            samples: two(),
            padding: sixteen(),
            reach: automatic(),
            directions: Directions::default(),
            from: From::default(),
            rays: sixty_four(),
            green_up: true,
            deep: false,
        }
    }

    /// A quick look: small, one sample a texel, a quarter of the rays.
    #[must_use]
    pub fn trial(&self) -> Self {
        Self {
            size: self.size.min(TRIAL),
            samples: 1,
            padding: (self.padding * TRIAL / self.size.max(1)).max(2),
            rays: (self.rays / 4).max(16),
            ..self.clone()
        }
    }
}

/// Width and height of a trial.
pub const TRIAL: u32 = 512;

/// Maps as files, and what is to be said of them.
#[derive(Clone, Debug)]
pub struct Maps {
    /// In the order they were asked for.
    pub files: Vec<(Kind, Vec<u8>)>,
    /// Where rays missed, as a PNG; empty where none did.
    pub misses: Vec<u8>,
    /// In figures.
    pub report: BakeReport,
}

/// Bakes maps of `low`, a scene with UVs, from `source`: its parts that are built and those that are only for the maps.
///
/// # Errors
/// [`EngineError::Bake`] with the way out, before anything starts where that can be told; [`EngineError::Cancelled`].
pub fn baked(
    source: &Scene,
    low: &Scene,
    settings: &BakeSettings,
    progress: &Progress,
) -> Result<Maps, EngineError> {
    let started = std::time::Instant::now();
    let mut source = triangulated(source.clone(), progress)?;
    if source.mesh.parts.iter().any(|p| p.fate == Fate::Omit) {
        source.mesh = without_omitted(&source.mesh);
    }
    let low = triangulated(low.clone(), progress)?;
    refuse::check(&source, &low, settings)?;
    let looks = Looks::of(&source, &settings.kinds);
    let kernel = Settings {
        size: settings.size,
        samples: settings.samples,
        padding: settings.padding,
        kinds: settings.kinds.clone(),
        reach: settings.reach,
        directions: settings.directions,
        matching: matching(&source.mesh, &low.mesh, settings.from),
        rays: settings.rays,
        green_up: settings.green_up,
        ..Settings::default()
    };
    let made = bake(
        &looks.source(&source),
        &low.mesh,
        &kernel,
        &progress.span(0.05, 0.9),
    )?;
    progress.stage("Writing the maps");
    let files = made
        .maps
        .iter()
        .map(|map| Ok((map.kind, picture::png(map, made.size, settings)?)))
        .collect::<Result<Vec<_>, EngineError>>()?;
    progress.at(1.0)?;
    let seconds = started.elapsed().as_secs_f64();
    Ok(Maps {
        misses: misses(&made),
        report: BakeReport::of(&made, &source, &low.mesh, settings, seconds),
        files,
    })
}

/// Where rays missed, as a picture; nothing where none did.
fn misses(made: &Baked) -> Vec<u8> {
    match made.counts.misses() {
        0 => Vec::new(),
        _ => picture::misses(&made.states, made.size),
    }
}

fn without_omitted(mesh: &Mesh) -> Mesh {
    let run = mesh.run_of_faces();
    let omitted =
        |f: usize| mesh.parts[mesh.runs[run[f] as usize].part as usize].fate == Fate::Omit;
    edit::kept(mesh, |f| !omitted(f))
}

/// Parts matched by name. What is only for the maps belongs to whatever built part it stands on: it goes with all of them.
fn matching(source: &Mesh, low: &Mesh, from: From) -> Matching {
    let used = low.triangles_per_part();
    let named = |name: &str| source.parts.iter().position(|p| p.name == name);
    let all_found = low
        .parts
        .iter()
        .zip(&used)
        .filter(|(_, n)| **n > 0)
        .all(|(p, _)| named(&p.name).is_some());
    let imprints = source.parts.iter().any(|p| p.fate == Fate::Imprint);
    if from == From::Everything || !all_found || imprints || source.parts.len() < 2 {
        return Matching::All;
    }
    Matching::Groups {
        low: low
            .parts
            .iter()
            .map(|p| named(&p.name).map_or(u32::MAX, |n| n as u32))
            .collect(),
        source: source
            .parts
            .iter()
            .map(|p| named(&p.name).map_or(u32::MAX, |n| n as u32))
            .collect(),
    }
}
