//! Points that cost nothing go first.
//!
//! A point inside a flat region, and one on a straight line between two of them, can go without a trace. Often no single edge at it
//! can: around a point between four square holes every collapse would lay a triangle flat. So the point is taken out and
//! the hole it leaves is filled anew (vertex decimation: W. J. Schroeder, J. A. Zarge, W. E. Lorensen, *Decimation of Triangle
//! Meshes*, SIGGRAPH 1992), each side of a line by itself ([`fill`](crate::fill)). Such a polygon always has a filling, so a flat
//! region comes down to the corners of its outline: a polygon of V corners and h holes to V + 2h − 2 triangles.
//!
//! In the log it is a collapse into one of the neighbours, and the corners of the faces that stay are wired anew.

mod side;

use ectome_mesh::{Cancelled, Progress};
use glam::{DVec2, Vec3};
use rayon::prelude::*;

pub(crate) use side::{Rim, Side};
use side::{is_even, sides};

use crate::{
    analysis::Analysis,
    feature::Class,
    fill::Polygon,
    guard::{AGREE_COSINE, Guard, TURN_COSINE, collapse},
    plan::{Plan, Release, plan_free},
    state::{NONE, State},
    tolerance::OFF,
};

/// How much the planes of the source's faces that a point comes to stand for may see, on their mean. Each is only as good as its small face,
/// and is asked far away from it, so this is no bound on what moves: that is [`OFF`] at each step, and steps that bend the same way
/// grow fourfold from one to the next until they are refused. It ends what would go on for very long.
const OFF_MEAN: f32 = 1e-5;
/// How far a UV may lie off the affine map of its surroundings: a hundredth of a texel of a texture of 2048.
const UV_OFF: f64 = 5e-6;
/// A point whose faces agree on its place this well may be flat or on a straight line; on a smooth surface of any
/// curvature they do not. A share of the sum of the axes of its error form.
const SHARP: f64 = 1e-6;

/// How far what is around a point may be off what counts as flat, even and free of cost.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Allowance {
    /// From a plane or a straight line, in diagonals.
    pub off: f64,
    /// From an affine map of the place, in units of the UV square.
    pub uv_off: f64,
    /// What the planes of the source may charge; `None` where they only have to see nothing.
    pub cost: Option<f32>,
}

impl Allowance {
    /// For points that cost nothing.
    fn free(state: &State) -> Self {
        Self {
            off: state.flat_off,
            uv_off: UV_OFF,
            cost: None,
        }
    }
}

/// Scratch memory; allocated once.
#[derive(Default)]
pub(crate) struct Scratch {
    ring: Vec<u32>,
    other: Vec<u32>,
    plane: Vec<u8>,
    breaks: Vec<usize>,
    pub sides: Vec<Side>,
    polygon: Polygon,
    pairs: Vec<(u32, u32)>,
    plan: Plan,
    /// Where each point stands in the polygon that is filled.
    in_rim: Vec<u8>,
}

/// Of a point that is not in the polygon.
const NOWHERE: u8 = u8::MAX;

/// Which of the points that cost nothing go.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Which {
    /// All of them.
    All,
    /// Those that collapses would take for nothing if the faces around let them: what can go by itself is left to the order of costs,
    /// which leaves better triangles.
    Stuck,
}

