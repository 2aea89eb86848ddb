//! What one collapse would do, and what it would cost.

use glam::{DVec2, DVec3, Vec3};

use crate::{
    feature::{Class, SHUT},
    quadric::Quadric,
    state::State,
    tolerance::{EVEN, FLAT},
    uv_fit::UvFit,
};

/// A wedge that goes into another, and the UV the survivor gets.
#[derive(Clone, Copy, Debug)]
pub struct WedgeMerge {
    /// The wedge that goes.
    pub from: u32,
    /// The wedge that stays.
    pub into: u32,
    /// Its new UV (scaled), if the mesh has UVs.
    pub uv: DVec2,
    /// Both fits together, if the mesh has UVs.
    pub fit: UvFit,
}

/// One collapse.
#[derive(Clone, Debug)]
pub struct Plan {
    /// The point that goes.
    pub gone: u32,
    /// The point that stays.
    pub kept: u32,
    /// Where the point that stays ends up.
    pub place: Vec3,
    /// True when the point that stays may move.
    pub moves: bool,
    /// It moves, but all its attributes stay: a point of a line or a corner that lies better off the surface.
    pub lifts: bool,
    /// Where `place` is along the edge: 0 at the point that goes, 1 at the one that stays.
    pub along: f32,
    /// Integral of squared distance over the surface, in scaled units.
    pub cost: f32,
    /// The same without the pull to where the source had its surface: what is really lost.
    pub total: f32,
    /// Plans that cost this much or more need not be finished.
    pub limit: f32,
    /// The part of it that is distance from the surface.
    pub geometric: f32,
    /// Wedges that merge, each pair once.
    pub merges: Vec<WedgeMerge>,
}

impl Default for Plan {
    fn default() -> Self {
        Self {
            gone: 0,
            kept: 0,
            place: Vec3::ZERO,
            moves: false,
            lifts: false,
            along: 0.0,
            cost: 0.0,
            total: 0.0,
            limit: f32::INFINITY,
            geometric: 0.0,
            merges: Vec::new(),
        }
    }
}

/// What may give way when nothing else is left, one after the other.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Release {
    /// Nothing gives way.
    Nothing,
    /// Corners may go along their lines.
    Corners,
    /// Lines may be crossed; UVs stretch there.
    Lines,
    /// Knots may come undone: tunnels close, thin necks come apart, faces may turn over.
    Knots,
}

/// Plans the collapse of the edge between `a` and `b`, whose faces have the corners `spokes` (at
/// `a`, at `b`). Fills `plan` and returns true, or returns false when features forbid it that
/// `release` does not give up.
pub fn plan(
    state: &State,
    a: u32,
    b: u32,
    spokes: &[(u32, u32)],
    release: Release,
    plan: &mut Plan,
) -> bool {
    let on_line = state.is_line(spokes);
    let there = way(state, a, b, on_line, release);
    let back = way(state, b, a, on_line, release);
    match (there, back) {
        (Some(Kept::Moves), _) => best(state, a, b, spokes, Kept::Moves, plan),
        (_, Some(Kept::Moves)) => best(state, b, a, &flipped(spokes), Kept::Moves, plan),
        (Some(keeps), Some(_)) => cheaper_way(state, a, b, spokes, keeps, plan),
        (Some(keeps), None) => best(state, a, b, spokes, keeps, plan),
        (None, Some(keeps)) => best(state, b, a, &flipped(spokes), keeps, plan),
        (None, None) => false,
    }
}

/// Plans `gone` into `kept`, which stays where it is, whatever the wedges cost: for who has made sure that nothing slips. Fills
/// `plan` and returns true, or returns false when features forbid it.
pub fn plan_free(
    state: &State,
    gone: u32,
    kept: u32,
    spokes: &[(u32, u32)],
    plan: &mut Plan,
) -> bool {
    !spokes.is_empty()
        && way(state, gone, kept, state.is_line(spokes), Release::Nothing).is_some()
        && best(state, gone, kept, spokes, Kept::StaysFree, plan)
}

