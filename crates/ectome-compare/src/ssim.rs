//! How alike two pictures look.
//!
//! Z. Wang, A. C. Bovik, H. R. Sheikh, E. P. Simoncelli, *Image Quality Assessment: From Error Visibility to Structural
//! Similarity*, 2004: means, variances and covariance under a Gaussian window of σ = 1.5 and 11 × 11 pixels,
//! K₁ = 0.01, K₂ = 0.03, values from 0 to 1.

/// Half the window.
const REACH: usize = 5;
const SIGMA: f64 = 1.5;
const C1: f64 = 0.01 * 0.01;
const C2: f64 = 0.03 * 0.03;

/// A comparison of two grey pictures.
#[derive(Clone, Debug, PartialEq)]
pub struct Similarity {
    /// Mean over the pixels whose window lies inside the picture: 1 for equal pictures.
    pub mean: f64,
    /// The similarity of each pixel, rows from the top; at the border, the window is mirrored.
    pub map: Vec<f32>,
}

/// Compares two pictures of `width` pixels to the row, values 0–1; `None` when their sizes differ or are too small for a
/// window.
pub fn compare(a: &[f32], b: &[f32], width: usize) -> Option<Similarity> {
    let height = a.len().checked_div(width)?;
    let small = width <= 2 * REACH || height <= 2 * REACH;
    if a.len() != b.len() || a.len() != width * height || small {
        return None;
    }
    let kernel = kernel();
    let blur = |of: fn(f64, f64) -> f64| -> Vec<f64> {
        let pairs = a.iter().zip(b);
        let plain: Vec<f64> = pairs.map(|(&a, &b)| of(a.into(), b.into())).collect();
        blurred(&plain, width, height, &kernel)
    };
    let mean_a = blur(|a, _| a);
    let mean_b = blur(|_, b| b);
    let squares_a = blur(|a, _| a * a);
    let squares_b = blur(|_, b| b * b);
    let products = blur(|a, b| a * b);
    let map: Vec<f32> = (0..a.len())
        .map(|i| {
            let (ma, mb) = (mean_a[i], mean_b[i]);
            let (va, vb) = (squares_a[i] - ma * ma, squares_b[i] - mb * mb);
            let both = products[i] - ma * mb;
            let top = (2.0 * ma * mb + C1) * (2.0 * both + C2);
            let bottom = (ma * ma + mb * mb + C1) * (va + vb + C2);
            (top / bottom) as f32
        })
        .collect();
    let inside = (REACH..height - REACH).flat_map(|y| y * width + REACH..(y + 1) * width - REACH);
    let (mut sum, mut n) = (0.0, 0);
    for i in inside {
        sum += f64::from(map[i]);
        n += 1;
    }
    Some(Similarity {
        mean: sum / f64::from(n),
        map,
    })
}

fn kernel() -> [f64; 2 * REACH + 1] {
    let mut weights = std::array::from_fn(|i| {
        let x = i as f64 - REACH as f64;
        (-x * x / (2.0 * SIGMA * SIGMA)).exp()
    });
    let sum: f64 = weights.iter().sum();
    weights.iter_mut().for_each(|w| *w /= sum);
    weights
}

/// Rows, then columns, each under the same weights; whole rows are added at once, so that many pixels are summed together.
fn blurred(plain: &[f64], width: usize, height: usize, kernel: &[f64]) -> Vec<f64> {
    let mirrored = |i: isize, n: usize| -> usize {
        let i = if i < 0 { -i - 1 } else { i } as usize;
        if i >= n { 2 * n - 1 - i } else { i }
    };
    let add = |sums: &mut [f64], weight: f64, values: &[f64]| {
        for (sum, value) in sums.iter_mut().zip(values) {
            *sum += weight * value;
        }
    };
    let mut rows = vec![0.0; plain.len()];
    let mut wide = vec![0.0; width + 2 * REACH];
    for (row, sums) in plain.chunks_exact(width).zip(rows.chunks_exact_mut(width)) {
        for (x, value) in wide.iter_mut().enumerate() {
            *value = row[mirrored(x as isize - REACH as isize, width)];
        }
        for (k, &weight) in kernel.iter().enumerate() {
            add(sums, weight, &wide[k..]);
        }
    }
    let mut out = vec![0.0; plain.len()];
    for (y, sums) in out.chunks_exact_mut(width).enumerate() {
        for (k, &weight) in kernel.iter().enumerate() {
            let from = mirrored((y + k) as isize - REACH as isize, height);
            add(sums, weight, &rows[from * width..(from + 1) * width]);
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    const WIDTH: usize = 48;

    /// A pattern in whole steps of 1/255, so that any program draws the same.
    fn pattern(shift: usize) -> Vec<f32> {
        (0..WIDTH * 40)
            .map(|i| {
                let (x, y) = (i % WIDTH, i / WIDTH);
                ((x * x + 3 * y + (x * y) / 7 + shift * (x / 8)) % 256) as f32 / 255.0
            })
            .collect()
    }

    #[test]
    fn a_picture_is_like_itself() {
        let p = pattern(0);
        let s = compare(&p, &p, WIDTH).unwrap();
        assert!((s.mean - 1.0).abs() < 1e-12);
        assert!(compare(&p, &p[..WIDTH], WIDTH).is_none());
        assert!(compare(&p[..WIDTH], &p[..WIDTH], WIDTH).is_none());
    }

    const REF_SHIFT: f64 = 0.742_042_891_243;
    const REF_FAR: f64 = -0.137_876_642_125;
    const REF_DIM: f64 = 0.796_773_169_965;

    /// Reference: scikit-image 0.26.0, `structural_similarity(a, b, data_range=1, gaussian_weights=True, sigma=1.5,
    /// use_sample_covariance=False)` on the same patterns in double precision.
    #[test]
    fn similarity_equals_the_reference_library() {
        let plain = pattern(0);
        for (other, want) in [(pattern(5), REF_SHIFT), (pattern(40), REF_FAR)] {
            let s = compare(&plain, &other, WIDTH).unwrap();
            assert!((s.mean - want).abs() < 1e-6, "{} for {want}", s.mean);
        }
        let dim: Vec<f32> = plain.iter().map(|v| v * 0.5 + 0.2).collect();
        let s = compare(&plain, &dim, WIDTH).unwrap();
        assert!((s.mean - REF_DIM).abs() < 1e-6, "{}", s.mean);
    }
}
