//! What is done to the UVs of a candidate: unwrapping, islands split and joined, texel density, packing, repairs.

pub mod change;
mod copies;
mod layouts;
pub mod packing;
mod painted;
pub mod sheet;
mod work;

use std::time::Instant;

use ectome_formats::Scene;
use ectome_mesh::{Mesh, Progress};
use ectome_uv::{
    join,
    measure::{self, Numbers},
    unwrap::Manner,
};
use serde::{Deserialize, Serialize};

pub use ectome_uv::unwrap::Ground;

use crate::{EngineError, triangles::Split};
pub use change::UvChange;
pub(crate) use layouts::{layout_of, sets_of_textures};
pub use packing::{IslandMove, Packing, Spot, Stacks};
use work::Work;

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
            change: change::Unwrap {
                manner,
                marks: Vec::new(),
                only: Vec::new(),
            }
            .into(),
            packing: Packing::default(),
        }
    }

    /// What it is called while it is made.
    pub fn title(&self) -> &'static str {
        self.change.title()
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
        let (layout, mut sentence) = self.change.made(work, progress)?;
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
