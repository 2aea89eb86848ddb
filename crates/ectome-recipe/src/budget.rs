//! A budget of triangles shared among the assets of a scene.
//!
//! The largest error on the screen is made as small as it can be: for a permitted error e, every asset needs the
//! fewest triangles whose deviation covers at most e pixels at its distance; e is found by bisection so that all of them
//! together just fit. What an asset of n copies costs counts n times. Multi-object budgets by error instead of
//! by share go back to T. Funkhouser, C. Séquin, *Adaptive Display Algorithm for Interactive Frame Rates*, 1993.

use crate::ErrorCurve;

/// One asset of a scene.
#[derive(Clone, Debug, PartialEq)]
pub struct Member {
    /// Expected largest deviation in metres against triangles, heaviest first, as an analysis tells.
    pub curve: ErrorCurve,
    /// Metres that a pixel covers at the nearest distance the asset is seen from.
    pub pixel_m: f64,
    /// How often it stands in the scene.
    pub instances: u32,
}

/// Triangles for each member, and what they cost on screen.
#[derive(Clone, Debug, PartialEq)]
pub struct Share {
    /// Triangles for one copy of each member.
    pub triangles: Vec<u32>,
    /// The expected error of each, in pixels.
    pub pixels: Vec<f64>,
}

impl Share {
    fn of(members: &[Member], triangles: Vec<u32>) -> Self {
        Self {
            pixels: members
                .iter()
                .zip(&triangles)
                .map(|(m, &n)| m.error_m(n) / m.pixel_m)
                .collect(),
            triangles,
        }
    }

    /// The largest expected error, in pixels.
    pub fn worst_pixels(&self) -> f64 {
        self.pixels.iter().copied().fold(0.0, f64::max)
    }
}

impl Member {
    /// The expected deviation at `triangles`, in metres.
    pub fn error_m(&self, triangles: u32) -> f64 {
        self.curve.error_m(triangles)
    }
}

fn cost(members: &[Member], triangles: &[u32]) -> u64 {
    members
        .iter()
        .zip(triangles)
        .map(|(m, &n)| u64::from(m.instances) * u64::from(n))
        .sum()
}

/// Shares `budget` triangles so that the largest error on screen is least. `None` when not even the least of every
/// member fits.
pub fn share(members: &[Member], budget: u64) -> Option<Share> {
    let at = |pixels: f64| -> Vec<u32> {
        members
            .iter()
            .map(|m| m.curve.needs(pixels * m.pixel_m))
            .collect()
    };
    let least: Vec<u32> = members.iter().map(|m| m.curve.least()).collect();
    if members.is_empty() || cost(members, &least) > budget {
        return None;
    }
    let mut best = least.clone();
    let mut high = Share::of(members, least).worst_pixels();
    let mut low = 0.0;
    for _ in 0..60 {
        let middle = (low + high) / 2.0;
        let triangles = at(middle);
        if cost(members, &triangles) <= budget {
            best = triangles;
            high = middle;
        } else {
            low = middle;
        }
    }
    spend(members, &mut best, budget);
    Some(Share::of(members, best))
}

/// What is left over goes to those with the largest error, as long as it buys anything.
fn spend(members: &[Member], triangles: &mut [u32], budget: u64) {
    let mut order: Vec<usize> = (0..members.len()).collect();
    let pixels = Share::of(members, triangles.to_vec()).pixels;
    order.sort_by(|&a, &b| pixels[b].total_cmp(&pixels[a]).then(a.cmp(&b)));
    for i in order {
        let left = budget - cost(members, triangles);
        let room = (left / u64::from(members[i].instances.max(1))) as u32;
        triangles[i] = (triangles[i] + room).min(members[i].curve.source());
    }
}

/// Shares `budget` in proportion to the triangles of the sources, for comparison.
pub fn pro_rata(members: &[Member], budget: u64) -> Share {
    let sources: Vec<u32> = members.iter().map(|m| m.curve.source()).collect();
    let all = cost(members, &sources).max(1);
    let triangles = sources
        .iter()
        .map(|&n| ((u64::from(n) as f64 * budget as f64 / all as f64) as u32).clamp(4, n))
        .collect();
    Share::of(members, triangles)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Error in inverse proportion to triangles, as on smooth surfaces.
    fn smooth(source: u32, scale: f32, pixel_m: f64, instances: u32) -> Member {
        let mut curve = vec![(source, 0.0)];
        let mut n = source;
        while n > 8 {
            n = n * 4 / 5;
            curve.push((n, scale / n as f32));
        }
        Member {
            curve: curve.into(),
            pixel_m,
            instances,
        }
    }

    #[test]
    fn equal_assets_share_equally() {
        let m = smooth(10_000, 1.0, 0.001, 1);
        let s = share(&[m.clone(), m], 2_000).unwrap();
        assert_eq!(s.triangles, [1_000, 1_000]);
    }

    /// Closed form: with errors a/n and b/n in pixels, equal errors share a budget in the proportion a : b.
    #[test]
    fn what_is_seen_larger_gets_more() {
        let near = smooth(40_000, 1.0, 0.001, 1);
        let far = smooth(40_000, 1.0, 0.004, 1);
        let s = share(&[near, far], 5_000).unwrap();
        assert!(
            (f64::from(s.triangles[0]) / 4_000.0 - 1.0).abs() < 0.02,
            "{s:?}"
        );
        assert!(
            (f64::from(s.triangles[1]) / 1_000.0 - 1.0).abs() < 0.02,
            "{s:?}"
        );
        assert!((s.pixels[0] / s.pixels[1] - 1.0).abs() < 0.02);
    }

    #[test]
    fn a_budget_below_the_least_is_refused() {
        assert_eq!(share(&[smooth(1_000, 1.0, 0.001, 100)], 300), None);
        assert_eq!(share(&[], 300), None);
    }

    proptest! {
        #[test]
        fn never_over_and_never_worse_than_pro_rata(
            list in prop::collection::vec((1_000u32..200_000, 0.01f32..10.0, 1e-4f64..1e-2, 1u32..9), 1..15),
            budget in 2_000u64..400_000,
        ) {
            let members: Vec<Member> = list.iter().map(|&(n, s, p, i)| smooth(n, s, p, i)).collect();
            let Some(s) = share(&members, budget) else { return Ok(()) };
            prop_assert!(cost(&members, &s.triangles) <= budget);
            let plain = pro_rata(&members, budget);
            if cost(&members, &plain.triangles) <= budget {
                prop_assert!(s.worst_pixels() <= plain.worst_pixels() * (1.0 + 1e-6));
            }
            for (m, &n) in members.iter().zip(&s.triangles) {
                prop_assert!(n <= m.curve.source());
            }
        }
    }
}
