//! Tiers against their limits.

use ectome_compare::look::Look;
use serde::{Deserialize, Serialize};

use crate::{Brief, ErrorCurve, Judgement, Measured, Tier};

/// How a count stands against a limit.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Standing {
    /// Within the limit with room to spare.
    Pass,
    /// Within 5 % of the limit.
    Tight,
    /// Over the limit.
    Over,
}

impl Standing {
    /// The word in reports and rows.
    pub fn word(self) -> &'static str {
        match self {
            Self::Pass => "pass",
            Self::Tight => "tight",
            Self::Over => "over",
        }
    }
}

/// A count judged against a limit.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Verdict {
    /// Triangles found.
    pub triangles: usize,
    /// Triangles allowed.
    pub limit: usize,
    /// How they stand.
    pub standing: Standing,
}

impl Verdict {
    /// Judges a count.
    pub fn of(triangles: usize, limit: usize) -> Self {
        let standing = if triangles > limit {
            Standing::Over
        } else if triangles * 20 > limit * 19 {
            Standing::Tight
        } else {
            Standing::Pass
        };
        Self {
            triangles,
            limit,
            standing,
        }
    }

    /// True unless the count is over the limit.
    pub fn passes(&self) -> bool {
        self.standing != Standing::Over
    }

    /// How far under or over, in words.
    pub fn margin(&self) -> String {
        if self.triangles > self.limit {
            format!("{} over", self.triangles - self.limit)
        } else {
            format!("{} to spare", self.limit - self.triangles)
        }
    }
}

/// One tier of a chain as `chain.json` lists it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TierResult {
    /// Triangles made.
    pub triangles: usize,
    /// Triangles allowed.
    pub limit: usize,
    /// Largest deviation from the source, in metres.
    pub deviation_max_m: f64,
    /// Distance from which that is at most one pixel, in metres.
    pub switch_distance_m: f64,
    /// The verdict.
    pub verdict: Standing,
    /// Pixels the outline is off at the tier's nearest distance, where it was compared.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub outline_px: Option<f64>,
    /// How alike it looks as large as it is seen at that distance, where that was compared.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub look: Option<Look>,
    /// The verdict in words.
    #[serde(default)]
    pub says: String,
}

impl TierResult {
    /// Judges what fills tier `number` of a brief.
    pub fn of(brief: &Brief, number: usize, tier: &Tier, m: &Measured) -> Self {
        let judgement = Judgement::of(brief, number, tier, m);
        Self {
            triangles: m.triangles,
            limit: tier.triangles as usize,
            deviation_max_m: m.deviation_max_m,
            switch_distance_m: brief.switch_distance_m(m.deviation_max_m),
            verdict: judgement.standing,
            outline_px: judgement.outline_px,
            look: m.look(brief, tier),
            says: judgement.sentence(),
        }
    }
}

/// Limits that fall by a ratio (0–1): `first`, that times the ratio, … (halving is *common practice, no published
/// source*). Stops early where a tier would have fewer than 4 triangles or no fewer than the one before.
pub fn by_ratio(first: u32, ratio: f64, tiers: usize) -> Vec<u32> {
    let mut list: Vec<u32> = Vec::new();
    for n in 0..tiers {
        let limit = (f64::from(first) * ratio.powi(n as i32)).floor() as u32;
        if limit < 4 || list.last().is_some_and(|&last| limit >= last) {
            break;
        }
        list.push(limit);
    }
    list
}

/// A deviation that a tier may have, and the count that it is expected to take.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Permitted {
    /// Triangles that the brief allows the tier.
    pub limit: u32,
    /// The largest deviation, in metres.
    pub deviation_m: f64,
    /// Triangles that this is expected to take.
    pub expected: u32,
}

/// What each tier of a brief may deviate, where `pixels` are permitted on the screen at its nearest distance.
pub fn by_error(brief: &Brief, height_m: f64, curve: &ErrorCurve, pixels: f64) -> Vec<Permitted> {
    let tiers = brief.tiers.iter();
    tiers
        .map(|tier| {
            let deviation_m = pixels * brief.pixel_m(brief.nearest_m(tier, height_m));
            Permitted {
                limit: tier.triangles,
                deviation_m,
                expected: curve.needs(deviation_m),
            }
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[test]
    fn what_is_further_away_may_deviate_more_and_takes_less() {
        let brief = Brief::from_limits("b", &[8_000, 2_000]).unwrap();
        let curve = ErrorCurve::from(vec![(100_000, 1e-5), (10_000, 1e-3), (100, 0.1)]);
        let near = by_error(&brief, 1.0, &curve, 1.0);
        let loose = by_error(&brief, 1.0, &curve, 10.0);
        assert_eq!([near[0].limit, near[1].limit], [8_000, 2_000]);
        assert!(near[1].deviation_m >= near[0].deviation_m);
        for (n, l) in near.iter().zip(&loose) {
            assert!((l.deviation_m / n.deviation_m - 10.0).abs() < 1e-9);
            assert!(l.expected < n.expected);
            assert!(curve.error_m(n.expected) <= n.deviation_m);
        }
    }

    #[rstest]
    #[case(3_000, 3_000, Standing::Tight, "0 to spare")]
    #[case(2_851, 3_000, Standing::Tight, "149 to spare")]
    #[case(2_850, 3_000, Standing::Pass, "150 to spare")]
    #[case(3_042, 3_000, Standing::Over, "42 over")]
    fn a_limit_is_hard(
        #[case] triangles: usize,
        #[case] limit: usize,
        #[case] standing: Standing,
        #[case] margin: &str,
    ) {
        let verdict = Verdict::of(triangles, limit);
        assert_eq!(verdict.standing, standing);
        assert_eq!(verdict.margin(), margin);
    }

    #[test]
    fn tiers_halve() {
        assert_eq!(by_ratio(1_200, 0.5, 3), [1_200, 600, 300]);
        assert_eq!(by_ratio(10, 0.5, 3), [10, 5]);
        assert_eq!(by_ratio(1_000, 0.3, 3), [1_000, 300, 90]);
    }
}
