//! The analysis: cheapest collapse first, down to the last triangle, written down as it goes.
//!
//! Most of a heavy mesh goes in **passes**: the best edge of every point is found on all cores, the cheap
//! share of them is collapsed where it lies in memory, and so on. Within a pass an edge counts only as
//! long as neither end has changed, so costs are never stale. The log puts the collapses of a pass in order of
//! cost again, each behind those it depends on. The last stretch, where order matters, takes one edge at
//! a time from a queue (Garland & Heckbert 1997).

use std::{cmp::Ordering, collections::BinaryHeap};

use ectome_mesh::{Cancelled, Mesh, Progress};

use crate::{
    block::Surroundings,
    duplicate::drop_doubles,
    feature::Features,
    floor::Floors,
    free::{Scratch, Which},
    guard::{Guard, collapse},
    hold::CutError,
    log::CollapseLog,
    options::Options,
    passes::Limits,
    piece::{Piece, pieces},
    plan::{Plan, Release, plan},
    record::Recorder,
    replay::{Cut, Replay},
    state::State,
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
    let mut analysis = Analysis::of(mesh, options, None, &progress.span(0.0, 0.3))?;
    progress.stage("Collapsing");
    if options.flat_only {
        analysis.take_free(Which::All, &progress.span(0.3, 0.35))?;
    }
    let limits = Limits::of_whole(analysis.state.triangles);
    analysis.passes(limits, &progress.span(0.35, 0.75))?;
    analysis.compact();
    analysis.refill();
    analysis.run(&progress.span(0.75, 1.0))?;
    if !options.flat_only {
        analysis.note_what_holds();
    }
    Ok(analysis.finish())
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
    heap: BinaryHeap<Waiting>,
    /// The pass that last changed something next to each point, and the greatest key of that.
    pub near: Vec<(u32, f32)>,
    /// The last edge of each point that the guard refused: its far end and the stamp it had.
    pub refused: Vec<(u32, u32)>,
    plan: Plan,
    instead: Scratch,
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
        let mut state = State::new(mesh, features, options, surroundings);
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
            instead: Scratch::default(),
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

    /// Changes whenever either end does.
    pub fn stamp(&self, a: u32, b: u32) -> u32 {
        self.state.version[a as usize].wrapping_add(self.state.version[b as usize])
    }

    fn run(&mut self, progress: &Progress) -> Result<(), Cancelled> {
        let start = self.state.triangles.max(1);
        let mut collapsed_since_fill = 0usize;
        let mut steps = 0usize;
        self.free_first = !self.state.flat_only;
        loop {
            steps += 1;
            if steps.is_multiple_of(4096) {
                progress.at((start - self.state.triangles) as f32 / start as f32)?;
            }
            let cheapest = self.heap.peek().map_or(f32::INFINITY, |w| w.cost);
            // What costs nothing goes before anything that costs something, also where no collapse takes it.
            if std::mem::take(&mut self.waits) {
                self.free_first = self.take_free(Which::Stuck, &progress.span(0.0, 0.0))? > 0;
                self.refill();
                continue;
            }
            if self.drop_piece_cheaper_than(cheapest) {
                continue;
            }
            let Some(next) = self.heap.pop() else {
                if collapsed_since_fill > 0 {
                    collapsed_since_fill = 0;
                    self.refill();
                } else if self.state.flat_only {
                    return Ok(());
                } else if self.release < Release::Knots {
                    self.release = match self.release {
                        Release::Nothing => Release::Corners,
                        Release::Corners => Release::Lines,
                        _ => Release::Knots,
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
    pub fn try_collapse(&mut self, a: u32, b: u32, queue: bool) -> bool {
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
        if is_refused && queue && self.release == Release::Nothing && !self.state.flat_only {
            self.join_anew(&made);
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

    /// Where the faces around forbid a collapse: takes the point out, joins them anew, and queues their edges.
    fn join_anew(&mut self, refused: &Plan) {
        let mut scratch = std::mem::take(&mut self.instead);
        if self.take_out_instead(refused, &mut scratch) {
            let mut ring = std::mem::take(&mut self.guard.ring_kept);
            for rim in scratch.sides.iter().flat_map(|s| &s.rim) {
                self.state.ring(rim.point, &mut ring);
                self.queue_edges_of(rim.point, &ring, false);
            }
            self.guard.ring_kept = ring;
        }
        self.instead = scratch;
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
                edges.iter().any(|&(a, b)| self.try_collapse(a, b, true))
            });
            if !goes {
                break;
            }
        }
        self.release = release;
    }
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