/// Whether `gone` may go into `kept`, and what then becomes of `kept`.
fn way(state: &State, gone: u32, kept: u32, on_line: bool, release: Release) -> Option<Kept> {
    use Class::{Corner, Inside, Line};
    let (gone, kept) = (gone as usize, kept as usize);
    if state.fixed_by[gone] > 0 || state.fixed_by[kept] == SHUT {
        return None;
    }
    let corners = release >= Release::Corners && on_line;
    let keeps = match (state.class[gone], state.class[kept]) {
        (Inside, Inside) if !on_line => Kept::Moves,
        (Inside, _) if !on_line => Kept::Lifts,
        (Line, Line) if on_line => Kept::Moves,
        (Line, Corner) if on_line => Kept::Lifts,
        // The end of a seam inside a surface: the seam grows shorter.
        (Line, Inside) if corners => Kept::Stays,
        (Corner, _) | (_, Corner) if corners => Kept::Stays,
        _ if release >= Release::Lines => Kept::StaysAnyhow,
        _ => return None,
    };
    let held = state.flat_only || state.fixed_by[kept] > 0;
    let fixed = keeps == Kept::Lifts && (state.complex[kept] || state.on_border[kept]);
    Some(match keeps {
        Kept::Moves | Kept::Lifts if held || fixed => Kept::Stays,
        keeps => keeps,
    })
}

/// Plans the collapse both ways and keeps the cheaper.
fn cheaper_way(
    state: &State,
    a: u32,
    b: u32,
    spokes: &[(u32, u32)],
    keeps: Kept,
    plan: &mut Plan,
) -> bool {
    let mut other = Plan::default();
    let there = best(state, a, b, spokes, keeps, plan);
    let back = best(state, b, a, &flipped(spokes), keeps, &mut other);
    if back && (!there || other.cost < plan.cost) {
        *plan = other;
    }
    there || back
}

/// What becomes of the point that stays.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Kept {
    /// It goes to the best place.
    Moves,
    /// It goes to the best place that its UVs, which stay, allow.
    Lifts,
    /// It stays where it is.
    Stays,
    /// The same, and somebody else has made sure that it costs nothing.
    StaysFree,
    /// It stays, even if the wedges at both ends do not answer each other.
    StaysAnyhow,
}

fn flipped(spokes: &[(u32, u32)]) -> Vec<(u32, u32)> {
    spokes.iter().map(|&(a, b)| (b, a)).collect()
}

/// Plans `gone` into `kept`, at the best place if the latter may move.
fn best(
    state: &State,
    gone: u32,
    kept: u32,
    spokes: &[(u32, u32)],
    keeps: Kept,
    plan: &mut Plan,
) -> bool {
    let lifts = keeps == Kept::Lifts;
    let moves = keeps == Kept::Moves;
    plan.merges.clear();
    for &(cg, ck) in spokes {
        let (from, into) = (
            state.corner_wedge[cg as usize],
            state.corner_wedge[ck as usize],
        );
        match plan.merges.iter().find(|m| m.from == from) {
            Some(m) if m.into == into || keeps == Kept::StaysAnyhow => continue,
            Some(_) => return false,
            None if moves && plan.merges.iter().any(|m| m.into == into) => return false,
            None => plan.merges.push(WedgeMerge {
                from,
                into,
                uv: DVec2::ZERO,
                fit: UvFit::default(),
            }),
        }
    }
    let has_uv = !state.uv.is_empty();
    let form = state.quadric[gone as usize] + state.quadric[kept as usize];
    let anchor = (state.anchor[gone as usize] + state.anchor[kept as usize]).form();
    let (pg, pk) = (
        state.place[gone as usize].as_dvec3(),
        state.place[kept as usize].as_dvec3(),
    );
    // Whatever the attributes add, the surface alone costs at least its minimum.
    let least = if moves || lifts {
        form.minimum().map_or(0.0, |x| form.at(x))
    } else {
        form.at(pk)
    };
    if least as f32 >= plan.limit {
        return false;
    }
    if has_uv {
        for m in &mut plan.merges {
            m.fit = state.uv_fit[m.from as usize].plus(&state.uv_fit[m.into as usize]);
        }
    }

    let mut tied = Quadric::default();
    if lifts && has_uv {
        tied = tied_by_uvs(state, kept, &plan.merges);
    }
    let place = if lifts {
        lifted(state, kept, &plan.merges, &form, 2.0 * pg.distance(pk))
    } else if moves {
        let mut whole = form + anchor;
        if has_uv {
            for m in &plan.merges {
                whole += m.fit.eliminated();
            }
        }
        let middle = (pg + pk) * 0.5;
        let reach = 4.0 * pg.distance_squared(pk);
        let candidates = [pk, pg, middle];
        whole
            .minimum()
            .filter(|x| x.distance_squared(middle) <= reach)
            .unwrap_or_else(|| {
                candidates
                    .into_iter()
                    .min_by(|x, y| whole.at(*x).total_cmp(&whole.at(*y)))
                    .unwrap_or(middle)
            })
            .as_vec3()
    } else {
        state.place[kept as usize]
    };
    let x = place.as_dvec3();
    let along = along(pg, pk, x);
    let on_line = moves && state.class[kept as usize] == Class::Line;
    let mut cost = form.at(x);
    plan.geometric = cost as f32;
    if lifts && has_uv {
        cost += tied.at(x);
    }
    for m in &mut plan.merges {
        if has_uv {
            let (from, into) = (state.uv[m.from as usize], state.uv[m.into as usize]);
            m.uv = if !moves {
                into
            } else if on_line {
                // On a line UVs stay on the chord: straight island outlines stay exact.
                from.lerp(into, along)
            } else {
                m.fit.best_at(x).unwrap_or_else(|| from.lerp(into, along))
            };
            if !lifts {
                cost += m.fit.error(x, m.uv);
            }
        }
        cost += state.shading_cost(m.from, m.into);
        cost += state.colour_cost(m.from, m.into, along as f32, moves);
    }
    plan.gone = gone;
    plan.kept = kept;
    plan.place = place;
    plan.moves = moves || lifts;
    plan.lifts = lifts;
    plan.along = along as f32;
    plan.total = cost as f32;
    if state.flat_only && keeps != Kept::StaysFree {
        let area = state.point_area[gone as usize] + state.point_area[kept as usize];
        if plan.geometric > FLAT * FLAT * area || plan.total > EVEN * EVEN * area {
            return false;
        }
    }
    plan.cost = (cost + anchor.at(x)) as f32;
    plan.cost.is_finite()
}

