//! Fills what nothing covers from what lies around it, smoothly: averages are taken over ever larger squares, of what is covered
//! only, and handed down again to what is not (*pull and push*; S. J. Gortler, R. Grzeszczuk, R. Szeliski, M. F. Cohen, *The
//! Lumigraph*, 1996). So smaller copies of a map do not darken at the edges of its islands.

use rayon::prelude::*;

/// Texels that a thread takes at a time, at least.
const TOGETHER: usize = 1 << 14;

/// Gives every texel that is not `covered` a value; a picture without any covered texel stays as it is.
pub fn filled<const N: usize>(
    texels: &mut [[u16; N]],
    covered: &[bool],
    width: usize,
    height: usize,
) {
    if !covered.contains(&true) || !covered.contains(&false) {
        return;
    }
    // Down to one texel: the mean of what is covered, and whether anything is.
    let mut sizes = vec![(width, height)];
    let mut means: Vec<Vec<Option<[u16; N]>>> = vec![
        texels
            .par_iter()
            .zip(covered)
            .with_min_len(TOGETHER)
            .map(|(t, c)| c.then_some(*t))
            .collect(),
    ];
    while let Some(&(w, h)) = sizes.last()
        && (w > 1 || h > 1)
    {
        let fine = &means[means.len() - 1];
        let (half_w, half_h) = (w.div_ceil(2), h.div_ceil(2));
        let places = (0..half_w * half_h).into_par_iter();
        let coarse = places.with_min_len(TOGETHER).map(|i| {
            let (x, y) = (2 * (i % half_w), 2 * (i / half_w));
            let (mut sum, mut n) = ([0u32; N], 0u32);
            for (dx, dy) in [(0, 0), (1, 0), (0, 1), (1, 1)] {
                if x + dx < w
                    && y + dy < h
                    && let Some(t) = fine[(y + dy) * w + x + dx]
                {
                    (0..N).for_each(|k| sum[k] += u32::from(t[k]));
                    n += 1;
                }
            }
            (n > 0).then(|| sum.map(|s| ((s + n / 2) / n) as u16))
        });
        let coarse = coarse.collect();
        means.push(coarse);
        sizes.push((half_w, half_h));
    }
    // And up again: what is empty takes the mean of the four nearest above it, by their nearness.
    for level in (0..means.len() - 1).rev() {
        let (w, _) = sizes[level];
        let (half_w, half_h) = sizes[level + 1];
        let (fine, coarse) = means.split_at_mut(level + 1);
        let (fine, coarse) = (&mut fine[level], &coarse[0]);
        let rows = fine.par_chunks_mut(w).enumerate();
        let rows = rows.with_min_len(TOGETHER.div_ceil(w));
        rows.for_each(|(y, row)| {
            for (x, slot) in row.iter_mut().enumerate() {
                if slot.is_some() {
                    continue;
                }
                let near = |v: usize, most: usize| {
                    let beside = if v.is_multiple_of(2) {
                        v / 2
                    } else {
                        v / 2 + 2
                    };
                    (v / 2, beside.saturating_sub(1).min(most - 1))
                };
                let ((x0, x1), (y0, y1)) = (near(x, half_w), near(y, half_h));
                let (mut sum, mut weights) = ([0u32; N], 0u32);
                for (x, y, weight) in [(x0, y0, 9), (x1, y0, 3), (x0, y1, 3), (x1, y1, 1)] {
                    if let Some(t) = coarse[y * half_w + x] {
                        (0..N).for_each(|k| sum[k] += weight * u32::from(t[k]));
                        weights += weight;
                    }
                }
                if weights > 0 {
                    *slot = Some(sum.map(|s| ((s + weights / 2) / weights) as u16));
                }
            }
        });
    }
    (texels.par_iter_mut(), &means[0], covered)
        .into_par_iter()
        .with_min_len(TOGETHER)
        .for_each(|(texel, mean, covered)| {
            if let (false, Some(mean)) = (covered, mean) {
                *texel = *mean;
            }
        });
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn everything_is_filled_smoothly_and_what_was_there_stays() {
        let (w, h) = (37, 23);
        let covered: Vec<bool> = (0..w * h).map(|i| i % w < 3 || i % w >= w - 3).collect();
        let mut texels: Vec<[u16; 1]> = (0..w * h)
            .map(|i| match i % w {
                x if x < 3 => [1000],
                x if x >= w - 3 => [60_000],
                _ => [0],
            })
            .collect();
        filled(&mut texels, &covered, w, h);
        for y in 0..h {
            let row: Vec<u16> = (0..w).map(|x| texels[y * w + x][0]).collect();
            assert_eq!((row[0], row[w - 1]), (1000, 60_000));
            assert!(row.iter().all(|v| (1000..=60_000).contains(v)), "{row:?}");
            assert!(row[w / 2] > 10_000 && row[w / 2] < 50_000, "{row:?}");
        }
        let mut nothing = vec![[7u16]; 4];
        filled(&mut nothing, &[false; 4], 2, 2);
        assert_eq!(nothing, vec![[7]; 4]);
    }
}