impl Analysis {
    /// Takes out points that cost nothing, until none is left. Returns how many went.
    pub fn take_free(&mut self, which: Which, progress: &Progress) -> Result<usize, Cancelled> {
        let state = &self.state;
        let may_go = |state: &State, p: u32| {
            let at = p as usize;
            state.first[at] != NONE
                && state.class[at] != Class::Corner
                && state.fixed_by[at] == 0
                && !state.complex[at]
                && state.protect.get(at).is_none_or(|&w| w == 0.0)
        };
        // What is flat within a distance only need not look so.
        let loose = state.flat_off > OFF;
        let mut waiting: Vec<u32> = (0..state.place.len() as u32)
            .into_par_iter()
            .filter(|&p| {
                may_go(state, p) && (loose || state.quadric[p as usize].least_axis() < SHARP)
            })
            .collect();
        progress.at(0.0)?;
        if which == Which::Stuck {
            // Most are not: who only looks can do so on all cores.
            waiting = waiting
                .par_chunks(
                    waiting
                        .len()
                        .div_ceil(4 * rayon::current_num_threads())
                        .max(1),
                )
                .flat_map_iter(|some| {
                    let (mut guard, mut s) = (Guard::new(state.place.len()), Scratch::default());
                    some.iter()
                        .copied()
                        .filter(|&p| is_stuck(state, p, &mut guard, &mut s))
                        .collect::<Vec<u32>>()
                })
                .collect();
        }
        let (mut went, mut scratch) = (0, Scratch::default());
        let mut again = vec![false; self.state.place.len()];
        let start = waiting.len().max(1);
        while !waiting.is_empty() {
            let mut next = Vec::new();
            for (i, &point) in waiting.iter().enumerate() {
                if i.is_multiple_of(4096) {
                    progress.at((went as f32 / start as f32).min(1.0))?;
                }
                again[point as usize] = false;
                if !may_go(&self.state, point)
                    || which == Which::Stuck
                        && !is_stuck(&self.state, point, &mut self.guard, &mut scratch)
                    || !self.take_out(point, Allowance::free(&self.state), &mut scratch)
                {
                    continue;
                }
                went += 1;
                // What was held by this point may go now.
                for rim in scratch.sides.iter().flat_map(|s| &s.rim) {
                    if !std::mem::replace(&mut again[rim.point as usize], true) {
                        next.push(rim.point);
                    }
                }
            }
            next.sort_unstable();
            waiting = next;
        }
        Ok(went)
    }

    /// Takes one point out if that costs no more than is allowed.
    pub fn take_out(&mut self, point: u32, allowed: Allowance, s: &mut Scratch) -> bool {
        let even = |state: &State, side: &Side| is_even(state, point, side, allowed.uv_off);
        if !sides(&mut self.state, point, allowed.off, s)
            || !s.sides.iter().all(|side| even(&self.state, side))
        {
            return false;
        }
        for i in 0..s.sides.len() {
            let mut side = std::mem::take(&mut s.sides[i]);
            let filled = self.fill(point, &mut side, s)
                && (allowed.cost.is_none() || stands_upright(&self.state, &side));
            s.sides[i] = side;
            if !filled {
                return false;
            }
        }
        // Into which neighbour does not matter: the first that may take it.
        let ends = if s.sides.len() == 1 && s.breaks.is_empty() {
            s.sides[0].rim.len()
        } else {
            1
        };
        let last = s.sides[0].rim.len() - 1;
        let found = (0..ends)
            .chain((ends == 1).then_some(last))
            .any(|at| self.joins_neighbour(point, s.sides[0].rim[at].point, allowed.cost, s));
        if !found {
            return false;
        }
        let gone: Vec<u32> = s.pairs.iter().map(|&(c, _)| c / 3).collect();
        if !self.floors.allow(&self.state, gone.iter().copied()) {
            return false;
        }
        self.floors.went(&self.state, gone.iter().copied());
        collapse(&mut self.state, &self.guard, &s.plan, &mut self.record);
        let piece = self.piece_of_face[gone[0] as usize] as usize;
        self.pieces[piece].standing -= gone.len();
        self.wire(s);
        true
    }

    /// Plans the collapse of a point into a neighbour; leaves the rings with the guard.
    fn joins_neighbour(
        &mut self,
        point: u32,
        kept: u32,
        most: Option<f32>,
        s: &mut Scratch,
    ) -> bool {
        s.pairs.clear();
        for &c in &s.ring {
            let (n, p) = State::others(c);
            let there = [n, p];
            let there = there
                .into_iter()
                .find(|&t| self.state.corner_point[t as usize] == kept);
            s.pairs.extend(there.map(|t| (c, t)));
        }
        if !plan_free(&self.state, point, kept, &s.pairs, &mut s.plan) {
            return false;
        }
        match most {
            Some(most) if s.plan.geometric > most => return false,
            Some(_) => {}
            None if !costs_nothing(&self.state, &s.plan) => return false,
            // What is lost is nothing, whatever the planes of small faces say far away from them.
            None => s.plan.geometric = 0.0,
        }
        self.guard.ring_gone.clone_from(&s.ring);
        self.state.ring(kept, &mut self.guard.ring_kept);
        self.guard.folded.clear();
        true
    }

