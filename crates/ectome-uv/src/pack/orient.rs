//! How an island is turned before it is packed.

use glam::DVec2;

/// The hull of places, counter-clockwise (A. M. Andrew, 1979).
pub fn hull(mut points: Vec<DVec2>) -> Vec<DVec2> {
    points.sort_unstable_by(|a, b| a.x.total_cmp(&b.x).then(a.y.total_cmp(&b.y)));
    points.dedup();
    if points.len() < 3 {
        return points;
    }
    let mut hull: Vec<DVec2> = Vec::new();
    for pass in 0..2 {
        let start = hull.len();
        for i in 0..points.len() {
            let p = if pass == 0 {
                points[i]
            } else {
                points[points.len() - 1 - i]
            };
            while hull.len() >= start + 2 {
                let (a, b) = (hull[hull.len() - 2], hull[hull.len() - 1]);
                if (b - a).perp_dot(p - a) > 0.0 {
                    break;
                }
                hull.pop();
            }
            hull.push(p);
        }
        hull.pop();
    }
    hull
}

/// The turn, in radians, after which the box around places is least, its long side along x. One side of that box lies on
/// the hull (H. Freeman, R. Shapira, 1975).
pub fn least_box(points: Vec<DVec2>) -> f64 {
    least(points).0
}

/// The sides of that box, the long one first.
pub fn least_box_size(points: Vec<DVec2>) -> DVec2 {
    least(points).1
}

fn least(points: Vec<DVec2>) -> (f64, DVec2) {
    let hull = hull(points);
    if hull.len() < 2 {
        return (0.0, DVec2::ZERO);
    }
    let mut best = (f64::INFINITY, 0.0, DVec2::ZERO);
    for i in 0..hull.len() {
        let along = (hull[(i + 1) % hull.len()] - hull[i]).normalize_or_zero();
        if along == DVec2::ZERO {
            continue;
        }
        let size = extent(&hull, along);
        let area = size.x * size.y;
        if area < best.0 * (1.0 - 1e-9) {
            let turn = -along.to_angle();
            let upright = if size.x >= size.y {
                turn
            } else {
                turn + std::f64::consts::FRAC_PI_2
            };
            best = (
                area,
                upright,
                DVec2::new(size.max_element(), size.min_element()),
            );
        }
    }
    (best.1, best.2)
}

fn extent(points: &[DVec2], along: DVec2) -> DVec2 {
    let (mut low, mut high) = (DVec2::INFINITY, DVec2::NEG_INFINITY);
    for p in points {
        let q = DVec2::new(p.dot(along), along.perp_dot(*p));
        low = low.min(q);
        high = high.max(q);
    }
    high - low
}

/// The turn after which the straight sides of an outline run along the axes: the mean of their directions up to quarter
/// turns, longer sides more (directions times four, as angles on a circle). `None` for outlines without a preferred
/// direction.
pub fn straight(segments: &[[DVec2; 2]]) -> Option<f64> {
    let (mut sum, mut length) = (DVec2::ZERO, 0.0);
    for [a, b] in segments {
        let d = *b - *a;
        let l = d.length();
        if l > 0.0 {
            sum += DVec2::from_angle(4.0 * d.to_angle()) * l;
            length += l;
        }
    }
    (sum.length() > 0.4 * length && length > 0.0).then(|| -sum.to_angle() / 4.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn rectangle(turn: f64) -> Vec<DVec2> {
        [[0., 0.], [1., 0.], [1., 4.], [0., 4.]]
            .map(|p| DVec2::from_angle(turn).rotate(DVec2::from_array(p)))
            .to_vec()
    }

    #[test]
    fn a_turned_rectangle_is_laid_along_x() {
        for turn in [0.0, 0.3, 1.2, 2.9] {
            let points = rectangle(turn);
            let back = DVec2::from_angle(least_box(points.clone()));
            let laid: Vec<DVec2> = points.iter().map(|&p| back.rotate(p)).collect();
            let size = extent(&laid, DVec2::X);
            assert!(
                (size - DVec2::new(4.0, 1.0)).length() < 1e-9,
                "{turn}: {size}"
            );
        }
    }

    #[test]
    fn straight_sides_run_along_the_axes() {
        let points = rectangle(0.3);
        let sides: Vec<[DVec2; 2]> = (0..4).map(|i| [points[i], points[(i + 1) % 4]]).collect();
        let turn = straight(&sides).unwrap();
        assert!(
            (turn + 0.3).abs() < 1e-9 || (turn + 0.3).abs() % std::f64::consts::FRAC_PI_2 < 1e-9
        );
        let circle: Vec<[DVec2; 2]> = (0..60)
            .map(|i| {
                [i, i + 1].map(|k| DVec2::from_angle(f64::from(k) * std::f64::consts::TAU / 60.0))
            })
            .collect();
        assert_eq!(straight(&circle), None);
    }
}
