//! An island of a layout, as it is measured.

use glam::DVec2;

use crate::stretch::Stretch;

/// What is known of one island.
#[derive(Clone, Debug, PartialEq)]
pub struct Island {
    /// Its faces.
    pub faces: Vec<u32>,
    /// Area in space, in square metres.
    pub area_m2: f64,
    /// Widths of the sheet per metre.
    pub density: f64,
    /// How it is stretched.
    pub stretch: Stretch,
    /// Most of it faces away from the viewer.
    pub inside_out: bool,
    /// Its box on the sheet.
    pub low: DVec2,
    /// Its box on the sheet.
    pub high: DVec2,
    /// The sheet it lies on: that of its middle, or the nearest.
    pub sheet: i32,
    /// The set of textures it uses.
    pub textures: u32,
    /// The first island that lies where this one does (see [`stacks`](crate::stacks)).
    pub stack: u32,
    /// The part of its first face.
    pub part: u32,
}

impl Island {
    /// Where it lies: the sheet, and the set of textures that sheet is of.
    pub fn place(&self) -> (i32, u32) {
        (self.sheet, self.textures)
    }
}
