//! Colours that are easy to tell apart.
//!
//! Each next colour is the one furthest from all before it, by CIEDE2000 (G. Sharma, W. Wu, E. N. Dalal, *The CIEDE2000
//! Color-Difference Formula*, 2005), among those that are neither nearly black nor nearly white. So a colour does not change
//! when parts are added behind it.

use ectome_texture::colour::Lab;

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
                let lab = Lab::of_srgb(rgb);
                if LIGHTNESS.contains(&lab.l) {
                    candidates.push((rgb, lab));
                }
            }
        }
    }
    let mut nearest = vec![f64::INFINITY; candidates.len()];
    let wanted = Lab::of_srgb(FIRST);
    let nearest_to_first = (0..candidates.len()).min_by(|&a, &b| {
        let off = |i: usize| candidates[i].1.difference(wanted);
        off(a).total_cmp(&off(b))
    });
    let mut at = nearest_to_first.unwrap_or(0);
    let mut chosen = Vec::with_capacity(n);
    while chosen.len() < n {
        let (rgb, lab) = candidates[at];
        chosen.push(rgb);
        for (d, (_, other)) in nearest.iter_mut().zip(&candidates) {
            *d = d.min(lab.difference(*other));
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

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(24, 20.0)]
    #[case(60, 12.0)]
    fn colours_stand_apart_and_stay(#[case] n: usize, #[case] least: f64) {
        let list = colours(n);
        let labs: Vec<_> = list.iter().map(|c| Lab::of_srgb(*c)).collect();
        let pairs = (0..n).flat_map(|i| (0..i).map(move |j| (i, j)));
        let apart = pairs.map(|(i, j)| labs[i].difference(labs[j]));
        let apart = apart.fold(f64::INFINITY, f64::min);
        assert!(apart >= least, "{apart}");
        assert_eq!(colours(n / 2), list[..n / 2]);
    }
}
