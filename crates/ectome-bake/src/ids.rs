//! Colours that are easy to tell apart.
//!
//! Each next colour is the one furthest from all before it, by CIEDE2000 (G. Sharma, W. Wu, E. N. Dalal, *The CIEDE2000
//! Color-Difference Formula*, 2005), among those that are neither nearly black nor nearly white. So a colour does not change
//! when parts are added behind it.

use ectome_texture::srgb;

/// Steps along each channel from which colours are chosen.
const STEPS: u32 = 14;
/// The first colour. Of the starts that were tried, on a grid of 8 steps a channel, the one after which 24 colours stand
/// furthest apart.
const FIRST: [u8; 3] = [72, 145, 218];
/// Lightness (CIELAB) that is allowed.
const LIGHTNESS: std::ops::RangeInclusive<f64> = 28.0..=90.0;

/// The first `n` colours, sRGB.
pub fn colours(n: usize) -> Vec<[u8; 3]> {
    let mut candidates = Vec::new();
    let step = |i: u32| (i * 255 / (STEPS - 1)) as u8;
    for r in 0..STEPS {
        for g in 0..STEPS {
            for b in 0..STEPS {
                let rgb = [step(r), step(g), step(b)];
                let lab = lab(rgb);
                if LIGHTNESS.contains(&lab[0]) {
                    candidates.push((rgb, lab));
                }
            }
        }
    }
    let mut nearest = vec![f64::INFINITY; candidates.len()];
    let wanted = lab(FIRST);
    let nearest_to_first = (0..candidates.len()).min_by(|&a, &b| {
        let off = |i: usize| ciede2000(candidates[i].1, wanted);
        off(a).total_cmp(&off(b))
    });
    let mut at = nearest_to_first.unwrap_or(0);
    let mut chosen = Vec::with_capacity(n);
    while chosen.len() < n {
        let (rgb, lab) = candidates[at];
        chosen.push(rgb);
        for (d, (_, other)) in nearest.iter_mut().zip(&candidates) {
            *d = d.min(ciede2000(lab, *other));
        }
        let furthest = (0..candidates.len())
            .max_by(|&a, &b| nearest[a].total_cmp(&nearest[b]).then(b.cmp(&a)));
        at = furthest.unwrap_or(0);
        // More than there are: they begin again.
        if nearest[at] <= 0.0 {
            nearest.fill(f64::INFINITY);
        }
    }
    chosen
}

/// CIELAB under D65 (CIE 15).
pub fn lab(rgb: [u8; 3]) -> [f64; 3] {
    let [r, g, b] = rgb.map(|v| f64::from(srgb::to_linear(f32::from(v) / 255.0)));
    let x = (0.412_456_4 * r + 0.357_576_1 * g + 0.180_437_5 * b) / 0.950_47;
    let y = 0.212_672_9 * r + 0.715_152_2 * g + 0.072_175_0 * b;
    let z = (0.019_333_9 * r + 0.119_192 * g + 0.950_304_1 * b) / 1.088_83;
    let f = |t: f64| {
        if t > 216.0 / 24_389.0 {
            t.cbrt()
        } else {
            (24_389.0 / 27.0 * t + 16.0) / 116.0
        }
    };
    let (x, y, z) = (f(x), f(y), f(z));
    [116.0 * y - 16.0, 500.0 * (x - y), 200.0 * (y - z)]
}

/// The difference of two colours in CIELAB.
pub fn ciede2000(one: [f64; 3], other: [f64; 3]) -> f64 {
    let [l1, a1, b1] = one;
    let [l2, a2, b2] = other;
    let seventh = |c: f64| {
        let c7 = c.powi(7);
        (c7 / (c7 + 25f64.powi(7))).sqrt()
    };
    let mean_c = (a1.hypot(b1) + a2.hypot(b2)) / 2.0;
    let g = 0.5 * (1.0 - seventh(mean_c));
    let (a1, a2) = (a1 * (1.0 + g), a2 * (1.0 + g));
    let (c1, c2) = (a1.hypot(b1), a2.hypot(b2));
    let hue = |a: f64, b: f64| match (a, b) {
        (0.0, 0.0) => 0.0,
        _ => b.atan2(a).to_degrees().rem_euclid(360.0),
    };
    let (h1, h2) = (hue(a1, b1), hue(a2, b2));
    let grey = c1 * c2 == 0.0;
    let turn = match h2 - h1 {
        _ if grey => 0.0,
        d if d > 180.0 => d - 360.0,
        d if d < -180.0 => d + 360.0,
        d => d,
    };
    let dl = l2 - l1;
    let dc = c2 - c1;
    let dh = 2.0 * (c1 * c2).sqrt() * (turn.to_radians() / 2.0).sin();
    let l = (l1 + l2) / 2.0;
    let c = (c1 + c2) / 2.0;
    let h = match h1 + h2 {
        sum if grey => sum,
        sum if (h1 - h2).abs() <= 180.0 => sum / 2.0,
        sum if sum < 360.0 => (sum + 360.0) / 2.0,
        sum => (sum - 360.0) / 2.0,
    };
    let cos = |degrees: f64| degrees.to_radians().cos();
    let t = 1.0 - 0.17 * cos(h - 30.0) + 0.24 * cos(2.0 * h) + 0.32 * cos(3.0 * h + 6.0)
        - 0.20 * cos(4.0 * h - 63.0);
    let turned = 30.0 * (-((h - 275.0) / 25.0).powi(2)).exp();
    let rc = 2.0 * seventh(c);
    let sl = 1.0 + 0.015 * (l - 50.0).powi(2) / (20.0 + (l - 50.0).powi(2)).sqrt();
    let sc = 1.0 + 0.045 * c;
    let sh = 1.0 + 0.015 * c * t;
    let rt = -(2.0 * turned).to_radians().sin() * rc;
    let (l, c, h) = (dl / sl, dc / sc, dh / sh);
    (l * l + c * c + h * h + rt * c * h).sqrt()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// Pairs of the test data of Sharma, Wu and Dalal, 2005, table 1 (from memory).
    #[rstest]
    #[case([50.0, 2.6772, -79.7751], [50.0, 0.0, -82.7485], 2.0425)]
    #[case([50.0, 0.0, 0.0], [50.0, -1.0, 2.0], 2.3669)]
    #[case([50.0, 2.5, 0.0], [73.0, 25.0, -18.0], 27.1492)]
    #[case([60.2574, -34.0099, 36.2677], [60.4626, -34.1751, 39.4387], 1.2644)]
    #[case([2.0776, 0.0795, -1.1350], [0.9033, -0.0636, -0.5514], 0.9082)]
    fn the_difference_is_that_of_the_published_pairs(
        #[case] one: [f64; 3],
        #[case] other: [f64; 3],
        #[case] want: f64,
    ) {
        assert!((ciede2000(one, other) - want).abs() < 1e-4);
        assert!((ciede2000(other, one) - want).abs() < 1e-4);
    }

    #[rstest]
    #[case(24, 20.0)]
    #[case(60, 12.0)]
    fn colours_stand_apart_and_stay(#[case] n: usize, #[case] least: f64) {
        let list = colours(n);
        let labs: Vec<_> = list.iter().map(|c| lab(*c)).collect();
        let pairs = (0..n).flat_map(|i| (0..i).map(move |j| (i, j)));
        let apart = pairs.map(|(i, j)| ciede2000(labs[i], labs[j]));
        let apart = apart.fold(f64::INFINITY, f64::min);
        assert!(apart >= least, "{apart}");
        assert_eq!(colours(n / 2), list[..n / 2]);
    }
}