/// The best place for `kept` straight off the surface, or into it, by at most `reach`: along the mean direction of the source's faces
/// that it comes to stand for. So it may lie where a chord cuts off least, and no texture slips.
fn lifted(state: &State, kept: u32, merges: &[WedgeMerge], form: &Quadric, reach: f64) -> Vec3 {
    let mut facing = Vec3::ZERO;
    let from = state.place[kept as usize];
    if !each_wedge(state, kept, |wedge| facing += state.facing[wedge as usize]) {
        // The point where so many charts end is the pole of something round, and stays on it.
        return from;
    }
    for m in merges {
        facing += state.facing[m.from as usize];
    }
    let direction = facing.as_dvec3().normalize_or_zero();
    let off = form.least_along(from.as_dvec3(), direction);
    (from.as_dvec3() + direction * off.clamp(-reach, reach)).as_vec3()
}

/// Visits the wedges at a point, each once. False where there are more than twelve: those beyond are left out.
fn each_wedge(state: &State, point: u32, mut visit: impl FnMut(u32)) -> bool {
    let mut seen = [u32::MAX; 12];
    let (mut count, mut all) = (0, true);
    state.each_around(point, |corner| {
        let wedge = state.corner_wedge[corner as usize];
        if seen[..count].contains(&wedge) {
            return;
        }
        if count == seen.len() {
            all = false;
            return;
        }
        seen[count] = wedge;
        count += 1;
        visit(wedge);
    });
    all
}

/// What the UVs of all wedges at `kept`, which stay as they are, cost at another place, with what `merges` adds to some of them.
fn tied_by_uvs(state: &State, kept: u32, merges: &[WedgeMerge]) -> Quadric {
    let mut form = Quadric::default();
    each_wedge(state, kept, |wedge| {
        if merges.iter().all(|m| m.into != wedge) {
            form += state.uv_fit[wedge as usize].tied_to(state.uv[wedge as usize]);
        }
    });
    for m in merges {
        form += m.fit.tied_to(state.uv[m.into as usize]);
    }
    form
}

/// Where the foot of `x` on the segment from `from` to `to` is, 0–1.
fn along(from: DVec3, to: DVec3, x: DVec3) -> f64 {
    let edge = to - from;
    let length2 = edge.length_squared();
    if length2 > 0.0 {
        ((x - from).dot(edge) / length2).clamp(0.0, 1.0)
    } else {
        0.5
    }
}
