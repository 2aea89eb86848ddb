//! What a collapse must not do: change the topology, turn a face over, fold the UVs.

use ectome_mesh::topology::is_degenerate;
use glam::{DVec2, Vec3};

use crate::{
    plan::{Plan, Release, WedgeMerge},
    record::{MOST_MERGES, Recorder},
    state::{NONE, State},
};

/// A face may turn by less than 78° in one collapse.
pub(crate) const TURN_COSINE: f64 = 0.2;
/// A face looks at most 78° away from the mean of the source regions its corners stand for.
pub(crate) const AGREE_COSINE: f32 = 0.2;
/// A source region speaks for a direction when its area vectors do not cancel more than this.
const FACING_SHARE: f32 = 0.3;

/// Scratch memory of the checks; allocated once.
pub struct Guard {
    mark: Vec<u32>,
    stamp: u32,
    /// Corners of the point that goes.
    pub ring_gone: Vec<u32>,
    /// Corners of the point that stays.
    pub ring_kept: Vec<u32>,
    /// Faces that the collapse lays on one another, which go with it.
    pub folded: Vec<u32>,
}

impl Guard {
    /// Scratch for a mesh of `points` points.
    pub fn new(points: usize) -> Self {
        Self {
            mark: vec![0; points],
            stamp: 0,
            ring_gone: Vec::new(),
            ring_kept: Vec::new(),
            folded: Vec::new(),
        }
    }

    /// True when `plan` may be done. Leaves both rings behind for the collapse itself.
    pub fn allows(&mut self, state: &mut State, plan: &Plan, release: Release) -> bool {
        state.ring(plan.gone, &mut self.ring_gone);
        state.ring(plan.kept, &mut self.ring_kept);
        self.allows_here(state, plan, release)
    }

    /// The same for who only looks.
    pub fn would_allow(&mut self, state: &State, plan: &Plan, release: Release) -> bool {
        state.look_around(plan.gone, &mut self.ring_gone);
        state.look_around(plan.kept, &mut self.ring_kept);
        self.allows_here(state, plan, release)
    }

    fn allows_here(&mut self, state: &State, plan: &Plan, release: Release) -> bool {
        let complex = state.complex[plan.gone as usize] || state.complex[plan.kept as usize];
        self.folded.clear();
        let sound = if complex || release == Release::Knots {
            self.makes_no_edge_worse(state, plan, release)
        } else {
            self.keeps_topology(state, plan)
        };
        let changed = match release {
            Release::Nothing => plan.merges.len(),
            _ => plan.merges.len() + self.ring_gone.len(),
        };
        sound
            && (release >= Release::Lines || keeps_sides_apart(state, plan))
            && changed <= MOST_MERGES
            && self.covers_wedges(state, plan, release)
            && self.turns_nothing_over(state, plan, release)
    }

    /// The link condition: what is next to both ends is exactly what the edge's faces span
    /// (Dey et al. 1999).
    fn keeps_topology(&mut self, state: &State, plan: &Plan) -> bool {
        let (gone, kept) = (plan.gone, plan.kept);
        if self.stamp > u32::MAX - 4 {
            self.mark.fill(0);
            self.stamp = 0;
        }
        self.stamp += 2;
        let (near, common) = (self.stamp, self.stamp + 1);
        let mut edge_faces = 0;
        for &c in &self.ring_gone {
            let (n, p) = State::others(c);
            let (n, p) = (
                state.corner_point[n as usize],
                state.corner_point[p as usize],
            );
            if n == kept || p == kept {
                edge_faces += 1;
            }
            self.mark[n as usize] = near;
            self.mark[p as usize] = near;
        }
        if edge_faces == 0 {
            return false;
        }
        if edge_faces != 1 && state.on_border[gone as usize] && state.on_border[kept as usize] {
            return false;
        }
        let mut shared = 0;
        for &c in &self.ring_kept {
            let (n, p) = State::others(c);
            for q in [
                state.corner_point[n as usize],
                state.corner_point[p as usize],
            ] {
                if q != gone && self.mark[q as usize] == near {
                    self.mark[q as usize] = common;
                    shared += 1;
                }
            }
        }
        if shared != edge_faces {
            return false;
        }
        // No edge may be opposite to both ends: a face of each with two common neighbours would
        // become the same face twice.
        let opposite = |c: u32, other: u32| {
            let (n, p) = State::others(c);
            let (n, p) = (
                state.corner_point[n as usize],
                state.corner_point[p as usize],
            );
            (n != other
                && p != other
                && self.mark[n as usize] == common
                && self.mark[p as usize] == common)
                .then_some((n.min(p), n.max(p)))
        };
        for &c in &self.ring_gone {
            if let Some(edge) = opposite(c, kept)
                && self
                    .ring_kept
                    .iter()
                    .any(|&k| opposite(k, gone) == Some(edge))
            {
                return false;
            }
        }
        true
    }

