//! The first stretch: many collapses at a time while the mesh is large.
//!
//! The best edge of every point is found on all cores, the cheap share of them is collapsed where it lies
//! in memory, and so on. Within a pass an edge counts only as long as neither end has changed, so costs
//! are never stale.

use ectome_mesh::{Cancelled, Progress};
use rayon::prelude::*;

use crate::{
    analysis::{Analysis, Tried, Waiting},
    free::Which,
    guard::Guard,
    piece::renumber,
    plan::{Plan, plan},
    state::{NONE, State},
};

/// How far passes go.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Limits {
    /// They stop at so many triangles…
    pub triangles: usize,
    /// …and before any collapse that costs more than this.
    pub cost: f32,
}

/// Passes go on until this share of the triangles is left…
const PASSES_UNTIL: f64 = 0.08;
/// …but never below this count: small meshes take every edge in order.
const PASSES_LEAVE: usize = 40_000;
/// The share of the best edges that a pass may collapse.
const PASS_SHARE: f64 = 0.4;

impl Limits {
    /// How far passes go in a mesh that is analysed to its end.
    pub fn of_whole(triangles: usize) -> Self {
        Self {
            triangles: ((triangles as f64 * PASSES_UNTIL) as usize).max(PASSES_LEAVE),
            cost: f32::INFINITY,
        }
    }
}

impl Analysis {
    /// Collapses in passes while the mesh is large.
    /// Returns, pass by pass, the highest cost so far and the triangles left.
    pub fn passes(
        &mut self,
        limits: Limits,
        progress: &Progress,
    ) -> Result<Vec<(f32, usize)>, Cancelled> {
        let start = self.state.triangles;
        let goal = limits.triangles;
        let mut course = Vec::new();
        let mut highest = 0f32;
        let mut live: Vec<u32> = (0..self.state.place.len() as u32).collect();
        // Blocks of a larger mesh leave what is stuck to the whole.
        let mut next_free = if self.state.flat_only || limits.cost.is_finite() {
            0
        } else {
            start
        };
        while self.state.triangles > goal {
            if 2 * self.state.triangles < self.state.alive.len() {
                self.compact();
                live = (0..self.state.place.len() as u32).collect();
            } else {
                live.retain(|&p| self.state.first[p as usize] != NONE);
            }
            // Points that cost nothing and are stuck: whenever half of the rest has gone.
            if self.state.triangles <= next_free {
                next_free = self.state.triangles / 2;
                self.take_free(Which::Stuck, &progress.span(0.0, 0.0))?;
            }
            let mut best = self.best_edges(&live);
            let wanted = (best.len() as f64 * PASS_SHARE) as usize;
            if wanted < 64 {
                break;
            }
            let mut costs: Vec<f32> = best.iter().map(|w| w.cost).collect();
            let limit = *costs.select_nth_unstable_by(wanted, f32::total_cmp).1;
            let limit = limit.min(limits.cost);
            best.retain(|w| w.cost <= limit);
            self.record.begin_pass();
            let before = self.state.triangles;
            for next in best {
                if self.state.triangles <= goal {
                    break;
                }
                if self.stamp(next.a, next.b) == next.stamp
                    && self.try_collapse(next.a, next.b, false) != Tried::Done
                {
                    self.refused[next.a as usize] = (next.b, next.stamp);
                }
            }
            self.record.end_pass();
            highest = highest.max(limit);
            course.push((highest, self.state.triangles));
            let share = (start - self.state.triangles) as f32 / (start - goal).max(1) as f32;
            progress.at(share)?;
            if (before - self.state.triangles) * 100 < before {
                break; // what is left is too entangled for passes
            }
        }
        Ok(course)
    }

    /// Moves what still stands together.
    pub fn compact(&mut self) {
        let left = self.state.compact();
        renumber(&mut self.pieces, &mut self.piece_of_face, &left);
        let points = self.state.place.len();
        self.guard = Guard::new(points);
        self.near = vec![(0, 0.0); points];
        self.refused = vec![(u32::MAX, 0); points];
    }

    /// The cheapest edge of every point to a point of a higher number, in parallel.
    fn best_edges(&self, live: &[u32]) -> Vec<Waiting> {
        live.par_chunks(2048)
            .flat_map_iter(|chunk| {
                let mut scratch = Scratch::default();
                chunk
                    .iter()
                    .filter_map(|&p| self.best_edge(p, &mut scratch))
                    .collect::<Vec<_>>()
            })
            .collect()
    }

    fn best_edge(&self, point: u32, scratch: &mut Scratch) -> Option<Waiting> {
        let state = &self.state;
        state.look_around(point, &mut scratch.ring);
        state.spokes(&scratch.ring, &mut scratch.spokes);
        let mut best: Option<Waiting> = None;
        for edge in scratch.spokes.chunk_by(|x, y| x.0 == y.0) {
            let far = edge[0].0;
            let stamp = self.stamp(point, far);
            if far < point || self.refused[point as usize] == (far, stamp) {
                continue;
            }
            scratch.pairs.clear();
            scratch
                .pairs
                .extend(edge.iter().map(|&(_, here, there)| (here, there)));
            scratch.plan.limit = best.map_or(f32::INFINITY, |b| b.cost);
            let release = self.release;
            if !plan(
                state,
                point,
                far,
                &scratch.pairs,
                release,
                &mut scratch.plan,
            ) {
                continue;
            }
            let cost = scratch.plan.cost;
            if best.is_none_or(|b| cost < b.cost) {
                best = Some(Waiting {
                    cost,
                    a: point,
                    b: far,
                    stamp,
                });
            }
        }
        best
    }

    /// Within a pass: whoever comes near later depends on this collapse.
    pub fn mark_surroundings(&mut self, made: &Plan) {
        let pass = self.record.pass();
        let mut key = made.cost;
        for p in [made.gone, made.kept] {
            let (when, near) = self.near[p as usize];
            if when == pass {
                key = key.max(near);
            }
        }
        self.record.set_key(key);
        let mut mark = |p: u32| {
            let entry = &mut self.near[p as usize];
            *entry = if entry.0 == pass {
                (pass, entry.1.max(key))
            } else {
                (pass, key)
            };
        };
        mark(made.kept);
        for &c in self.guard.ring_gone.iter().chain(&self.guard.ring_kept) {
            let (n, p) = State::others(c);
            mark(self.state.corner_point[n as usize]);
            mark(self.state.corner_point[p as usize]);
        }
    }
}

/// What one thread of a pass needs.
#[derive(Default)]
struct Scratch {
    ring: Vec<u32>,
    spokes: Vec<(u32, u32, u32)>,
    pairs: Vec<(u32, u32)>,
    plan: Plan,
}
