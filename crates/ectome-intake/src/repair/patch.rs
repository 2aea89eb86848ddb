//! A patch of well-shaped triangles over a ring of points.
//!
//! P. Liepa, *Filling Holes in Meshes*, 2003: the ring is triangulated so that the sharpest fold, then the area,
//! is least (dynamic programming); triangles are then divided until they are about as large as the ring's
//! sides, with sides flipped towards even angles; new points settle between their neighbours (the
//! membrane, L. Kobbelt et al., *Interactive Multi-Resolution Modeling*, 1998).

use std::collections::HashMap;

use glam::DVec3;

/// A filled ring: points `0..ring` are the ring's, the rest are new.
pub struct Patch {
    /// Points of the ring.
    pub ring: usize,
    /// All points.
    pub points: Vec<DVec3>,
    /// Triangles, in the direction of the ring.
    pub triangles: Vec<[u32; 3]>,
}

/// Rings longer than this are first divided at their narrowest place.
const LONGEST: usize = 96;
/// Rounds of dividing; each makes triangles a third as large.
const ROUNDS: usize = 12;
/// Most triangles of one patch.
const MOST: usize = 60_000;

impl Patch {
    /// Fills a ring of at least three points. `across[i]` is the unit normal of the face beyond the side from
    /// `i` to `i + 1`; `taken(i, j)` says that the mesh has an edge between these two already.
    pub fn over(ring: Vec<DVec3>, across: &[DVec3], taken: impl Fn(usize, usize) -> bool) -> Self {
        let n = ring.len();
        let mut patch = Self {
            ring: n,
            triangles: Vec::new(),
            points: ring,
        };
        let all: Vec<usize> = (0..n).collect();
        if !patch.fill(&all, across, &taken) {
            // Every inner side is taken: a point in the middle needs none of them.
            let middle = patch.points.iter().sum::<DVec3>() / n as f64;
            patch.points.push(middle);
            patch.triangles = (0..n)
                .map(|i| [i as u32, ((i + 1) % n) as u32, n as u32])
                .collect();
        }
        patch.divide();
        patch.settle();
        patch
    }

    fn fill(
        &mut self,
        ring: &[usize],
        across: &[DVec3],
        taken: &impl Fn(usize, usize) -> bool,
    ) -> bool {
        if ring.len() > LONGEST
            && let Some((i, j)) = self.narrowest(ring, taken)
        {
            let near = ring[i..=j].to_vec();
            let far = [&ring[j..], &ring[..=i]].concat();
            return self.fill(&near, across, taken) && self.fill(&far, across, taken);
        }
        self.least_fold(ring, across, taken)
    }

    /// The pair of ring places that is nearest beside the way around between them.
    fn narrowest(
        &self,
        ring: &[usize],
        taken: &impl Fn(usize, usize) -> bool,
    ) -> Option<(usize, usize)> {
        let n = ring.len();
        let step = (n / 400).max(1);
        let mut best: Option<(f64, usize, usize)> = None;
        for i in (0..n).step_by(step) {
            for j in (i + n / 4..n.min(i + 3 * n / 4)).step_by(step) {
                let d = self.points[ring[i]].distance(self.points[ring[j]]);
                if best.is_none_or(|b| d < b.0) && !taken(ring[i], ring[j]) {
                    best = Some((d, i, j));
                }
            }
        }
        best.map(|(_, i, j)| (i, j))
    }

