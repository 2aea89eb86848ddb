//! The cut itself: cheapest collapse first until the target is met.

use std::{cmp::Ordering, collections::BinaryHeap};

use ectome_mesh::{Cancelled, Mesh, Progress, topology::HalfEdge};
use rayon::prelude::*;
use thiserror::Error;

use crate::{
    feature::Features,
    guard::{Guard, collapse},
    piece::{Piece, pieces},
    plan::{Plan, Release, plan},
    result::mesh_of,
    state::State,
};

/// A finished cut.
#[derive(Clone, Debug)]
pub struct Cut {
    /// The result: triangles only, at most as many as asked.
    pub mesh: Mesh,
    /// Whole pieces that were too small to keep.
    pub pieces_dropped: usize,
    /// Corners of islands and lines had to be given up to meet the target.
    pub corners_released: bool,
    /// Lines themselves had to be crossed, so that UVs stretch there.
    pub lines_released: bool,
}

/// Why a cut could not be made.
#[derive(Debug, Error)]
pub enum CutError {
    /// The mesh has faces with more than three corners.
    #[error("the mesh has faces with more than three corners: triangulate it first")]
    NotTriangulated,
    /// Topology stops the cut above the target.
    #[error(
        "{target} triangles cannot be met: at {reached} every further collapse would open a border, \
         turn a face over or change how the surface hangs together"
    )]
    Held {
        /// Triangles asked for.
        target: usize,
        /// Triangles at which nothing could go any more.
        reached: usize,
    },
    /// The work was stopped.
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
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
/// [`CutError::Held`] when topology forbids it, [`CutError::NotTriangulated`],
/// [`CutError::Cancelled`].
pub fn cut(mesh: &Mesh, target: usize, progress: &Progress) -> Result<Cut, CutError> {
    if !mesh.is_triangulated() {
        return Err(CutError::NotTriangulated);
    }
    progress.stage("Analysing");
    progress.at(0.0)?;
    let features = Features::of(mesh);
    let keep_normals = features.hard_edges;
    progress.at(0.08)?;
    let (state, half_edges) = State::new(mesh, features);
    progress.at(0.15)?;
    let (pieces, piece_of_face) = pieces(mesh, &state);
    let mut cutter = Cutter {
        guard: Guard::new(state.place.len()),
        pieces,
        piece_of_face,
        next_piece: 0,
        dropped: 0,
        heap: BinaryHeap::new(),
        plan: Plan::default(),
        spokes: Vec::new(),
        pairs: Vec::new(),
        release: Release::Nothing,
        state,
    };
    cutter.fill_from(&half_edges);
    drop(half_edges);
    progress.at(0.25)?;
    progress.stage("Cutting");
    cutter.run(target, &progress.span(0.25, 0.98))?;
    let reached = cutter.state.triangles;
    if reached > target {
        return Err(CutError::Held { target, reached });
    }
    let mesh = mesh_of(&cutter.state, mesh, keep_normals);
    progress.at(1.0)?;
    Ok(Cut {
        mesh,
        pieces_dropped: cutter.dropped,
        corners_released: cutter.release >= Release::Corners,
        lines_released: cutter.release == Release::Lines,
    })
}

struct Cutter {
    state: State,
    guard: Guard,
    pieces: Vec<Piece>,
    piece_of_face: Vec<u32>,
    next_piece: usize,
    dropped: usize,
    heap: BinaryHeap<Waiting>,
    plan: Plan,
    spokes: Vec<(u32, u32, u32)>,
    pairs: Vec<(u32, u32)>,
    release: Release,
}

