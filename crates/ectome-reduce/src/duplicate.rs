//! Faces that stand twice in the source.
//!
//! A second face on the same points, wound the same way, in the same run, shows nothing and blocks every
//! collapse around it. It goes first, unless an edge would come to be open or worse for it.

use rayon::prelude::*;

use crate::{record::Recorder, state::State};

/// Takes doubled faces away, one operation each.
pub fn drop_doubles(state: &mut State, record: &mut Recorder) {
    let mut known: Vec<([u32; 3], u32, u32)> = (0..state.alive.len() as u32)
        .filter(|&f| state.alive[f as usize])
        .map(|f| (turned(points(state, f)), state.face_run[f as usize], f))
        .collect();
    known.par_sort_unstable();
    let mut ring = Vec::new();
    for same in known.chunk_by(|a, b| (a.0, a.1) == (b.0, b.1)) {
        for &(.., f) in &same[1..] {
            if (0..3).all(|k| stays_sound(state, f, k, &mut ring)) {
                let point = state.source_point[points(state, f)[0] as usize];
                record.drop_double(state.source_face[f as usize], point);
                state.alive[f as usize] = false;
                state.triangles -= 1;
            }
        }
    }
}

fn points(state: &State, f: u32) -> [u32; 3] {
    [0, 1, 2].map(|k| state.corner_point[(3 * f + k) as usize])
}

/// The same winding, the lowest point first.
fn turned([a, b, c]: [u32; 3]) -> [u32; 3] {
    let least = a.min(b).min(c);
    if least == a {
        [a, b, c]
    } else if least == b {
        [b, c, a]
    } else {
        [c, a, b]
    }
}

/// Whether side `k` of face `f` keeps two faces that run against each other, or more than two, without it.
fn stays_sound(state: &State, f: u32, k: u32, ring: &mut Vec<u32>) -> bool {
    let p = points(state, f);
    let (from, to) = (p[k as usize], p[(k as usize + 1) % 3]);
    state.look_around(from, ring);
    let (mut out, mut back) = (0, 0);
    for &c in ring.iter().filter(|&&c| c / 3 != f) {
        let (next, previous) = State::others(c);
        out += usize::from(state.corner_point[next as usize] == to);
        back += usize::from(state.corner_point[previous as usize] == to);
    }
    out + back > 2 || (out == 1 && back == 1)
}
