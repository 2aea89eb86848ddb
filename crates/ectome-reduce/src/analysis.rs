//! What an analysis knows while it goes on, and the one thing that all its stretches do: a collapse.

use std::{cmp::Ordering, collections::BinaryHeap};

use ectome_mesh::{Cancelled, Mesh, Progress};

use crate::{
    duplicate::drop_doubles,
    feature::Features,
    floor::Floors,
    forms,
    frame::Surroundings,
    guard::{Guard, collapse},
    log::CollapseLog,
    options::Options,
    piece::{Piece, pieces},
    plan::{Plan, Release, plan},
    record::Recorder,
    state::State,
    tolerance::FLAT,
};

/// A collapse that waits, cheapest first; ties go by point numbers, so that the order never depends
/// on threads.
#[derive(Clone, Copy, PartialEq)]
pub(crate) struct Waiting {
    pub cost: f32,
    pub a: u32,
    pub b: u32,
    pub stamp: u32,
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

/// What came of a collapse.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Tried {
    /// It is done.
    Done,
    /// The guard refuses it: the plan is still there.
    Refused,
    /// It is no longer possible, or something else goes first.
    Not,
}

/// A piece with more triangles than this still has collapses of its own that are cheaper.
const SMALL_PIECE: usize = 16;
/// Below this count a small piece shrinks before it goes: a dozen triangles at once would miss a target.
const CRUSH_BELOW: usize = 4_000;

pub(crate) struct Analysis {
    pub state: State,
    pub guard: Guard,
    pub pieces: Vec<Piece>,
    pub piece_of_face: Vec<u32>,
    /// What parts keep at least.
    pub floors: Floors,
    next_piece: usize,
    /// Collapses that wait, cheapest first.
    pub heap: BinaryHeap<Waiting>,
    /// The pass that last changed something next to each point, and the greatest key of that.
    pub near: Vec<(u32, f32)>,
    /// The last edge of each point that the guard refused: its far end and the stamp it had.
    pub refused: Vec<(u32, u32)>,
    /// What was planned last.
    pub plan: Plan,
    spokes: Vec<(u32, u32, u32)>,
    pairs: Vec<(u32, u32)>,
    pub release: Release,
    pub record: Recorder,
    /// Points that cost nothing and are stuck may still stand.
    pub free_first: bool,
    /// A collapse that loses something waits for them.
    pub waits: bool,
}

impl Analysis {
    /// Lays out an all-triangle mesh; a block of a larger one with its `surroundings`.
    pub fn of(
        mesh: &Mesh,
        options: &Options,
        surroundings: Option<&Surroundings>,
        progress: &Progress,
    ) -> Result<Self, Cancelled> {
        let features = Features::of(mesh, options, surroundings);
        let hard_edges = features.hard_edges;
        progress.at(0.4)?;
        let mut features = features;
        let mut state = State::new(mesh, &mut features, options, surroundings);
        forms::fill(
            &mut state,
            mesh,
            &features.wedge_vertex,
            &features.half_edges,
        );
        progress.at(0.8)?;
        let mut record = Recorder::new(&state, hard_edges);
        drop_doubles(&mut state, &mut record);
        let (pieces, piece_of_face) = pieces(mesh, &state, options.let_parts_go);
        let floors = Floors::of(mesh, &state);
        progress.at(1.0)?;
        Ok(Self {
            floors,
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
            record,
            free_first: false,
            waits: false,
            state,
        })
    }

    /// The log of what was done.
    pub fn finish(self) -> CollapseLog {
        self.record.finish()
    }