    /// Where the surface is no surface, the link condition does not apply. Every edge whose faces
    /// change has an end at the collapse, so its faces can be counted before and after: no more open,
    /// non-manifold or inconsistent edges than before, and no face twice.
    ///
    /// When knots give way, faces that come to lie on one another go in pairs: a tunnel closes, a thin neck
    /// comes apart. The edge across from the collapse then loses faces too and is counted as well.
    fn makes_no_edge_worse(&mut self, state: &State, plan: &Plan, release: Release) -> bool {
        let (gone, kept) = (plan.gone, plan.kept);
        let mut before = Vec::new();
        let mut faces = Vec::new();
        let mut edge_faces = 0;
        for (ring, own, other) in [(&self.ring_gone, gone, kept), (&self.ring_kept, kept, gone)] {
            for &c in ring {
                let (n, p) = State::others(c);
                let (n, p) = (
                    state.corner_point[n as usize],
                    state.corner_point[p as usize],
                );
                let on_edge = n == other || p == other;
                edge_faces += usize::from(on_edge);
                // Out along the face's first side, in along its last.
                if !(on_edge && own == kept && n == gone) {
                    before.push((own, n, true));
                }
                if !(on_edge && own == kept && p == gone) {
                    before.push((own, p, false));
                }
                if !on_edge {
                    faces.push(((n.min(p), n.max(p)), c, n, p));
                }
            }
        }
        if edge_faces == 0 {
            return false;
        }
        faces.sort_unstable();
        let mut after = Vec::new();
        for same in faces.chunk_by(|a, b| a.0 == b.0) {
            if same.len() > 1 && release != Release::Knots {
                return false;
            }
            let (pairs, rest) = same.split_at(same.len() / 2 * 2);
            for &(_, _, n, p) in rest {
                after.push((kept, n, true));
                after.push((kept, p, false));
            }
            if let Some(&((low, high), ..)) = pairs.first() {
                self.folded.extend(pairs.iter().map(|&(_, c, ..)| c / 3));
                let mut ring = Vec::new();
                state.look_around(low, &mut ring);
                for c in ring {
                    let (n, p) = State::others(c);
                    let goes = pairs.iter().any(|&(_, f, ..)| f / 3 == c / 3);
                    for (q, outward) in [(n, true), (p, false)] {
                        if state.corner_point[q as usize] == high {
                            before.push((low, high, outward));
                            if !goes {
                                after.push((low, high, outward));
                            }
                        }
                    }
                }
            }
        }
        // Something has to be left standing.
        state.triangles > self.folded.len() + edge_faces
            && tally(&mut after)
                .iter()
                .zip(tally(&mut before))
                .all(|(a, b)| *a <= b)
    }

    /// Every wedge at a point that goes or moves must know its new UV.
    fn covers_wedges(&self, state: &State, plan: &Plan, release: Release) -> bool {
        let gone_covered = release > Release::Nothing
            || self.ring_gone.iter().all(|&c| {
                let w = state.corner_wedge[c as usize];
                plan.merges.iter().any(|m| m.from == w)
            });
        let kept_covered = !plan.moves
            || plan.lifts
            || self.ring_kept.iter().all(|&c| {
                let w = state.corner_wedge[c as usize];
                plan.merges.iter().any(|m| m.into == w)
            });
        gone_covered && kept_covered
    }

    fn turns_nothing_over(&self, state: &State, plan: &Plan, release: Release) -> bool {
        let folded = release >= Release::Lines || self.uv_is_folded(state);
        let fine = |c: u32, own: u32, other: u32| {
            let (n, p) = State::others(c);
            let on_edge =
                state.corner_point[n as usize] == other || state.corner_point[p as usize] == other;
            if on_edge || self.folded.contains(&(c / 3)) {
                return true; // goes with the collapse
            }
            face_stays_upright(state, plan, c, own, !folded, release)
        };
        self.ring_gone
            .iter()
            .all(|&c| fine(c, plan.gone, plan.kept))
            && (!plan.moves
                || self
                    .ring_kept
                    .iter()
                    .all(|&c| fine(c, plan.kept, plan.gone)))
    }
}