    /// Finds the triangles that fill a side without the point: each upright, none on an edge that is there already; of all such
    /// fillings the one whose worst triangle is best.
    fn fill(&mut self, gone: u32, side: &mut Side, s: &mut Scratch) -> bool {
        let n = side.rim.len();
        side.filling.clear();
        if n < 3 {
            // A line along a border with nothing between its ends.
            return false;
        }
        let (along, across) = side.normal.any_orthonormal_pair();
        let state = &mut self.state;
        let middle = state.place[gone as usize].as_dvec3();
        s.polygon.begin(side.rim.iter().map(|r| {
            let off = state.place[r.point as usize].as_dvec3() - middle;
            DVec2::new(off.dot(along), off.dot(across))
        }));
        // Edges across the polygon that are there already, on the other side of something.
        s.in_rim.resize(state.place.len(), NOWHERE);
        for (i, rim) in side.rim.iter().enumerate() {
            s.in_rim[rim.point as usize] = i as u8;
        }
        for (i, rim) in side.rim.iter().enumerate() {
            state.ring(rim.point, &mut s.other);
            for &c in &s.other {
                let (a, b) = State::others(c);
                let ends = [a, b].map(|q| state.corner_point[q as usize]);
                if ends.contains(&gone) {
                    continue;
                }
                for j in ends.map(|q| s.in_rim[q as usize]) {
                    let j = usize::from(j);
                    let whole = s.breaks.is_empty();
                    if j < n && (!beside(i, j, n) || closing(whole, i, j, n)) {
                        s.polygon.shut(i, j);
                    }
                }
            }
        }
        for rim in &side.rim {
            s.in_rim[rim.point as usize] = NOWHERE;
        }
        if n == 3 && s.breaks.is_empty() && self.is_face(&side.rim, s) {
            return false;
        }
        let closes = !s.breaks.is_empty() && s.polygon.is_shut(0, n - 1);
        !closes && s.polygon.fill(&mut side.filling)
    }

    /// True when a face on these three points stands beside those of the ring.
    fn is_face(&mut self, rim: &[Rim], s: &mut Scratch) -> bool {
        self.state.ring(rim[0].point, &mut s.other);
        let state = &self.state;
        s.other.iter().any(|&c| {
            let (a, b) = State::others(c);
            let [a, b] = [a, b].map(|q| state.corner_point[q as usize]);
            let own = |q| q == rim[1].point || q == rim[2].point;
            own(a) && own(b) && s.ring.iter().all(|&r| r / 3 != c / 3)
        })
    }

    /// Gives the faces that are left the corners of the fillings.
    fn wire(&mut self, s: &mut Scratch) {
        let state = &mut self.state;
        let mut points: Vec<u32> = s
            .sides
            .iter()
            .flat_map(|side| &side.rim)
            .map(|r| r.point)
            .collect();
        points.sort_unstable();
        points.dedup();
        // Every corner that stands on one of these points, now or afterwards, before any link changes.
        let mut corners: Vec<u32> = Vec::new();
        for &point in &points {
            state.look_around(point, &mut s.other);
            corners.extend(&s.other);
        }
        for side in &s.sides {
            let mut left = side.faces.iter().filter(|&&f| state.alive[f as usize]);
            for triangle in &side.filling {
                let Some(&face) = left.next() else { break };
                for (k, &at) in triangle.iter().enumerate() {
                    let (c, rim) = (3 * face + k as u32, side.rim[at as usize]);
                    corners.push(c);
                    state.corner_point[c as usize] = rim.point;
                    state.corner_wedge[c as usize] = rim.wedge;
                    self.record.rewire(
                        3 * state.source_face[face as usize] + k as u32,
                        state.source_point[rim.point as usize],
                        state.source_wedge[rim.wedge as usize],
                    );
                }
            }
        }
        corners.sort_unstable();
        corners.dedup();
        corners.retain(|&c| state.alive[c as usize / 3]);
        for &point in &points {
            let own = |c: &u32| state.corner_point[*c as usize] == point;
            s.other.clear();
            s.other.extend(corners.iter().copied().filter(own));
            for (k, &c) in s.other.iter().enumerate() {
                state.next[c as usize] = s.other[(k + 1) % s.other.len()];
            }
            state.first[point as usize] = s.other.first().copied().unwrap_or(NONE);
            state.version[point as usize] += 1;
        }
    }
}