    /// The triangulation with the least sharpest fold, then the least area.
    fn least_fold(
        &mut self,
        ring: &[usize],
        across: &[DVec3],
        taken: &impl Fn(usize, usize) -> bool,
    ) -> bool {
        let n = ring.len();
        let p = |i: usize| self.points[ring[i]];
        let normal = |i: usize, m: usize, j: usize| (p(m) - p(i)).cross(p(j) - p(i));
        let at = |i: usize, j: usize| i * n + j;
        // Sharpest fold and area below a side, and the corner of the triangle on it.
        let mut cost = vec![(0f64, 0f64); n * n];
        let mut middle = vec![usize::MAX; n * n];
        let beyond = |i: usize, j: usize, middle: &[usize]| match middle[at(i, j)] {
            // A side of the ring, or one along which this ring was divided.
            usize::MAX if ring[j] == (ring[i] + 1) % self.ring => Some(across[ring[i]]),
            usize::MAX => None,
            m => Some(normal(i, m, j).normalize_or_zero()),
        };
        let fold = |a: DVec3, b: Option<DVec3>| b.map_or(0.0, |b| 1.0 - a.dot(b));
        for length in 2..n {
            for i in 0..n - length {
                let j = i + length;
                let mut best = (f64::INFINITY, f64::INFINITY);
                let outer = length == n - 1;
                if outer || !taken(ring[i], ring[j]) {
                    for m in i + 1..j {
                        let (left, right) = (cost[at(i, m)], cost[at(m, j)]);
                        if left.0.is_infinite() || right.0.is_infinite() {
                            continue;
                        }
                        let area = normal(i, m, j);
                        let unit = area.normalize_or_zero();
                        let mut sharpest = left.0.max(right.0);
                        sharpest = sharpest
                            .max(fold(unit, beyond(i, m, &middle)))
                            .max(fold(unit, beyond(m, j, &middle)));
                        if outer && ring[i] == (ring[j] + 1) % self.ring {
                            sharpest = sharpest.max(fold(unit, Some(across[ring[j]])));
                        }
                        let found = (sharpest, left.1 + right.1 + area.length());
                        if found < best {
                            best = found;
                            middle[at(i, j)] = m;
                        }
                    }
                }
                cost[at(i, j)] = best;
            }
        }
        if cost[at(0, n - 1)].0.is_infinite() {
            return false;
        }
        let mut stack = vec![(0, n - 1)];
        while let Some((i, j)) = stack.pop() {
            if j > i + 1 {
                let m = middle[at(i, j)];
                self.triangles
                    .push([ring[i] as u32, ring[m] as u32, ring[j] as u32]);
                stack.extend([(i, m), (m, j)]);
            }
        }
        true
    }

    /// Puts points into triangles that are large beside the ring's sides.
    fn divide(&mut self) {
        let n = self.ring;
        let side = |i: usize| self.points[i].distance(self.points[(i + 1) % n]);
        let mut size: Vec<f64> = (0..n)
            .map(|i| 0.5 * (side(i) + side((i + n - 1) % n)))
            .collect();
        // A point added to close the ring has the ring's mean size.
        let mean = size.iter().sum::<f64>() / n as f64;
        size.resize(self.points.len(), mean);
        for _ in 0..ROUNDS {
            let mut any = false;
            for t in 0..self.triangles.len() {
                if self.triangles.len() > MOST {
                    return;
                }
                let [a, b, c] = self.triangles[t];
                let corners = [a, b, c].map(|i| i as usize);
                let centre = corners.iter().map(|&i| self.points[i]).sum::<DVec3>() / 3.0;
                let own = corners.iter().map(|&i| size[i]).sum::<f64>() / 3.0;
                let far = corners.iter().all(|&i| {
                    let d = std::f64::consts::SQRT_2 * centre.distance(self.points[i]);
                    d > own && d > size[i]
                });
                if far {
                    let m = self.points.len() as u32;
                    self.points.push(centre);
                    size.push(own);
                    self.triangles[t] = [a, b, m];
                    self.triangles.extend([[b, c, m], [c, a, m]]);
                    any = true;
                }
            }
            self.even_out();
            if !any {
                return;
            }
        }
    }

    /// Flips inner sides whose opposite angles sum to more than half a turn.
    fn even_out(&mut self) {
        for _ in 0..6 {
            let mut on_side: HashMap<[u32; 2], [usize; 2]> = HashMap::new();
            let mut first: HashMap<[u32; 2], usize> = HashMap::new();
            for (t, &[a, b, c]) in self.triangles.iter().enumerate() {
                for [x, y] in [[a, b], [b, c], [c, a]] {
                    let key = [x.min(y), x.max(y)];
                    match first.get(&key) {
                        Some(&s) => {
                            on_side.insert(key, [s, t]);
                        }
                        None => {
                            first.insert(key, t);
                        }
                    }
                }
            }
            let mut sides: Vec<([u32; 2], [usize; 2])> = on_side.into_iter().collect();
            sides.sort_unstable();
            let mut edges: std::collections::HashSet<[u32; 2]> = first.into_keys().collect();
            let mut touched = vec![false; self.triangles.len()];
            let mut any = false;
            for ([a, b], [s, t]) in sides {
                if touched[s] || touched[t] {
                    continue;
                }
                let Some(new) = self.better(a, b, s, t) else {
                    continue;
                };
                let [_, d, c] = new[0];
                // The other diagonal may stand already; between two ring points it may stand in the mesh.
                let ring = (c as usize) < self.ring && (d as usize) < self.ring;
                if ring || !edges.insert([c.min(d), c.max(d)]) {
                    continue;
                }
                edges.remove(&[a, b]);
                (self.triangles[s], self.triangles[t]) = (new[0], new[1]);
                touched[s] = true;
                touched[t] = true;
                any = true;
            }
            if !any {
                return;
            }
        }
    }

