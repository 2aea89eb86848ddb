//! Tiers against their limits.

use serde::{Deserialize, Serialize};

use crate::Brief;

/// How a count stands against a limit.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Standing {
    /// Within the limit with room to spare.
    Pass,
    /// Within 5 % of the limit.
    Tight,
    /// Over the limit.
    Over,
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
    /// The verdict on the count.
    pub verdict: Standing,
}

impl TierResult {
    /// Judges one tier.
    pub fn judge(brief: &Brief, limit: usize, triangles: usize, deviation_max_m: f64) -> Self {
        Self {
            triangles,
            limit,
            deviation_max_m,
            switch_distance_m: brief.switch_distance_m(deviation_max_m),
            verdict: Verdict::of(triangles, limit).standing,
        }
    }
}

/// Limits that halve: `first`, a half, a quarter … (*common practice, no published source*). Stops
/// early where a tier would have fewer than 4 triangles.
pub fn halved(first: u32, tiers: usize) -> Vec<u32> {
    (0..tiers.min(31))
        .map(|n| first >> n)
        .take_while(|&n| n >= 4)
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

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
        assert_eq!(halved(1_200, 3), [1_200, 600, 300]);
        assert_eq!(halved(10, 3), [10, 5]);
    }
}
