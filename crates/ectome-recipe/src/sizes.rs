//! The figures that repairs of a source begin with.

use crate::Inspection;

/// Figures that repairs of a source begin with, in metres (common practice, no published source).
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Sizes {
    /// How far apart points may be that are joined: a twenty-thousandth of the diagonal.
    pub weld_m: f32,
    /// The largest hole that is closed: a tenth.
    pub hole_m: f32,
    /// The largest loose piece that is dropped: a twentieth.
    pub floater_m: f32,
    /// The middle, where a plane that divides is put first.
    pub middle_m: [f32; 3],
    /// A little above the lowest, where a plane that clips the ground off is put first.
    pub low_m: f32,
}

impl Sizes {
    /// For a source of this size.
    pub fn of(inspection: &Inspection) -> Self {
        let [low, high] = inspection.bounds_m;
        let size: [f32; 3] = std::array::from_fn(|k| high[k] - low[k]);
        let diagonal = size.iter().map(|s| s * s).sum::<f32>().sqrt();
        Self {
            weld_m: diagonal * 5e-5,
            hole_m: diagonal * 0.1,
            floater_m: diagonal * 0.05,
            middle_m: std::array::from_fn(|k| 0.5 * (low[k] + high[k])),
            low_m: low[1] + 0.05 * size[1],
        }
    }
}