    /// Queues the edges of `point`; with `once`, only those to higher points.
    pub fn queue_edges_of(&mut self, point: u32, ring: &[u32], once: bool) {
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

    /// Changes whenever either end does.
    pub fn stamp(&self, a: u32, b: u32) -> u32 {
        self.state.version[a as usize].wrapping_add(self.state.version[b as usize])
    }

    /// Collapses the edge between two points if the guard allows it; with `queue`, the edges of the
    /// point that stays are queued anew.
    pub fn try_collapse(&mut self, a: u32, b: u32, queue: bool) -> Tried {
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
        // An open piece can collapse to nothing; one that stands for its part does not.
        let is_last = pairs.first().is_some_and(|&(corner, _)| {
            let piece = &self.pieces[self.piece_of_face[corner as usize / 3] as usize];
            // An undone knot takes the faces on its other side along.
            let goes = match self.release {
                Release::Knots => 2 * pairs.len() + 1,
                _ => pairs.len(),
            };
            piece.stays && piece.standing <= goes
        });
        let on_edge = || pairs.iter().map(|&(corner, _)| corner / 3);
        let mut is_refused = false;
        let done = !pairs.is_empty()
            && !is_last
            && self.floors.allow(&self.state, on_edge())
            && plan(&self.state, a, b, &pairs, self.release, &mut made)
            && !self.must_wait(&made)
            && {
                is_refused = !self.guard.allows(&mut self.state, &made, self.release);
                !is_refused
            }
            && (self.guard.folded.is_empty() || {
                let folded = self.guard.folded.iter().copied();
                self.floors.allow(&self.state, on_edge().chain(folded))
            });
        if done {
            let folded = self.guard.folded.iter().copied();
            self.floors.went(&self.state, on_edge().chain(folded));
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
        match () {
            () if done => Tried::Done,
            () if is_refused => Tried::Refused,
            () => Tried::Not,
        }
    }

    /// True when a collapse loses something while points that cost nothing may still stand: they go first.
    fn must_wait(&mut self, plan: &Plan) -> bool {
        let area = |p: u32| self.state.point_area[p as usize];
        let nothing = FLAT * FLAT * (area(plan.gone) + area(plan.kept));
        self.waits = self.free_first && plan.geometric > nothing;
        self.waits
    }

    fn guard_ring(&mut self, a: u32) {
        let mut ring = std::mem::take(&mut self.guard.ring_gone);
        self.state.ring(a, &mut ring);
        self.guard.ring_gone = ring;
    }

    /// Drops the cheapest piece if it is small and that costs less than `cost`, and leaves something
    /// standing. Pieces with a guarded point stay.
    pub fn drop_piece_cheaper_than(&mut self, cost: f32) -> bool {
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
    pub fn drop_any_piece(&mut self) -> bool {
        while self.next_piece + 1 < self.pieces.len() {
            self.next_piece += 1;
            if self.drop_piece(self.next_piece - 1) {
                return true;
            }
        }
        false
    }

    fn drop_piece(&mut self, piece: usize) -> bool {
        let state = &self.state;
        let guarded = |f: u32| {
            (3 * f..3 * f + 3).any(|c| state.fixed_by[state.corner_point[c as usize] as usize] > 0)
        };
        let standing = |f: &&u32| state.alive[**f as usize];
        let faces = &self.pieces[piece].faces;
        let stand = || faces.iter().copied().filter(|f| standing(&f));
        if self.pieces[piece].stays
            || self.pieces[piece].standing == 0
            || stand().any(guarded)
            || !self.floors.allow(state, stand())
        {
            return false;
        }
        if self.state.triangles <= CRUSH_BELOW {
            self.crush(piece);
        }
        let left = self.pieces[piece].faces.iter().copied();
        let left = left.filter(|&f| self.state.alive[f as usize]);
        self.floors.went(&self.state, left);
        self.pieces[piece].drop_from(&mut self.state, &mut self.record);
        true
    }

    /// Collapses what a piece has left before it goes, so that counts in between can be had as well.
    fn crush(&mut self, piece: usize) {
        let release = self.release;
        while self.pieces[piece].standing > 4 {
            let mut edges: Vec<(u32, u32)> = self.pieces[piece]
                .faces
                .iter()
                .filter(|&&f| self.state.alive[f as usize])
                .flat_map(|&f| {
                    let p = [0, 1, 2].map(|k| self.state.corner_point[(3 * f + k) as usize]);
                    [(p[0], p[1]), (p[1], p[2]), (p[2], p[0])]
                })
                .map(|(a, b)| (a.min(b), a.max(b)))
                .collect();
            edges.sort_unstable();
            edges.dedup();
            let shortest = |&(a, b): &(u32, u32)| {
                let [a, b] = [a, b].map(|p| self.state.place[p as usize]);
                a.distance_squared(b)
            };
            edges.sort_by(|a, b| shortest(a).total_cmp(&shortest(b)));
            // Undone knots take four triangles at a time: only when nothing else is possible.
            let goes = [Release::Lines, Release::Knots].into_iter().any(|release| {
                self.release = release;
                edges
                    .iter()
                    .any(|&(a, b)| self.try_collapse(a, b, true) == Tried::Done)
            });
            if !goes {
                break;
            }
        }
        self.release = release;
    }
}