impl Guard {
    /// True when the UVs around the collapse run both ways already (folds of a projected scan):
    /// then no collapse could keep every sign, and none makes it worse.
    fn uv_is_folded(&self, state: &State) -> bool {
        if state.uv.is_empty() {
            return false;
        }
        let (mut left, mut right) = (false, false);
        for &c in self.ring_gone.iter().chain(&self.ring_kept) {
            let (n, p) = State::others(c);
            let at = uv_of(state, c);
            let sign = (uv_of(state, n) - at).perp_dot(uv_of(state, p) - at);
            left |= sign > 0.0;
            right |= sign < 0.0;
        }
        left && right
    }
}

/// A wedge must not come to stand for both sides of a thin wall: then nothing could tell any more which
/// way its faces should look. Such a wall stays a wall until lines give way.
fn keeps_sides_apart(state: &State, plan: &Plan) -> bool {
    let share = |facing: Vec3, area: f32| facing.length() / area.max(f32::MIN_POSITIVE);
    plan.merges.iter().all(|m| {
        let (from, into) = (m.from as usize, m.into as usize);
        let (f, i) = (state.facing[from], state.facing[into]);
        let (af, ai) = (state.area[from], state.area[into]);
        let after = share(f + i, af + ai);
        after >= FACING_SHARE || after >= share(f, af).min(share(i, ai))
    })
}

/// Open, non-manifold and inconsistent edges among sides given as (end, end, runs outward).
fn tally(sides: &mut [(u32, u32, bool)]) -> [usize; 3] {
    sides.sort_unstable();
    let mut counts = [0; 3];
    for edge in sides.chunk_by(|a, b| (a.0, a.1) == (b.0, b.1)) {
        match edge {
            [_] => counts[0] += 1,
            [a, b] => counts[2] += usize::from(a.2 == b.2),
            _ => counts[1] += 1,
        }
    }
    counts
}

/// Checks the face of corner `c` (at point `own`) before and after its corner goes to the new place.
fn face_stays_upright(
    state: &State,
    plan: &Plan,
    c: u32,
    own: u32,
    watch_uv: bool,
    release: Release,
) -> bool {
    let (n, p) = State::others(c);
    let (pn, pp) = (state.corner_place(n), state.corner_place(p));
    let old = [state.place[own as usize], pn, pp];
    let new = [plan.place, pn, pp];
    let (vector_old, vector_new) = (area_vector(old), area_vector(new));
    if is_degenerate(new) {
        return false;
    }
    if release == Release::Knots {
        return true;
    }
    let was_degenerate = is_degenerate(old);
    if !was_degenerate
        && vector_new.dot(vector_old) <= TURN_COSINE * vector_new.length() * vector_old.length()
    {
        return false;
    }
    if !agrees_with_source(state, [c, n, p], vector_new.as_vec3()) {
        return false;
    }
    if state.uv.is_empty() || !watch_uv {
        return true;
    }
    let wedge = state.corner_wedge[c as usize];
    let merge = plan
        .merges
        .iter()
        .find(|m| m.from == wedge || (plan.moves && m.into == wedge));
    let uv_new = match merge {
        Some(m) => m.uv,
        None if plan.lifts && own == plan.kept => uv_of(state, c),
        None => extrapolated_uv(state, wedge, plan.place),
    };
    let (un, up) = (uv_of(state, n), uv_of(state, p));
    let sign_old = (un - uv_of(state, c)).perp_dot(up - uv_of(state, c));
    let sign_new = (un - uv_new).perp_dot(up - uv_new);
    sign_old == 0.0 || sign_old * sign_new > 0.0
}

fn uv_of(state: &State, corner: u32) -> DVec2 {
    state.uv[state.corner_wedge[corner as usize] as usize]
}

/// The UV that the surroundings of `wedge` give a place, for wedges that move without a partner.
pub fn extrapolated_uv(state: &State, wedge: u32, place: Vec3) -> DVec2 {
    state.uv_fit[wedge as usize]
        .best_at(place.as_dvec3())
        .unwrap_or(state.uv[wedge as usize])
}

