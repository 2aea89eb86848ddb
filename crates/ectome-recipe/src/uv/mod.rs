//! What is done to the UVs of a candidate: unwrapping, islands split and joined, texel density, packing, repairs.

mod copies;
pub mod sheet;
mod work;

use std::time::Instant;

use ectome_formats::Scene;
use ectome_mesh::{Mesh, Progress};
use ectome_uv::{
    join,
    layout::{Layout, Placement},
    measure::{self, Numbers},
    pack::Settings,
    unwrap::{Manner, Mark},
};
use glam::DVec2;
use serde::{Deserialize, Serialize};

pub use ectome_uv::unwrap::Ground;

use crate::{EngineError, sheets, triangles::Split};
use work::Work;

/// A place on the surface, in metres; it names the island it lies on.
pub type Spot = [f32; 3];

/// What is done to equal islands.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Stacks {
    /// Each has a place of its own.
    #[default]
    Apart,
    /// Equal parts share one place.
    Repeats,
    /// Mirror images too.
    Mirrored,
}

/// How islands are laid out on the sheet.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Packing {
    /// Size, padding, turns and effort.
    pub sheet: Settings,
    /// What is done to equal islands.
    pub stacks: Stacks,
    /// Islands of one part keep together.
    pub by_part: bool,
    /// Islands that stay where they are.
    pub locked: Vec<Spot>,
    /// Islands keep their size.
    pub keep_size: bool,
}

/// What is done.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "uv", rename_all = "snake_case")]
pub enum UvChange {
    /// New UVs for everything, or for the islands at some places.
    Unwrap {
        /// How.
        manner: Manner,
        /// Seams that were drawn or rubbed out.
        #[serde(default)]
        marks: Vec<Mark>,
        /// Only these islands; empty for all.
        #[serde(default)]
        only: Vec<Spot>,
    },
    /// Islands are cut across their length.
    Split {
        /// Which.
        at: Vec<Spot>,
    },
    /// Two islands become one.
    Join {
        /// Which.
        at: [Spot; 2],
    },
    /// All islands get one texel density.
    Density {
        /// In texels per metre; the most that fits when absent.
        #[serde(default)]
        texels_per_metre: Option<f64>,
    },
    /// Some islands get more or fewer texels than the rest.
    Priority {
        /// Which.
        #[serde(default)]
        at: Vec<Spot>,
        /// All islands of these parts.
        #[serde(default)]
        parts: Vec<u32>,
        /// Times the density of the rest, 0.25 to 4.
        factor: f64,
    },
    /// Islands get as many texels as they are seen.
    SuggestPriorities,
    /// Islands are only laid out anew.
    Pack,
    /// Inside-out islands are turned over; with places, the islands there, whatever they are.
    TurnOver {
        /// Which.
        #[serde(default)]
        at: Vec<Spot>,
    },
    /// Islands that overlap, or leave the sheet, get places of their own; all others stay.
    Separate,
    /// Islands are put where a person wants them.
    Place {
        /// One after another.
        moves: Vec<IslandMove>,
        /// What was put too near to others, or to the edge of the sheet, is pushed off by what is missing.
        #[serde(default)]
        keep_clear: bool,
    },
}

/// How islands are moved together on the sheet, in widths of it, u to the right and v down: turned and sized about a place, then
/// shifted. Islands stacked on them go along.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct IslandMove {
    /// Which.
    pub at: Vec<Spot>,
    /// The place that turning and sizing leave where it is.
    #[serde(default)]
    pub about: [f64; 2],
    /// Degrees, from u towards v.
    #[serde(default)]
    pub turn: f64,
    /// Times their size, 0.05 to 20.
    #[serde(default = "same_size")]
    pub size: f64,
    /// The shift.
    #[serde(default)]
    pub by: [f64; 2],
}

fn same_size() -> f64 {
    1.0
}

impl IslandMove {
    /// Whether its figures are ones that a sheet can hold.
    fn is_sound(&self) -> bool {
        let near = |v: f64| v.abs() <= 64.0;
        self.by.into_iter().chain(self.about).all(near)
            && self.turn.abs() <= 3600.0
            && (0.05..=20.0).contains(&self.size)
    }

    /// What it does to a place of the sheet.
    fn placement(&self) -> Placement {
        let turn = Placement::turned(self.turn.to_radians(), self.size);
        let about = DVec2::from_array(self.about);
        turn.moved(about - turn.of(about) + DVec2::from_array(self.by))
    }
}

/// One change, and how the sheet is laid out after it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct UvStep {
    /// What is done.
    #[serde(flatten)]
    pub change: UvChange,
    /// How islands are laid out.
    #[serde(default)]
    pub packing: Packing,
}

/// What a change to UVs did.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct UvReport {
    /// In words.
    pub sentence: String,
    /// The layout after it.
    #[serde(flatten)]
    pub numbers: Numbers,
    /// Islands longer than most of the sheet, longest first.
    pub over_long: Vec<u32>,
    /// Seconds it took.
    pub seconds: f64,
}

/// Triangles above which unwrapping is slow enough to say so.
pub const MANY: usize = 100_000;

