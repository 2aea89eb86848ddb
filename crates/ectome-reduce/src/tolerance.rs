//! Distances that count as none, in diagonals of the mesh.

/// A distance that counts as none, in diagonals.
pub(crate) const FLAT: f32 = 4e-7;
/// The same with what the attributes cost; what 32-bit UVs round off is below that, and a tenth of a texel
/// at 2048 above.
pub(crate) const EVEN: f32 = 1.5e-6;
/// How far a point may lie off a plane or a line and still count as on it, in diagonals: what rounding to 32 bits and a noise of
/// 1e-7 leave.
pub(crate) const OFF: f64 = 6e-7;
/// Of a distance that is permitted the share that a point may lie off at one step: steps that bend the same way grow fourfold from one
/// to the next, so all of them together come to 4/3 of the last.
const STEP: f64 = 0.7;

/// How far a point may lie off a plane or a line where `within` diagonals are permitted.
pub fn off(within: f64) -> f64 {
    OFF.max(STEP * within)
}
