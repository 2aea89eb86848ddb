//! Whether the borders of a map cross. A map of a disk in which no triangle is turned over and whose border does not
//! cross itself covers nothing twice.

use glam::DVec2;

/// True when no two of the segments cross properly. Segments that touch, or lie on each other, do not cross.
pub fn is_simple(segments: &[[DVec2; 2]]) -> bool {
    if segments.len() < 4 {
        return true;
    }
    let low = segments.iter().fold(DVec2::INFINITY, |m, s| m.min(s[0]).min(s[1]));
    let high = segments.iter().fold(DVec2::NEG_INFINITY, |m, s| m.max(s[0]).max(s[1]));
    let size = (high - low).max(DVec2::splat(1e-12));
    // Cells about as large as a segment is long.
    let mean = segments.iter().map(|s| s[0].distance(s[1])).sum::<f64>() / segments.len() as f64;
    let cells = |extent: f64| ((extent / mean.max(1e-12)) as usize).clamp(1, 512);
    let (nx, ny) = (cells(size.x), cells(size.y));
    let cell = |p: DVec2| {
        let at = (p - low) / size * DVec2::new(nx as f64, ny as f64);
        ((at.x as usize).min(nx - 1), (at.y as usize).min(ny - 1))
    };
    let mut filed = Vec::with_capacity(2 * segments.len());
    for (i, &[a, b]) in segments.iter().enumerate() {
        let ((x0, y0), (x1, y1)) = (cell(a.min(b)), cell(a.max(b)));
        for y in y0..=y1 {
            for x in x0..=x1 {
                filed.push(((y * nx + x) as u32, i as u32));
            }
        }
    }
    filed.sort_unstable();
    filed.chunk_by(|a, b| a.0 == b.0).all(|together| {
        together.iter().enumerate().all(|(k, &(_, i))| {
            together[k + 1..]
                .iter()
                .all(|&(_, j)| !cross(segments[i as usize], segments[j as usize]))
        })
    })
}

fn cross([a, b]: [DVec2; 2], [c, d]: [DVec2; 2]) -> bool {
    let apart = a.max(b).cmplt(c.min(d)).any() || c.max(d).cmplt(a.min(b)).any();
    if apart {
        return false;
    }
    // Below this a point counts as on the line.
    let least = 1e-7 * (b - a).length() * (d - c).length();
    let side = |p: DVec2, q: DVec2, r: DVec2| {
        let s = (q - p).perp_dot(r - p);
        if s.abs() <= least { 0.0 } else { s.signum() }
    };
    side(a, b, c) * side(a, b, d) < 0.0 && side(c, d, a) * side(c, d, b) < 0.0
}

#[cfg(test)]
mod tests {
    use super::*;

    fn outline(points: &[[f64; 2]]) -> Vec<[DVec2; 2]> {
        (0..points.len())
            .map(|i| [points[i], points[(i + 1) % points.len()]].map(DVec2::from_array))
            .collect()
    }

    #[test]
    fn a_bow_tie_crosses_and_a_square_does_not() {
        assert!(is_simple(&outline(&[[0., 0.], [1., 0.], [1., 1.], [0., 1.]])));
        assert!(!is_simple(&outline(&[[0., 0.], [1., 1.], [1., 0.], [0., 1.]])));
    }

    #[test]
    fn a_slit_whose_banks_lie_on_each_other_does_not_cross() {
        let slit = [[0., 0.], [2., 0.], [2., 2.], [1., 2.], [1., 1.], [1., 2.], [0., 2.]];
        assert!(is_simple(&outline(&slit)));
    }
}
