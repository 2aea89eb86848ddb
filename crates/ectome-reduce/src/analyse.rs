//! The analysis: cheapest collapse first, down to the last triangle, written down as it goes.
//!
//! Most of a heavy mesh goes in **passes**: the best edge of every point is found on all cores, the cheap
//! share of them is collapsed where it lies in memory, and so on. Within a pass an edge counts only as
//! long as neither end has changed, so costs are never stale. The log puts the collapses of a pass in order of
//! cost again, each behind those it depends on. The last stretch, where order matters, takes one edge at
//! a time from a queue (Garland & Heckbert 1997).

use std::{
    cmp::Ordering,
    collections::{BTreeMap, BinaryHeap},
};

use ectome_mesh::{Cancelled, Mesh, Progress};
use rayon::prelude::*;
use thiserror::Error;

use crate::{
    feature::{Features, GUARDS},
    guard::{Guard, collapse},
    log::{CollapseLog, Holding},
    options::Options,
    piece::{Piece, pieces, renumber},
    plan::{Plan, Release, plan},
    record::Recorder,
    replay::{Cut, Replay},
    state::{NONE, State},
};

/// Why a cut could not be made.
#[derive(Debug, Error)]
pub enum CutError {
    /// The mesh has faces with more than three corners.
    #[error("the mesh has faces with more than three corners: triangulate it first")]
    NotTriangulated,
    /// Topology stops the cut above the target.
    #[error(
        "{target} triangles cannot be met: at {reached} nothing can go any more{}", held_in_words(.held)
    )]
    Held {
        /// Triangles asked for.
        target: usize,
        /// Triangles at which nothing could go any more.
        reached: usize,
        /// What holds them.
        held: Vec<Holding>,
    },
    /// The work was stopped.
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
}

fn held_in_words(held: &[Holding]) -> String {
    let mut by: Vec<(&str, u32)> = Vec::new();
    for h in held {
        match by.iter_mut().find(|(name, _)| *name == h.by) {
            Some((_, n)) => *n += h.triangles,
            None => by.push((&h.by, h.triangles)),
        }
    }
    by.sort_by_key(|&(_, n)| std::cmp::Reverse(n));
    let list: Vec<String> = by
        .iter()
        .map(|(name, n)| format!("{n} triangles are held by {name}"))
        .collect();
    if list.is_empty() {
        String::new()
    } else {
        format!(": {}", list.join(", "))
    }
}

/// A collapse that waits, cheapest first; ties go by point numbers, so that the order never depends
/// on threads.
#[derive(Clone, Copy, PartialEq)]
struct Waiting {
    cost: f32,
    a: u32,
    b: u32,
    stamp: u32,
}

impl Eq for Waiting {}

impl Ord for Waiting {
    fn cmp(&self, other: &Self) -> Ordering {
        other
            .cost
            .total_cmp(&self.cost)
            .then(other.a.cmp(&self.a))
            .then(other.b.cmp(&self.b))
    }
}

