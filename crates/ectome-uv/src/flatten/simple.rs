//! Whether a map covers something twice. One of a disk in which no triangle is turned over covers nothing twice when its
//! border does not cross itself. Where borders lie exactly on each other, as those of straight strips do, crossing cannot
//! be told; there a place beside the border lies in a triangle that is not its own.

use glam::DVec2;

/// True when no two of the segments cross properly. Segments that touch, or lie on each other, do not cross.
pub fn is_simple(segments: &[[DVec2; 2]]) -> bool {
    if segments.len() < 4 {
        return true;
    }
    let low = segments
        .iter()
        .fold(DVec2::INFINITY, |m, s| m.min(s[0]).min(s[1]));
    let high = segments
        .iter()
        .fold(DVec2::NEG_INFINITY, |m, s| m.max(s[0]).max(s[1]));
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

/// True when a place just inside a border lies in another triangle too. `borders` names the triangle of each side and where
/// it leaves from.
pub fn is_covered_twice(
    corners: &[[u32; 3]],
    at: &[DVec2],
    borders: impl Iterator<Item = (u32, u32)>,
) -> bool {
    let of = |t: u32| corners[t as usize].map(|v| at[v as usize]);
    let low = at.iter().fold(DVec2::INFINITY, |m, &p| m.min(p));
    let high = at.iter().fold(DVec2::NEG_INFINITY, |m, &p| m.max(p));
    let n = ((corners.len() as f64).sqrt() as usize).clamp(1, 256);
    let size = (high - low).max(DVec2::splat(1e-12));
    let cell = |p: DVec2| {
        let q = (p - low) / size * n as f64;
        ((q.x as usize).min(n - 1), (q.y as usize).min(n - 1))
    };
    let mut filed = Vec::with_capacity(2 * corners.len());
    for t in 0..corners.len() as u32 {
        let [a, b, c] = of(t);
        let ((x0, y0), (x1, y1)) = (cell(a.min(b).min(c)), cell(a.max(b).max(c)));
        for y in y0..=y1 {
            filed.extend((x0..=x1).map(|x| ((y * n + x) as u32, t)));
        }
    }
    filed.sort_unstable();
    for (t, k) in borders {
        let own = of(t);
        let middle = 0.5 * (own[k as usize] + own[(k as usize + 1) % 3]);
        let place = middle + 0.02 * ((own[0] + own[1] + own[2]) / 3.0 - middle);
        let (x, y) = cell(place);
        let key = (y * n + x) as u32;
        let first = filed.partition_point(|f| f.0 < key);
        let hit = filed[first..]
            .iter()
            .take_while(|f| f.0 == key)
            .any(|&(_, other)| other != t && contains(of(other), place));
        if hit {
            return true;
        }
    }
    false
}

fn contains([a, b, c]: [DVec2; 3], p: DVec2) -> bool {
    let whole = (b - a).perp_dot(c - a);
    let least = 1e-6 * whole;
    [(a, b), (b, c), (c, a)]
        .into_iter()
        .all(|(q, r)| (r - q).perp_dot(p - q) > least)
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
        assert!(is_simple(&outline(&[
            [0., 0.],
            [1., 0.],
            [1., 1.],
            [0., 1.]
        ])));
        assert!(!is_simple(&outline(&[
            [0., 0.],
            [1., 1.],
            [1., 0.],
            [0., 1.]
        ])));
    }

    /// Two strips of equal width, one half on the other: their borders lie on each other and nowhere cross.
    #[test]
    fn strips_on_each_other_are_found() {
        let at: Vec<DVec2> = [
            [0., 0.],
            [2., 0.],
            [2., 1.],
            [0., 1.],
            [1., 0.],
            [3., 0.],
            [3., 1.],
            [1., 1.],
        ]
        .map(DVec2::from_array)
        .to_vec();
        let strips = [[0, 1, 2], [0, 2, 3], [4, 5, 6], [4, 6, 7]];
        let sides = || {
            [
                (0, 0),
                (0, 1),
                (1, 1),
                (1, 2),
                (2, 0),
                (2, 1),
                (3, 1),
                (3, 2),
            ]
            .into_iter()
        };
        assert!(is_covered_twice(&strips, &at, sides()));
        let apart: Vec<DVec2> = at
            .iter()
            .enumerate()
            .map(|(i, p)| if i < 4 { *p } else { *p + DVec2::X })
            .collect();
        assert!(!is_covered_twice(&strips, &apart, sides()));
    }

    #[test]
    fn a_slit_whose_banks_lie_on_each_other_does_not_cross() {
        let slit = [
            [0., 0.],
            [2., 0.],
            [2., 2.],
            [1., 2.],
            [1., 1.],
            [1., 2.],
            [0., 2.],
        ];
        assert!(is_simple(&outline(&slit)));
    }
}
