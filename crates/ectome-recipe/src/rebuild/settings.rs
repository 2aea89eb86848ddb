//! How a source is rebuilt.

use ectome_formats::Scene;
use ectome_intake::parts::arrange;
use ectome_mesh::{Fate, Mesh, Progress, measure};
use ectome_rebuild::Settings;
use serde::{Deserialize, Serialize};

use crate::{Change, EngineError, Plane, change, triangles::triangulated};

/// Cells along a source's diagonal where nobody names a size: .28 % each.
const CELLS: f64 = 360.0;
/// Triangles of a skin for each that is left of it afterwards: with fewer the cut has too little to choose from, with more it gains
/// nothing that shows (6 000 of 230 000 are .012 % off, as good as of the union itself).
const FOR_EACH: f64 = 30.0;
/// The same of a source of at most so many triangles, whose skin takes seconds all the same: a kit-bash of 66 000 cut to 6 000 by way of its
/// skin is 1.26 × as far off as its exact union cut to as many with 30 for each, 1.19 × with 60, 1.17 × with 90.
const FOR_EACH_OF_LIGHT: f64 = 60.0;
const LIGHT: usize = 500_000;
/// The finest and the coarsest detail that a target asks for, as parts of the diagonal.
const FINEST: f64 = 700.0;
const COARSEST: f64 = 120.0;
/// The thickness of sheets where nobody names one, in cells.
const SHEET: f64 = 0.9;

/// How a source is rebuilt. Lengths in millimetres.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct RebuildSettings {
    /// The smallest detail; none for a 360th of the diagonal, or what `for_triangles` needs.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub detail_mm: Option<f64>,
    /// So many triangles will be left of the skin; where no detail is named, it is made as fine as that needs.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub for_triangles: Option<u32>,
    /// The thickness of open sheets; none for .9 of the detail, 0 to leave them out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub sheets_mm: Option<f64>,
    /// Openings up to this are closed, a piece with a wider one is a sheet; none to close all.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub openings_mm: Option<f64>,
    /// Gaps between pieces up to this are closed.
    pub gaps_mm: f64,
    /// Hollows that nothing outside sees stay.
    pub keep_hollows: bool,
    /// What lies behind this plane is left out, and the outline on it closed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub above: Option<Plane>,
    /// The parts it lies over, by number; none for all that are built.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub parts: Option<Vec<u32>>,
}

impl RebuildSettings {
    /// The size of a cell for a mesh, in metres.
    pub(super) fn cell(&self, mesh: &Mesh) -> f64 {
        let diagonal = f64::from(measure::bounds(mesh).diagonal());
        match (self.detail_mm, self.for_triangles) {
            (Some(mm), _) => mm / 1e3,
            (None, None) => diagonal / CELLS,
            // Two triangles to the face of a cell.
            (None, Some(n)) => {
                let for_each = if mesh.triangle_count() <= LIGHT {
                    FOR_EACH_OF_LIGHT
                } else {
                    FOR_EACH
                };
                let faces = for_each / 2.0 * f64::from(n.max(4));
                let cell = (measure::area(mesh) / faces).sqrt();
                cell.clamp(diagonal / FINEST, diagonal / COARSEST)
            }
        }
    }

    /// As the kernel takes them.
    pub(super) fn kernel(&self, cell: f64) -> Settings {
        let metres = |mm: f64| (mm / 1e3) as f32;
        Settings {
            sheet_m: self.sheets_mm.map_or((SHEET * cell) as f32, metres),
            openings_m: self.openings_mm.map_or(f32::INFINITY, metres),
            gaps_m: metres(self.gaps_mm),
            fill_hollows: !self.keep_hollows,
            ..Settings::with_cell(cell as f32)
        }
    }

    /// The source as the skin sees it: only its parts, in triangles, cut off at the plane.
    pub(super) fn ground(
        &self,
        mut scene: Scene,
        progress: &Progress,
    ) -> Result<Scene, EngineError> {
        if let Some(parts) = &self.parts {
            let wanted = |p: usize| parts.contains(&(p as u32));
            let held = scene.mesh.triangles_per_part();
            if !(0..held.len()).any(|p| wanted(p) && held[p] > 0) {
                return Err(EngineError::NothingBuilt);
            }
            for (p, part) in scene.mesh.parts.iter_mut().enumerate() {
                part.fate = if wanted(p) { Fate::Build } else { Fate::Omit };
            }
            scene.mesh = arrange::only_built(&scene.mesh);
        }
        let scene = triangulated(scene, progress)?;
        match self.above {
            None => Ok(scene),
            Some(plane) => {
                let clip = Change::Clip(change::Clip { plane, cap: true });
                clip.check()?;
                Ok(triangulated(clip.apply(scene, progress)?.0, progress)?)
            }
        }
    }
}
