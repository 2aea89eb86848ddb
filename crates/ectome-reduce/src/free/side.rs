//! What lies around a point that may go: one flat side, or two that meet in a straight line.

use glam::{DVec2, DVec3};

use super::Scratch;
use crate::state::State;

/// Rings of more faces are left alone: filling takes time with their cube.
const MOST_FACES: usize = 96;
/// How far a colour may lie off the affine map of its surroundings, from 0 to 1: half a step of 8 bits.
const COLOUR_OFF: f64 = 0.5 / 255.0;

/// A corner of a polygon that is filled anew.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Rim {
    pub point: u32,
    pub wedge: u32,
}

/// One side of the point that goes: its faces, in order, and the points around them.
#[derive(Clone, Debug, Default)]
pub(crate) struct Side {
    pub rim: Vec<Rim>,
    pub faces: Vec<u32>,
    pub normal: DVec3,
    /// The triangles that fill it, by number in `rim`.
    pub filling: Vec<[u8; 3]>,
}

/// Sorts the faces around a point into one side or two. False where it is no point of a flat region and none on a straight line.
pub(super) fn sides(state: &mut State, point: u32, off: f64, s: &mut Scratch) -> bool {
    state.ring(point, &mut s.ring);
    let k = s.ring.len();
    if !(1..=MOST_FACES).contains(&k) || !in_order(state, &mut s.ring) {
        return false;
    }
    let at = |c: u32| state.corner_point[c as usize];
    let (first, last) = (State::others(s.ring[0]).0, State::others(s.ring[k - 1]).1);
    let closed = at(first) == at(last);
    if !planes(state, point, &s.ring, off, &mut s.plane) {
        return false;
    }
    // Where one side ends and the other begins: at spokes between faces of different planes, runs or wedges.
    s.breaks.clear();
    for i in 0..k {
        let before = match i {
            0 if !closed => {
                s.breaks.push(0);
                continue;
            }
            0 => k - 1,
            i => i - 1,
        };
        let (a, b) = (s.ring[before], s.ring[i]);
        let wedge = |c: u32| state.corner_wedge[c as usize];
        let (there, here) = (State::others(a).1, State::others(b).0);
        let differ = s.plane[before] != s.plane[i]
            || state.face_run[a as usize / 3] != state.face_run[b as usize / 3]
            || wedge(a) != wedge(b)
            || wedge(there) != wedge(here);
        if differ {
            s.breaks.push(i);
        }
    }
    let ranges: &[(usize, usize)] = match (closed, &s.breaks[..]) {
        (true, []) => &[(0, k)],
        (true, &[a, b]) => &[(a, b), (b, a + k)],
        (false, [0]) => &[(0, k)],
        _ => return false,
    };
    s.sides.resize_with(ranges.len(), Side::default);
    let place = |p: u32| state.place[p as usize].as_dvec3();
    let middle = place(point);
    for (side, &(from, to)) in s.sides.iter_mut().zip(ranges) {
        side.rim.clear();
        side.faces.clear();
        side.normal = DVec3::ZERO;
        for i in from..to {
            let c = s.ring[i % k];
            let (n, p) = State::others(c);
            let rim = |corner: u32| Rim {
                point: at(corner),
                wedge: state.corner_wedge[corner as usize],
            };
            side.rim.push(rim(n));
            // A whole ring ends where it begins.
            if i + 1 == to && !s.breaks.is_empty() {
                side.rim.push(rim(p));
            }
            side.faces.push(c / 3);
            side.normal += (place(at(n)) - middle).cross(place(at(p)) - middle);
        }
        side.normal = side.normal.normalize_or_zero();
        if side.normal == DVec3::ZERO {
            return false;
        }
    }
    s.breaks.is_empty() || {
        let rim = &s.sides[0].rim;
        is_between(
            middle,
            place(rim[0].point),
            place(rim[rim.len() - 1].point),
            off,
        )
    }
}

/// Puts the corners of a point in order around it, an open fan from its beginning; false where it is not one fan.
fn in_order(state: &State, ring: &mut [u32]) -> bool {
    let at = |c: u32| state.corner_point[c as usize];
    let begins = |c: u32| at(State::others(c).0);
    let ends = |c: u32| at(State::others(c).1);
    // A beginning that nothing ends at; a closed fan begins anywhere.
    let first = (0..ring.len()).find(|&i| ring.iter().all(|&c| ends(c) != begins(ring[i])));
    ring.swap(0, first.unwrap_or(0));
    for i in 1..ring.len() {
        let wanted = ends(ring[i - 1]);
        let mut found = (i..ring.len()).filter(|&j| begins(ring[j]) == wanted);
        let (Some(j), None) = (found.next(), found.next()) else {
            return false;
        };
        ring.swap(i, j);
    }
    // No point twice on the way.
    let twice = |i: usize| ring[..i].iter().any(|&c| begins(c) == begins(ring[i]));
    !(1..ring.len()).any(twice)
}

