//! How alike two pictures of one view look: their colours where both show something, and what one covers and the other does not.

use serde::{Deserialize, Serialize};

use crate::colour::Lab;

/// A pixel counts as covered from this on, of 255.
const COVERED: u8 = 128;

/// How alike two surfaces look from several sides.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Look {
    /// Mean difference of colour over all pixels that both cover (CIEDE2000).
    pub colour_mean: f64,
    /// Mean of the twentieth of these that differ most.
    pub colour_worst: f64,
    /// Pixels that one covers and the other does not, as a share of what the first covers.
    pub coverage_off: f64,
    /// The view, by its number, whose colours differ most.
    pub worst_view: usize,
}

impl Look {
    /// Compares pictures of a source with those of a result, view by view: sRGB, and coverage in the fourth byte.
    pub fn of(views: &[[&[[u8; 4]]; 2]]) -> Self {
        let mut all: Vec<f32> = Vec::new();
        let (mut first, mut apart) = (0.0, 0.0);
        let mut worst = (0.0, 0);
        for (number, [source, result]) in views.iter().enumerate() {
            let start = all.len();
            for (a, b) in source.iter().zip(*result) {
                first += f64::from(a[3]);
                apart += f64::from(a[3].abs_diff(b[3]));
                if a[3] >= COVERED && b[3] >= COVERED {
                    all.push(difference(*a, *b) as f32);
                }
            }
            let own = &all[start..];
            let mean = own.iter().map(|d| f64::from(*d)).sum::<f64>() / own.len().max(1) as f64;
            if mean > worst.0 {
                worst = (mean, number);
            }
        }
        let mean = |list: &[f32]| {
            list.iter().map(|d| f64::from(*d)).sum::<f64>() / list.len().max(1) as f64
        };
        let colour_mean = mean(&all);
        let twentieth = all.len().div_ceil(20);
        if twentieth > 0 {
            all.select_nth_unstable_by(twentieth - 1, |a, b| b.total_cmp(a));
        }
        Self {
            colour_mean,
            colour_worst: mean(&all[..twentieth]),
            coverage_off: if first > 0.0 { apart / first } else { 0.0 },
            worst_view: worst.1,
        }
    }
}

fn difference(a: [u8; 4], b: [u8; 4]) -> f64 {
    if a[..3] == b[..3] {
        return 0.0;
    }
    let lab = |p: [u8; 4]| Lab::of_srgb([p[0], p[1], p[2]]);
    lab(a).difference(lab(b))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Of a hundred pixels ten are another colour, and ten are clear in the result.
    #[test]
    fn colours_and_coverage_are_counted_apart() {
        let source = vec![[200, 100, 50, 255]; 100];
        let mut result = source.clone();
        result[..10].fill([100, 200, 50, 255]);
        result[90..].fill([0, 0, 0, 0]);
        let look = Look::of(&[[&source, &source], [&source, &result]]);
        let off = difference(source[0], result[0]);
        assert!(off > 20.0);
        assert!((look.colour_mean - off * 10.0 / 190.0).abs() < 1e-4);
        // A twentieth of 190 is 10: all that differ.
        assert!((look.colour_worst - off).abs() < 1e-4);
        assert!((look.coverage_off - 0.05).abs() < 1e-9);
        assert_eq!(look.worst_view, 1);
    }

    #[test]
    fn nothing_is_like_nothing() {
        let clear = [[0; 4]; 4];
        assert_eq!(Look::of(&[[&clear, &clear]]), Look::default());
        assert_eq!(Look::of(&[]), Look::default());
    }
}
