//! What an analysis expects: the largest deviation against triangles.

use serde::{Deserialize, Serialize};

/// Expected largest deviations in metres at places along the counts, heaviest first.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct ErrorCurve(Vec<(u32, f32)>);

impl From<Vec<(u32, f32)>> for ErrorCurve {
    fn from(places: Vec<(u32, f32)>) -> Self {
        Self(places)
    }
}

impl ErrorCurve {
    /// The places, heaviest first.
    pub fn places(&self) -> &[(u32, f32)] {
        &self.0
    }

    /// Triangles of the source; 4 when nothing is known.
    pub fn source(&self) -> u32 {
        self.0.first().map_or(4, |c| c.0)
    }

    /// The fewest triangles that anything is known about, at least 4.
    pub fn least(&self) -> u32 {
        self.0.last().map_or(4, |c| c.0).max(4)
    }

    /// The expected deviation at `triangles`, in metres. Between two places it follows a power of the count, as deviation does
    /// on a smooth surface; from a place without deviation it grows with the logarithm of the count. Outside the places the
    /// nearest holds. `rule.js` has the same for the flag under the hand.
    pub fn error_m(&self, triangles: u32) -> f64 {
        let at = self.0.partition_point(|c| c.0 > triangles);
        let Some(&(n, e)) = self.0.get(at) else {
            return self.0.last().map_or(0.0, |c| f64::from(c.1));
        };
        let Some(&(m, d)) = at.checked_sub(1).and_then(|i| self.0.get(i)) else {
            return f64::from(e);
        };
        let log = |v: u32| f64::from(v.max(1)).ln();
        let t = (log(m) - log(triangles)) / (log(m) - log(n)).max(1e-12);
        let (d, e) = (f64::from(d), f64::from(e));
        if d > 0.0 && e > 0.0 {
            d * (e / d).powf(t)
        } else {
            d + (e - d) * t
        }
    }

    /// The fewest triangles whose expected deviation is at most `error_m`; the source where none is.
    pub fn needs(&self, error_m: f64) -> u32 {
        // Deviation grows as triangles go.
        let (mut fits, mut fails) = (self.source(), self.least());
        if self.error_m(fails) <= error_m {
            return fails;
        }
        while fits - fails > 1 {
            let middle = fails + (fits - fails) / 2;
            if self.error_m(middle) <= error_m {
                fits = middle
            } else {
                fails = middle
            }
        }
        fits
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_power_law_is_met_between_its_places() {
        let at = |n: u32| (n, 4.0 / n as f32);
        let curve = ErrorCurve::from([64_000, 8_000, 1_000, 40].map(at).to_vec());
        for n in [60_000, 20_000, 3_000, 999, 500, 41] {
            let off = curve.error_m(n) / (4.0 / f64::from(n));
            assert!((off - 1.0).abs() < 1e-6, "{n}: {off}");
        }
        // Beyond its ends the ends hold.
        assert_eq!(curve.error_m(4), curve.error_m(40));
        assert_eq!(curve.error_m(1_000_000), curve.error_m(64_000));
        assert_eq!(ErrorCurve::default().error_m(7), 0.0);
    }

    proptest! {
        #[test]
        fn what_is_needed_holds_and_one_less_does_not(error in 1e-5f64..0.1) {
            let curve = ErrorCurve::from(vec![(50_000, 0.0), (30_000, 1e-5), (700, 2e-3), (60, 0.05)]);
            let n = curve.needs(error);
            prop_assert!(curve.error_m(n) <= error);
            prop_assert!(n == 60 || curve.error_m(n - 1) > error);
        }
    }
}