/// Which of two planes each face around a point lies in; false where two are not enough.
fn planes(state: &State, point: u32, ring: &[u32], most: f64, into: &mut Vec<u8>) -> bool {
    const UNKNOWN: u8 = u8::MAX;
    let middle = state.place[point as usize].as_dvec3();
    let off = |c: u32| state.corner_place(c).as_dvec3() - middle;
    let vector = |c: u32| {
        let (n, p) = State::others(c);
        off(n).cross(off(p))
    };
    into.clear();
    into.resize(ring.len(), UNKNOWN);
    for plane in 0..2 {
        let unknown = || (0..ring.len()).filter(|&i| into[i] == UNKNOWN);
        let size = |&i: &usize| vector(ring[i]).length_squared();
        let Some(largest) = unknown().max_by(|a, b| size(a).total_cmp(&size(b))) else {
            break;
        };
        let Some(first) = vector(ring[largest]).try_normalize() else {
            return false;
        };
        let lies = |c: u32, normal: DVec3, off_most: f64| {
            let (n, p) = State::others(c);
            off(n).dot(normal).abs() <= off_most
                && off(p).dot(normal).abs() <= off_most
                && vector(c).dot(normal) >= 0.0
        };
        // One face alone says little of a plane that is much wider than it: all that lie near it together do.
        let near = unknown().filter(|&i| lies(ring[i], first, 8.0 * most));
        let sum: DVec3 = near.map(|i| vector(ring[i])).sum();
        let normal = sum.normalize_or(first);
        for i in 0..ring.len() {
            if into[i] == UNKNOWN && lies(ring[i], normal, most) {
                into[i] = plane;
            }
        }
    }
    !into.contains(&UNKNOWN)
}

/// True when a point lies on the segment between two others.
fn is_between(p: DVec3, a: DVec3, b: DVec3, off: f64) -> bool {
    let (to, from) = (b - p, p - a);
    let along = (b - a).normalize_or_zero();
    from.dot(along) > 0.0
        && to.dot(along) > 0.0
        && from.reject_from_normalized(along).length() <= off
}

/// True when UVs and colours of a side are one affine map of the place, so that nothing slips however it is filled.
pub(super) fn is_even(state: &State, point: u32, side: &Side, uv_off: f64) -> bool {
    let middle = state.place[point as usize].as_dvec3();
    let own = side.faces[0] * 3;
    let own = (own..own + 3).find(|&c| state.corner_point[c as usize] == point);
    let Some(own) = own.map(|c| state.corner_wedge[c as usize] as usize) else {
        return false;
    };
    let (along, across) = side.normal.any_orthonormal_pair();
    let places = || {
        side.rim.iter().map(|r| {
            let off = state.place[r.point as usize].as_dvec3() - middle;
            (
                DVec2::new(off.dot(along), off.dot(across)),
                r.wedge as usize,
            )
        })
    };
    // The slope of a value that changes evenly, by least squares, and how far anything is off it.
    let (mut xx, mut xy, mut yy) = (0.0, 0.0, 0.0);
    for (x, _) in places() {
        (xx, xy, yy) = (xx + x.x * x.x, xy + x.x * x.y, yy + x.y * x.y);
    }
    let determinant = xx * yy - xy * xy;
    if determinant <= 0.0 {
        return false;
    }
    let even = |value: &dyn Fn(usize) -> f64, most: f64| {
        let zero = value(own);
        let (mut bx, mut by) = (0.0, 0.0);
        for (x, w) in places() {
            let v = value(w) - zero;
            (bx, by) = (bx + x.x * v, by + x.y * v);
        }
        let slope = DVec2::new(yy * bx - xy * by, xx * by - xy * bx) / determinant;
        places().all(|(x, w)| (value(w) - zero - slope.dot(x)).abs() <= most)
    };
    let uv =
        state.uv.is_empty() || (0..2).all(|k| even(&|w| state.uv[w][k] / state.uv_scale, uv_off));
    uv && (state.more_uv.iter()).all(|set| (0..2).all(|k| even(&|w| f64::from(set[w][k]), uv_off)))
        && (state.colour.is_empty()
            || (0..4).all(|k| even(&|w| f64::from(state.colour[w][k]), COLOUR_OFF)))
}