impl PartialOrd for Waiting {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

/// Cuts an all-triangle mesh to at most `target` triangles.
///
/// # Errors
/// [`CutError::Held`] when topology or guards forbid it, [`CutError::NotTriangulated`],
/// [`CutError::Cancelled`].
pub fn cut(
    mesh: &Mesh,
    target: usize,
    options: &Options,
    progress: &Progress,
) -> Result<Cut, CutError> {
    let log = analyse(mesh, options, &progress.span(0.0, 0.95))?;
    let replay = Replay::new(mesh, &log).map_err(|_| CutError::NotTriangulated)?;
    let cut = replay.at(mesh, &log, target)?;
    progress.at(1.0)?;
    Ok(cut)
}

/// Finds the order in which an all-triangle mesh is best taken apart.
///
/// # Errors
/// [`CutError::NotTriangulated`], [`CutError::Cancelled`].
pub fn analyse(
    mesh: &Mesh,
    options: &Options,
    progress: &Progress,
) -> Result<CollapseLog, CutError> {
    if !mesh.is_triangulated() {
        return Err(CutError::NotTriangulated);
    }
    progress.stage("Analysing");
    progress.at(0.0)?;
    let features = Features::of(mesh, options);
    let hard_edges = features.hard_edges;
    progress.at(0.12)?;
    let state = State::new(mesh, features, options);
    progress.at(0.25)?;
    let (pieces, piece_of_face) = pieces(mesh, &state);
    let mut analysis = Analysis {
        guard: Guard::new(state.place.len()),
        pieces,
        piece_of_face,
        next_piece: 0,
        heap: BinaryHeap::new(),
        near: vec![(0, 0.0); state.place.len()],
        refused: vec![(u32::MAX, 0); state.place.len()],
        plan: Plan::default(),
        spokes: Vec::new(),
        pairs: Vec::new(),
        release: Release::Nothing,
        record: Recorder::new(&state, hard_edges),
        state,
    };
    progress.at(0.3)?;
    progress.stage("Collapsing");
    analysis.passes(&progress.span(0.3, 0.75))?;
    analysis.refill();
    analysis.run(&progress.span(0.75, 1.0))?;
    if !options.flat_only {
        analysis.note_what_holds();
    }
    Ok(analysis.record.finish())
}

/// Passes go on until this share of the triangles is left…
const PASSES_UNTIL: f64 = 0.08;
/// …but never below this count: small meshes take every edge in order.
const PASSES_LEAVE: usize = 40_000;
/// The share of the best edges that a pass may collapse.
const PASS_SHARE: f64 = 0.4;
/// A piece with more triangles than this still has collapses of its own that are cheaper.
const SMALL_PIECE: usize = 16;

struct Analysis {
    state: State,
    guard: Guard,
    pieces: Vec<Piece>,
    piece_of_face: Vec<u32>,
    next_piece: usize,
    heap: BinaryHeap<Waiting>,
    /// The pass that last changed something next to each point, and the greatest key of that.
    near: Vec<(u32, f32)>,
    /// The last edge of each point that the guard refused: its far end and the stamp it had.
    refused: Vec<(u32, u32)>,
    plan: Plan,
    spokes: Vec<(u32, u32, u32)>,
    pairs: Vec<(u32, u32)>,
    release: Release,
    record: Recorder,
}

impl Analysis {
    /// Collapses in passes while the mesh is large.
    fn passes(&mut self, progress: &Progress) -> Result<(), Cancelled> {
        let start = self.state.triangles;
        let goal = ((start as f64 * PASSES_UNTIL) as usize).max(PASSES_LEAVE);
        let mut live: Vec<u32> = (0..self.state.place.len() as u32).collect();
        while self.state.triangles > goal {
            if 2 * self.state.triangles < self.state.alive.len() {
                self.compact();
                live = (0..self.state.place.len() as u32).collect();
            } else {
                live.retain(|&p| self.state.first[p as usize] != NONE);
            }
            let mut best = self.best_edges(&live);
            let wanted = (best.len() as f64 * PASS_SHARE) as usize;
            if wanted < 64 {
                break;
            }
            let mut costs: Vec<f32> = best.iter().map(|w| w.cost).collect();
            let limit = *costs.select_nth_unstable_by(wanted, f32::total_cmp).1;
            best.retain(|w| w.cost <= limit);
            self.record.begin_pass();
            let before = self.state.triangles;
            for next in best {
                if self.state.triangles <= goal {
                    break;
                }
                if self.stamp(next.a, next.b) == next.stamp
                    && !self.try_collapse(next.a, next.b, false)
                {
                    self.refused[next.a as usize] = (next.b, next.stamp);
                }
            }
            self.record.end_pass();
            let share = (start - self.state.triangles) as f32 / (start - goal).max(1) as f32;
            progress.at(share)?;
            if (before - self.state.triangles) * 100 < before {
                break; // what is left is too entangled for passes
            }
        }
        self.compact();
        Ok(())
    }

