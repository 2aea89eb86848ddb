//! How much memory work is likely to take, so that each worker takes what fits into it.
//!
//! The figures are fitted to what docs/performance.md lists as peak memory and rounded up. They are estimates: reading stops
//! by itself at the budget it is given, and an analysis keeps to the triangles that the first pass leaves.

use ectome_reduce::LARGE;

/// What a process takes before it has read anything.
const BASE: u64 = 256 << 20;
/// Bytes for each byte of a source's files while it is read and inspected.
const FOR_A_BYTE: u64 = 12;
/// Bytes for each triangle of a source that is read, inspected and shown.
const TO_HOLD: u64 = 150;
/// Bytes for each triangle that is analysed at once.
const TO_ANALYSE: u64 = 480;

/// Bytes that reading and inspecting files of `bytes` altogether takes.
pub fn to_take_in(bytes: u64) -> u64 {
    BASE.saturating_add(bytes.saturating_mul(FOR_A_BYTE))
}

/// Bytes that a step on a source of `triangles` takes, whichever takes most.
pub fn to_work_on(triangles: usize) -> u64 {
    let analysed = triangles.min(LARGE) as u64;
    BASE + (analysed * TO_ANALYSE).max(triangles as u64 * TO_HOLD)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Peaks of docs/performance.md: source triangles, bytes measured.
    #[test]
    fn what_was_measured_fits_into_what_is_reckoned() {
        for (triangles, measured) in [(3_300_000, 1_570_000_000), (42_000_000, 6_100_000_000)] {
            let reckoned = to_work_on(triangles);
            assert!(
                (measured..2 * measured).contains(&reckoned),
                "{triangles}: {reckoned}"
            );
        }
        assert!(to_take_in(u64::MAX) == u64::MAX);
    }
}
