//! How islands are laid out on the sheet, and how a person moves them.

use ectome_uv::{layout::Placement, pack::Settings};
use glam::DVec2;
use serde::{Deserialize, Serialize};

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
    pub(super) fn is_sound(&self) -> bool {
        let near = |v: f64| v.abs() <= 64.0;
        self.by.into_iter().chain(self.about).all(near)
            && self.turn.abs() <= 3600.0
            && (0.05..=20.0).contains(&self.size)
    }

    /// What it does to a place of the sheet.
    pub(super) fn placement(&self) -> Placement {
        let turn = Placement::turned(self.turn.to_radians(), self.size);
        let about = DVec2::from_array(self.about);
        turn.moved(about - turn.of(about) + DVec2::from_array(self.by))
    }
}