/// About how many seconds unwrapping takes.
pub fn expected_seconds(triangles: usize) -> f64 {
    // 50 000 triangles took 3 to 6 seconds on two cores; time grows a little faster than triangles.
    5.0 * (triangles as f64 / 50_000.0).powf(1.2)
}

/// Islands longer than this share of the sheet are offered a cut.
const LONG: f64 = 0.8;

impl UvStep {
    /// Everything unwrapped anew and packed as usual.
    pub fn unwrap(manner: Manner) -> Self {
        Self {
            change: UvChange::Unwrap {
                manner,
                marks: Vec::new(),
                only: Vec::new(),
            },
            packing: Packing::default(),
        }
    }

    /// What it is called on a page.
    pub fn title(&self) -> &'static str {
        match &self.change {
            UvChange::Unwrap { only, .. } if !only.is_empty() => "Unwrapping some islands",
            UvChange::Unwrap { .. } => "Unwrapping",
            UvChange::Split { .. } => "Splitting islands",
            UvChange::Join { .. } => "Joining islands",
            UvChange::Density { .. } => "Setting texel density",
            UvChange::Priority { .. } | UvChange::SuggestPriorities => "Setting priorities",
            UvChange::Pack => "Packing",
            UvChange::TurnOver { .. } => "Turning islands over",
            UvChange::Separate => "Laying islands apart",
            UvChange::Place { .. } => "Placing islands",
        }
    }

    /// Makes the change on a scene. Polygons stay whole where no seam crosses them.
    ///
    /// # Errors
    /// [`EngineError::Uv`] when it cannot be made, [`EngineError::Cancelled`].
    pub fn apply(
        &self,
        mut scene: Scene,
        progress: &Progress,
    ) -> Result<(Scene, UvReport), EngineError> {
        let started = Instant::now();
        progress.stage(self.title());
        let split = Split::of(&scene.mesh, progress)?;
        if let Some(split) = &split {
            scene.mesh = split.triangles.clone();
        }
        let work = Work::new(&scene, &self.packing);
        let before = work.layout.uv.clone();
        let (layout, mut sentence) = work.changed(&self.change, progress)?;
        let mesh = layout.applied(&scene.mesh);
        if !scene.library.images.is_empty() && before != layout.uv {
            // A texture on other UVs than its own shows nonsense.
            scene.library = scene.library.without_textures();
            sentence += ". Its textures lay on the old UVs and are left off: bake them anew";
        }
        scene.mesh = mesh;
        let report = UvReport {
            sentence,
            seconds: started.elapsed().as_secs_f64(),
            ..examined(&scene, self.packing.sheet.size, self.packing.sheet.sheets)
        };
        if let Some(split) = &split {
            scene.mesh = split.joined(&scene.mesh);
        }
        progress.at(1.0)?;
        Ok((scene, report))
    }
}

/// The layout of a scene on `sheets` sheets, faces with different textures on different sheets.
pub(crate) fn layout_of(scene: &Scene, sheets: u32) -> Layout {
    let mut layout = Layout::of(&scene.mesh);
    layout.sheets = sheets;
    let textures = sets_of_textures(scene);
    layout.textures = vec![0; layout.island.len()];
    for run in &scene.mesh.runs {
        let set = run
            .material
            .and_then(|m| textures.get(m as usize))
            .copied()
            .unwrap_or(0);
        layout.textures[run.faces.start as usize..run.faces.end as usize].fill(set);
    }
    layout
}

/// The set of textures of each material: materials with the same pictures share one, and those without any do, unless they were
/// written as sheets of their own.
pub(crate) fn sets_of_textures(scene: &Scene) -> Vec<u32> {
    let mut known: Vec<([Option<usize>; 2], Option<u64>)> = Vec::new();
    (0..scene.library.materials.len() as u32)
        .map(|m| {
            let library = &scene.library;
            let pictures = [
                library.base_colour_image(m).map(|i| i.0),
                library.normal_image(m).map(|i| i.0),
            ];
            let sheet = &library.materials[m as usize]["extras"][sheets::SHEET];
            let key = (pictures, sheet.as_u64());
            let at = known.iter().position(|k| *k == key).unwrap_or_else(|| {
                known.push(key);
                known.len() - 1
            });
            at as u32
        })
        .collect()
}

/// Takes the UVs off a mesh, where they would be compared with others that have nothing to do with them.
pub(crate) fn strip(mesh: &mut Mesh) {
    mesh.uv_sets.clear();
    mesh.runs.iter_mut().for_each(|r| r.channels.uv_sets = 0);
}

/// A layout as it is, on `sheets` sheets of `size` texels side by side, in numbers.
pub fn examined(scene: &Scene, size: u32, sheets: u32) -> UvReport {
    let mesh = &scene.mesh;
    let layout = layout_of(scene, sheets);
    let islands = measure::islands(mesh, &layout);
    UvReport {
        numbers: measure::numbers(mesh, &layout, &islands, size),
        over_long: join::over_long(&layout, &islands, LONG),
        ..UvReport::default()
    }
}