/// True when some collapse would take a point for nothing and the shape of the faces around allows none of these.
fn is_stuck(state: &State, point: u32, guard: &mut Guard, s: &mut Scratch) -> bool {
    state.look_around(point, &mut s.ring);
    let mut around = std::mem::take(&mut s.other);
    around.clear();
    around.extend(s.ring.iter().flat_map(|&c| {
        let (n, p) = State::others(c);
        [n, p].map(|q| state.corner_point[q as usize])
    }));
    around.sort_unstable();
    around.dedup();
    let mut free = false;
    let goes = around.iter().any(|&far| {
        s.pairs.clear();
        s.pairs.extend(s.ring.iter().filter_map(|&c| {
            let (n, p) = State::others(c);
            let mut there = [n, p].into_iter();
            let there = there.find(|&t| state.corner_point[t as usize] == far)?;
            Some((c, there))
        }));
        let goes =
            plan_free(state, point, far, &s.pairs, &mut s.plan) && costs_nothing(state, &s.plan);
        free |= goes;
        goes && guard.would_allow(state, &s.plan, Release::Nothing)
    });
    s.other = around;
    free && !goes
}

/// True when every face of a filling looks the way its side does and the way the source does where its corners come from, and lies on
/// the UV sheet the same way up as the rest: what a collapse would be asked as well.
fn stands_upright(state: &State, side: &Side) -> bool {
    let turned = |[a, b, c]: [u32; 3]| {
        let [a, b, c] = [a, b, c].map(|w| state.uv[w as usize]);
        (b - a).perp_dot(c - a)
    };
    let wedges = |corners: [usize; 3]| corners.map(|i| side.rim[i].wedge);
    let way: f64 = if state.uv.is_empty() {
        0.0
    } else {
        (1..side.rim.len() - 1)
            .map(|i| turned(wedges([0, i, i + 1])))
            .sum()
    };
    side.filling.iter().all(|corners| {
        let corners = corners.map(usize::from);
        let [a, b, c] = corners.map(|i| state.place[side.rim[i].point as usize].as_dvec3());
        let vector = (b - a).cross(c - a);
        let facing: Vec3 = (wedges(corners).iter())
            .map(|&w| state.facing[w as usize].normalize_or_zero())
            .sum();
        let along = vector.as_vec3();
        vector.dot(side.normal) > TURN_COSINE * vector.length()
            && along.dot(facing) > AGREE_COSINE * along.length() * facing.length()
            && (state.uv.is_empty() || turned(wedges(corners)) * way > 0.0)
    })
}

/// True when the planes of the source say that a collapse moves nothing, as far as they can tell.
fn costs_nothing(state: &State, plan: &Plan) -> bool {
    let area = |p: u32| state.point_area[p as usize];
    let off = OFF_MEAN.max(16.0 * state.flat_off as f32);
    plan.geometric <= off * off * (area(plan.gone) + area(plan.kept))
}

/// True for neighbours in a polygon of n corners.
fn beside(i: usize, j: usize, n: usize) -> bool {
    i.abs_diff(j) == 1 || i.abs_diff(j) == n - 1
}

/// True for the side of a polygon that was not there before: the one between its ends, where the point stood on a line.
fn closing(whole: bool, i: usize, j: usize, n: usize) -> bool {
    !whole && i.abs_diff(j) == n - 1
}