    /// Moves what still stands together.
    fn compact(&mut self) {
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

    /// Queues every edge again: what was refused may be possible now.
    fn refill(&mut self) {
        self.heap.clear();
        let mut ring = Vec::new();
        for point in 0..self.state.place.len() as u32 {
            self.state.ring(point, &mut ring);
            self.queue_edges_of(point, &ring, true);
        }
    }

    /// Queues the edges of `point`; with `once`, only those to higher points.
    fn queue_edges_of(&mut self, point: u32, ring: &[u32], once: bool) {
        let mut spokes = std::mem::take(&mut self.spokes);
        let mut pairs = std::mem::take(&mut self.pairs);
        self.state.spokes(ring, &mut spokes);
        for edge in spokes.chunk_by(|x, y| x.0 == y.0) {
            let far = edge[0].0;
            if once && far < point {
                continue;
            }
            pairs.clear();
            pairs.extend(edge.iter().map(|&(_, here, there)| (here, there)));
            if plan(
                &self.state,
                point,
                far,
                &pairs,
                self.release,
                &mut self.plan,
            ) {
                self.heap.push(Waiting {
                    cost: self.plan.cost,
                    a: point,
                    b: far,
                    stamp: self.stamp(point, far),
                });
            }
        }
        self.spokes = spokes;
        self.pairs = pairs;
    }

    fn stamp(&self, a: u32, b: u32) -> u32 {
        self.state.version[a as usize].wrapping_add(self.state.version[b as usize])
    }

    fn run(&mut self, progress: &Progress) -> Result<(), Cancelled> {
        let start = self.state.triangles.max(1);
        let mut collapsed_since_fill = 0usize;
        let mut steps = 0usize;
        loop {
            steps += 1;
            if steps.is_multiple_of(4096) {
                progress.at((start - self.state.triangles) as f32 / start as f32)?;
            }
            let cheapest = self.heap.peek().map_or(f32::INFINITY, |w| w.cost);
            if self.drop_piece_cheaper_than(cheapest) {
                continue;
            }
            let Some(next) = self.heap.pop() else {
                if collapsed_since_fill > 0 {
                    collapsed_since_fill = 0;
                    self.refill();
                } else if self.state.flat_only {
                    return Ok(());
                } else if self.release < Release::Lines {
                    self.release = match self.release {
                        Release::Nothing => Release::Corners,
                        _ => Release::Lines,
                    };
                    self.record.release(self.release as usize - 1);
                    self.refill();
                } else if !self.drop_any_piece() {
                    return Ok(());
                }
                continue;
            };
            if self.stamp(next.a, next.b) == next.stamp && self.try_collapse(next.a, next.b, true) {
                collapsed_since_fill += 1;
            }
        }
    }

    /// Collapses the edge between two points if the guard allows it; with `queue`, the edges of the
    /// point that stays are queued anew.
    fn try_collapse(&mut self, a: u32, b: u32, queue: bool) -> bool {
        self.guard_ring(a);
        let mut pairs = std::mem::take(&mut self.pairs);
        pairs.clear();
        for &c in &self.guard.ring_gone {
            let (n, p) = State::others(c);
            for there in [n, p] {
                if self.state.corner_point[there as usize] == b {
                    pairs.push((c, there));
                }
            }
        }
        let mut made = std::mem::take(&mut self.plan);
        let done = !pairs.is_empty()
            && plan(&self.state, a, b, &pairs, self.release, &mut made)
            && self.guard.allows(&mut self.state, &made, self.release);
        if done {
            let before = self.state.triangles;
            collapse(&mut self.state, &self.guard, &made, &mut self.record);
            let piece = self.piece_of_face[pairs[0].0 as usize / 3] as usize;
            self.pieces[piece].standing -= before - self.state.triangles;
            if !queue {
                self.mark_surroundings(&made);
            }
        }
        let kept = made.kept;
        self.plan = made;
        self.pairs = pairs;
        if done && queue {
            let mut ring = std::mem::take(&mut self.guard.ring_kept);
            self.state.ring(kept, &mut ring);
            self.queue_edges_of(kept, &ring, false);
            self.guard.ring_kept = ring;
        }
        done
    }

    /// Within a pass: whoever comes near later depends on this collapse.
    fn mark_surroundings(&mut self, made: &Plan) {
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

    fn guard_ring(&mut self, a: u32) {
        let mut ring = std::mem::take(&mut self.guard.ring_gone);
        self.state.ring(a, &mut ring);
        self.guard.ring_gone = ring;
    }

    /// Drops the cheapest piece if it is small and that costs less than `cost`, and leaves something
    /// standing. Pieces with a guarded point stay.
    fn drop_piece_cheaper_than(&mut self, cost: f32) -> bool {
        if self.state.flat_only {
            return false;
        }
        while self.next_piece + 1 < self.pieces.len() {
            let piece = &self.pieces[self.next_piece];
            if piece.standing > 0 && (piece.cost >= cost || piece.standing > SMALL_PIECE) {
                return false;
            }
            self.next_piece += 1;
            if self.drop_piece(self.next_piece - 1) {
                return true;
            }
        }
        false
    }

    /// When no collapse is left: the cheapest piece goes, whatever it costs, but never the last.
    fn drop_any_piece(&mut self) -> bool {
        while self.next_piece + 1 < self.pieces.len() {
            self.next_piece += 1;
            if self.drop_piece(self.next_piece - 1) {
                return true;
            }
        }
        false
    }

    fn drop_piece(&mut self, piece: usize) -> bool {
        let Self {
            state,
            record,
            pieces,
            ..
        } = self;
        let piece = &mut pieces[piece];
        let guarded = |f: u32| {
            (3 * f..3 * f + 3).any(|c| state.fixed_by[state.corner_point[c as usize] as usize] > 0)
        };
        let standing = |f: &&u32| state.alive[**f as usize];
        if piece.standing == 0 || piece.faces.iter().filter(standing).any(|&f| guarded(f)) {
            return false;
        }
        piece.drop_from(state, record);
        true
    }

    /// Notes what keeps the triangles that are left.
    fn note_what_holds(&mut self) {
        let state = &self.state;
        let mut held: BTreeMap<(u32, u8), u32> = BTreeMap::new();
        for f in 0..state.alive.len() {
            if !state.alive[f] {
                continue;
            }
            let by = (3 * f..3 * f + 3)
                .map(|c| state.fixed_by[state.corner_point[c] as usize])
                .max()
                .unwrap_or(0);
            *held.entry((state.face_part(f), by)).or_default() += 1;
        }
        self.record.log_mut().held = held
            .into_iter()
            .map(|((part, by), triangles)| Holding {
                by: match by {
                    0 => "the way the surface hangs together".to_owned(),
                    guard => GUARDS[usize::from(guard) - 1].to_owned(),
                },
                part,
                triangles,
            })
            .collect();
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

#[cfg(test)]
pub(crate) mod test_meshes {
    use ectome_mesh::{Mesh, MeshBuilder, Primitive};
    use glam::{Affine3A, Vec2, Vec3};

    /// A 4 × 4 sheet whose UVs break along y = 2 from x = 2 to the border at x = 4.
    pub fn sheet_with_slit_seam() -> Mesh {
        let mut p = Primitive {
            uv_sets: vec![Vec::new()],
            ..Primitive::default()
        };
        for j in 0..4u32 {
            for i in 0..4u32 {
                let first = p.positions.len() as u32;
                for (x, y) in [(i, j), (i + 1, j), (i + 1, j + 1), (i, j + 1)] {
                    p.positions.push(Vec3::new(x as f32, y as f32, 0.0));
                    let above = if i >= 2 && j >= 2 && y == 2 && x > 2 {
                        1.0
                    } else {
                        0.0
                    };
                    p.uv_sets[0].push(Vec2::new(x as f32, y as f32 + above * 0.3));
                }
                p.corners
                    .extend([first, first + 1, first + 2, first, first + 2, first + 3]);
            }
        }
        let mut builder = MeshBuilder::new();
        builder.part("sheet", Affine3A::IDENTITY).primitive(p);
        builder.finish()
    }

    /// Several meshes as parts of one.
    pub fn joined(meshes: &[Mesh]) -> Mesh {
        let mut builder = MeshBuilder::new();
        for (i, m) in meshes.iter().enumerate() {
            builder
                .part(&format!("part {i}"), Affine3A::IDENTITY)
                .primitive(Primitive {
                    positions: (0..m.vertex_count() as u32)
                        .map(|v| m.position(v))
                        .collect(),
                    normals: m.normals.clone(),
                    uv_sets: m.uv_sets.clone(),
                    corners: m.corners.clone(),
                    ..Primitive::default()
                });
        }
        builder.finish()
    }
}
