//! What one collapse would do, and what it would cost.

use glam::{DVec2, DVec3, Vec3};

use crate::{
    feature::Class,
    state::{State, UvFit},
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
}

/// One collapse.
#[derive(Clone, Debug, Default)]
pub struct Plan {
    /// The point that goes.
    pub gone: u32,
    /// The point that stays.
    pub kept: u32,
    /// Where the point that stays ends up.
    pub place: Vec3,
    /// True when the point that stays may move.
    pub moves: bool,
    /// Where `place` is along the edge: 0 at the point that goes, 1 at the one that stays.
    pub along: f32,
    /// Integral of squared distance over the surface, in scaled units.
    pub cost: f32,
    /// Wedges that merge, each pair once.
    pub merges: Vec<WedgeMerge>,
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
    use Class::{Corner, Inside, Line};
    let on_line = state.is_line(spokes);
    let (class_a, class_b) = (state.class[a as usize], state.class[b as usize]);
    let corners = release >= Release::Corners && on_line;
    match (class_a, class_b) {
        (Inside, Inside) if !on_line => best(state, a, b, spokes, Kept::Moves, plan),
        (Inside, _) if !on_line => best(state, a, b, spokes, Kept::Stays, plan),
        (_, Inside) if !on_line => best(state, b, a, &flipped(spokes), Kept::Stays, plan),
        (Line, Line) if on_line => best(state, a, b, spokes, Kept::Moves, plan),
        (Line, Corner) if on_line => best(state, a, b, spokes, Kept::Stays, plan),
        (Corner, Line) if on_line => best(state, b, a, &flipped(spokes), Kept::Stays, plan),
        (Line, Inside) if corners => best(state, a, b, spokes, Kept::Stays, plan),
        (Inside, Line) if corners => best(state, b, a, &flipped(spokes), Kept::Stays, plan),
        (Corner, _) | (_, Corner) if corners => cheaper_way(state, a, b, spokes, Kept::Stays, plan),
        _ if release == Release::Lines => cheaper_way(state, a, b, spokes, Kept::StaysAnyhow, plan),
        _ => false,
    }
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
    /// It stays where it is.
    Stays,
    /// The same, even if the wedges at both ends do not answer each other.
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
            }),
        }
    }
    let has_uv = !state.uv.is_empty();
    let form = state.quadric[gone as usize] + state.quadric[kept as usize];
    let (pg, pk) = (
        state.place[gone as usize].as_dvec3(),
        state.place[kept as usize].as_dvec3(),
    );
    let fit = |m: &WedgeMerge| state.uv_fit[m.from as usize].plus(&state.uv_fit[m.into as usize]);

    let place = if moves {
        let mut whole = form;
        if has_uv {
            for m in &plan.merges {
                whole += fit(m).eliminated();
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
    if has_uv {
        for m in &mut plan.merges {
            let (from, into) = (state.uv[m.from as usize], state.uv[m.into as usize]);
            let fit: UvFit = state.uv_fit[m.from as usize].plus(&state.uv_fit[m.into as usize]);
            m.uv = if !moves {
                into
            } else if on_line {
                // On a line UVs stay on the chord: straight island outlines stay exact.
                from.lerp(into, along)
            } else {
                fit.best_at(x).unwrap_or_else(|| from.lerp(into, along))
            };
            cost += fit.error(x, m.uv);
        }
    }
    plan.gone = gone;
    plan.kept = kept;
    plan.place = place;
    plan.moves = moves;
    plan.along = along as f32;
    plan.cost = cost as f32;
    plan.cost.is_finite()
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
