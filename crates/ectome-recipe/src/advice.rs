//! What is worth doing with a source, by what was found in it.

use crate::{FindingKind, Inspection};

/// Sources of which at least this share of the triangles pairs up to quads can lose edge loops.
const QUAD_SHARE: f64 = 0.8;

/// Where this share of the points stands beside another one, the surface is torn into patches.
const TORN: f64 = 0.02;

/// Merging flat areas is offered where it saves at least this share of the triangles.
const FLAT_SHARE: f64 = 0.005;

/// The share of the triangles that pairs up to quads (0–1), where there are enough of them to take edge loops out.
pub fn quad_share(i: &Inspection) -> Option<f64> {
    let share = 2.0 * i.quads_with_recovered as f64 / i.triangles.max(1) as f64;
    (share >= QUAD_SHARE).then_some(share)
}

/// Points that stand beside another one without being joined, where they are so many that a cut would tear the surface: it
/// moves the two sides of a tear apart.
pub fn torn(i: &Inspection) -> Option<usize> {
    let kind = FindingKind::CoincidentPoints;
    let close = i.findings.iter().find(|f| f.kind == kind)?;
    (close.count as f64 > TORN * i.points as f64).then_some(close.count)
}

/// Parts that are copies of another with its UVs, so that they can be cut once; `None` without any.
pub fn copies(i: &Inspection) -> Option<usize> {
    let alike = |same: &[bool]| same.iter().filter(|&&s| s).count().saturating_sub(1);
    let copies = i.repeats.iter().map(|r| alike(&r.same_uvs)).sum();
    (copies > 0).then_some(copies)
}

/// The share of `source` triangles that merging flat areas to `left` saves (0–1), where it is worth it.
pub fn flat_share(left: u64, source: u64) -> Option<f64> {
    let share = source.saturating_sub(left) as f64 / source.max(1) as f64;
    (share >= FLAT_SHARE).then_some(share)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::AdvisedFinding;

    #[test]
    fn advice_begins_at_its_thresholds() {
        let mut i = Inspection {
            triangles: 1000,
            points: 500,
            quads_with_recovered: 399,
            ..Inspection::default()
        };
        assert_eq!(quad_share(&i), None);
        i.quads_with_recovered = 400;
        assert_eq!(quad_share(&i), Some(0.8));
        assert_eq!(torn(&i), None);
        let close = |count| ectome_intake::diagnose::Finding {
            kind: FindingKind::CoincidentPoints,
            rank: 2,
            count,
            detail: String::new(),
        };
        i.findings = vec![AdvisedFinding::from(close(10))];
        assert_eq!(torn(&i), None);
        i.findings = vec![AdvisedFinding::from(close(11))];
        assert_eq!(torn(&i), Some(11));
        assert_eq!(flat_share(996, 1000), None);
        assert_eq!(flat_share(900, 1000), Some(0.1));
        assert_eq!(copies(&i), None);
    }
}