impl Cutter {
    /// Queues every edge, in parallel.
    fn fill_from(&mut self, half_edges: &[HalfEdge]) {
        let (state, release) = (&self.state, self.release);
        let edges: Vec<&[HalfEdge]> = half_edges
            .chunk_by(|a, b| (a.low, a.high) == (b.low, b.high))
            .collect();
        let waiting: Vec<Waiting> = edges
            .par_iter()
            .filter_map(|edge| {
                let (low, high) = (edge[0].low, edge[0].high);
                let pairs: Vec<(u32, u32)> = edge
                    .iter()
                    .map(|e| {
                        let next = e.corner - e.corner % 3 + (e.corner + 1) % 3;
                        if state.corner_point[e.corner as usize] == low {
                            (e.corner, next)
                        } else {
                            (next, e.corner)
                        }
                    })
                    .collect();
                let mut made = Plan::default();
                plan(state, low, high, &pairs, release, &mut made).then_some(Waiting {
                    cost: made.cost,
                    a: low,
                    b: high,
                    stamp: 0,
                })
            })
            .collect();
        self.heap = BinaryHeap::from(waiting);
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

    fn run(&mut self, target: usize, progress: &Progress) -> Result<(), Cancelled> {
        let start = self.state.triangles;
        let mut collapsed_since_fill = 0usize;
        let mut steps = 0usize;
        while self.state.triangles > target {
            steps += 1;
            if steps.is_multiple_of(4096) {
                let done = (start - self.state.triangles) as f32 / (start - target).max(1) as f32;
                progress.at(done)?;
            }
            let cheapest = self.heap.peek().map_or(f32::INFINITY, |w| w.cost);
            if self.drop_piece_cheaper_than(cheapest, target) {
                continue;
            }
            let Some(next) = self.heap.pop() else {
                if collapsed_since_fill > 0 {
                    collapsed_since_fill = 0;
                    self.refill();
                } else if self.release < Release::Lines {
                    self.release = match self.release {
                        Release::Nothing => Release::Corners,
                        _ => Release::Lines,
                    };
                    self.refill();
                } else if !self.drop_any_piece() {
                    return Ok(());
                }
                continue;
            };
            if self.stamp(next.a, next.b) == next.stamp && self.try_collapse(next.a, next.b) {
                collapsed_since_fill += 1;
            }
        }
        Ok(())
    }

    fn try_collapse(&mut self, a: u32, b: u32) -> bool {
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
            collapse(&mut self.state, &self.guard, &made);
            let piece = self.piece_of_face[pairs[0].0 as usize / 3] as usize;
            self.pieces[piece].standing -= before - self.state.triangles;
        }
        let kept = made.kept;
        self.plan = made;
        self.pairs = pairs;
        if done {
            let mut ring = std::mem::take(&mut self.guard.ring_kept);
            self.state.ring(kept, &mut ring);
            self.queue_edges_of(kept, &ring, false);
            self.guard.ring_kept = ring;
        }
        done
    }

    fn guard_ring(&mut self, a: u32) {
        let mut ring = std::mem::take(&mut self.guard.ring_gone);
        self.state.ring(a, &mut ring);
        self.guard.ring_gone = ring;
    }

    /// Drops the cheapest piece if that costs less than `cost`, does not go below the target, and
    /// leaves something standing.
    fn drop_piece_cheaper_than(&mut self, cost: f32, target: usize) -> bool {
        while self.next_piece + 1 < self.pieces.len() {
            let piece = &self.pieces[self.next_piece];
            if piece.cost >= cost {
                return false;
            }
            let standing = piece.standing;
            if standing > 0 && self.state.triangles - standing < target {
                return false;
            }
            self.next_piece += 1;
            if standing > 0 {
                self.dropped += 1;
                self.pieces[self.next_piece - 1].drop_from(&mut self.state);
                return true;
            }
        }
        false
    }

    /// When no collapse is left: the cheapest piece goes, whatever it costs, but never the last.
    fn drop_any_piece(&mut self) -> bool {
        while self.next_piece + 1 < self.pieces.len() {
            let piece = &mut self.pieces[self.next_piece];
            self.next_piece += 1;
            if piece.drop_from(&mut self.state) > 0 {
                self.dropped += 1;
                return true;
            }
        }
        false
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