/// A face must not look against the source regions its corners stand for. Collapse by collapse a
/// face may turn a little; this keeps the sum of turns in bounds.
fn agrees_with_source(state: &State, corners: [u32; 3], vector: Vec3) -> bool {
    let mut sum = Vec3::ZERO;
    for c in corners {
        let w = state.corner_wedge[c as usize] as usize;
        let facing = state.facing[w];
        if facing.length() < FACING_SHARE * state.area[w] {
            return true;
        }
        sum += facing.normalize_or_zero();
    }
    vector.dot(sum) > AGREE_COSINE * vector.length() * sum.length()
}

fn area_vector([a, b, c]: [Vec3; 3]) -> glam::DVec3 {
    let a = a.as_dvec3();
    (b.as_dvec3() - a).cross(c.as_dvec3() - a)
}

/// Does `plan`: faces on the edge vanish, the rest of both rings share one point.
/// Tells `record` what happened.
pub fn collapse(state: &mut State, guard: &Guard, plan: &Plan, record: &mut Recorder) {
    record.begin();
    let (gone, kept) = (plan.gone as usize, plan.kept as usize);
    for &c in &guard.ring_gone {
        let (n, p) = State::others(c);
        let on_edge = [n, p]
            .iter()
            .any(|&o| state.corner_point[o as usize] as usize == kept);
        if on_edge {
            state.alive[c as usize / 3] = false;
            state.triangles -= 1;
            record.face(state.source_face[c as usize / 3]);
        }
    }
    for &f in &guard.folded {
        state.alive[f as usize] = false;
        state.triangles -= 1;
        record.face(state.source_face[f as usize]);
    }
    let mut lonely_uv: Vec<(u32, DVec2)> = if state.uv.is_empty() {
        Vec::new()
    } else {
        guard
            .ring_gone
            .iter()
            .map(|&c| state.corner_wedge[c as usize])
            .filter(|w| plan.merges.iter().all(|m| m.from != *w))
            .map(|w| (w, extrapolated_uv(state, w, plan.place)))
            .collect()
    };
    lonely_uv.sort_unstable_by_key(|&(w, _)| w);
    lonely_uv.dedup_by_key(|&mut (w, _)| w);
    for (w, uv) in lonely_uv {
        state.uv[w as usize] = uv;
        record.merge(state, w, w);
    }
    for m in &plan.merges {
        merge_wedges(state, plan, m);
        record.merge(state, m.from, m.into);
    }
    for &c in &guard.ring_gone {
        state.corner_point[c as usize] = plan.kept;
        let wedge = &mut state.corner_wedge[c as usize];
        if let Some(m) = plan.merges.iter().find(|m| m.from == *wedge) {
            *wedge = m.into;
        }
    }
    // Two rings become one by swapping one link of each.
    let (fg, fk) = (state.first[gone], state.first[kept]);
    if fk == NONE {
        state.first[kept] = fg;
    } else if fg != NONE {
        state.next.swap(fg as usize, fk as usize);
    }
    state.first[gone] = NONE;
    let (form, anchor) = (state.quadric[gone], state.anchor[gone]);
    state.quadric[kept] += form;
    state.anchor[kept] += anchor;
    let area = state.point_area[gone];
    state.point_area[kept] += area;
    state.place[kept] = plan.place;
    state.on_border[kept] |= state.on_border[gone];
    state.complex[kept] |= state.complex[gone];
    state.version[kept] += 1;
    state.version[gone] += 1;
    let area = state.point_area[kept].max(f32::MIN_POSITIVE);
    record.collapse(state, plan, (plan.geometric / area).sqrt());
}

fn merge_wedges(state: &mut State, plan: &Plan, m: &WedgeMerge) {
    let (from, into) = (m.from as usize, m.into as usize);
    if !state.uv.is_empty() {
        state.uv[into] = m.uv;
        state.uv_fit[into] = m.fit;
    }
    if plan.moves && !plan.lifts {
        let t = plan.along;
        for set in &mut state.more_uv {
            set[into] = set[from].lerp(set[into], t);
        }
        if !state.colour.is_empty() {
            state.colour[into] = state.colour[from].lerp(state.colour[into], t);
        }
    }
    let (normal, facing, area) = (state.normal[from], state.facing[from], state.area[from]);
    state.normal[into] += normal;
    state.facing[into] += facing;
    state.area[into] += area;
}