    fn better(&self, a: u32, b: u32, s: usize, t: usize) -> Option<[[u32; 3]; 2]> {
        let p = |i: u32| self.points[i as usize];
        let apex = |t: [u32; 3]| t.into_iter().find(|&i| i != a && i != b);
        let (c, d) = (apex(self.triangles[s])?, apex(self.triangles[t])?);
        let angle = |at: u32| (p(a) - p(at)).angle_between(p(b) - p(at));
        if angle(c) + angle(d) <= std::f64::consts::PI + 1e-6 || c == d {
            return None;
        }
        let tri = self.triangles[s];
        let forward = (0..3).any(|k| tri[k] == a && tri[(k + 1) % 3] == b);
        let (from, to) = if forward { (a, b) } else { (b, a) };
        let normal = |t: [u32; 3]| (p(t[1]) - p(t[0])).cross(p(t[2]) - p(t[0]));
        let up = normal(tri) + normal(self.triangles[t]);
        let new = [[from, d, c], [d, to, c]];
        new.iter().all(|t| normal(*t).dot(up) > 0.0).then_some(new)
    }

    /// Values at new points that lie between those of their neighbours; the ring's stay.
    pub fn spread<const N: usize>(&self, values: &mut Vec<[f64; N]>) {
        values.resize(self.points.len(), [0.0; N]);
        let neighbours = self.neighbours();
        // From the ring inwards first, so that settling has little left to do.
        let mean = |values: &[[f64; N]], around: &[u32]| {
            let mut sum = [0.0; N];
            for &j in around {
                (0..N).for_each(|k| sum[k] += values[j as usize][k]);
            }
            sum.map(|s| s / around.len().max(1) as f64)
        };
        let mut start = [0.0; N];
        for row in &values[..self.ring] {
            (0..N).for_each(|k| start[k] += row[k] / self.ring as f64);
        }
        values[self.ring..].fill(start);
        for _ in 0..400 {
            let mut most = 0f64;
            for i in self.ring..self.points.len() {
                let new = mean(values, &neighbours[i]);
                for k in 0..N {
                    most = most.max((new[k] - values[i][k]).abs());
                }
                values[i] = new;
            }
            if most < 1e-9 {
                break;
            }
        }
    }

    fn neighbours(&self) -> Vec<Vec<u32>> {
        let mut list = vec![Vec::new(); self.points.len()];
        for &[a, b, c] in &self.triangles {
            for (x, y) in [(a, b), (b, c), (c, a), (b, a), (c, b), (a, c)] {
                if !list[x as usize].contains(&y) {
                    list[x as usize].push(y);
                }
            }
        }
        list
    }

    fn settle(&mut self) {
        let mut rows: Vec<[f64; 3]> = self.points[..self.ring]
            .iter()
            .map(|p| p.to_array())
            .collect();
        self.spread(&mut rows);
        for (p, row) in self.points.iter_mut().zip(rows).skip(self.ring) {
            *p = DVec3::from_array(row);
        }
        self.even_out();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_flat_ring_is_filled_flat_and_whole() {
        let n = 40;
        let ring: Vec<DVec3> = (0..n)
            .map(|i| {
                let turn = std::f64::consts::TAU * f64::from(i) / f64::from(n);
                DVec3::new(turn.cos(), turn.sin(), 0.0)
            })
            .collect();
        let patch = Patch::over(ring, &[DVec3::Z; 40], |_, _| false);
        let area: f64 = patch
            .triangles
            .iter()
            .map(|t| {
                let [a, b, c] = t.map(|i| patch.points[i as usize]);
                0.5 * (b - a).cross(c - a).z
            })
            .inspect(|a| assert!(*a > 0.0))
            .sum();
        // A regular polygon of n corners on the unit circle: n/2 · sin(2π/n).
        assert!((area - 20.0 * (std::f64::consts::TAU / 40.0).sin()).abs() < 1e-9);
        // Euler: a disc of V points has 2V − 2 − ring triangles.
        assert_eq!(patch.triangles.len(), 2 * patch.points.len() - 2 - 40);
        assert!(
            patch.points.len() > 100,
            "divided to the size of the ring's sides"
        );
    }

    #[test]
    fn where_every_inner_side_is_taken_a_point_is_put_in_the_middle() {
        let ring = [[0., 0., 0.], [1., 0., 0.], [1., 1., 0.], [0., 1., 0.]].map(DVec3::from_array);
        let patch = Patch::over(ring.to_vec(), &[DVec3::Z; 4], |_, _| true);
        assert!(patch.points.len() > 4);
        assert!(patch.triangles.iter().all(|t| t.iter().any(|&i| i >= 4)));
    }
}
