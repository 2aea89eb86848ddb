//! Baking again only where rays look further, or less far, than before.
//!
//! A tile in which no sample lies in a ball that is new or has gone comes out as it did, bit for bit, so it is copied.

use ectome_mesh::Mesh;
use glam::Vec3;

use crate::{
    cover::{Bins, Sample},
    settings::ReachBall,
    state::State,
};

/// What an earlier bake of the same low mesh from the same source left, with the same settings but for the painted reach.
#[derive(Clone, Debug, Default)]
pub struct Before {
    /// Its painted reach.
    pub painted: Vec<ReachBall>,
    /// How its texels came out.
    pub states: Vec<State>,
    /// How far normals turn inside its texels (see [`Baked::turns`](crate::Baked)).
    pub turns: Vec<u8>,
    /// Its maps, in the order they are asked for now. What is coded by its largest length is made anew and may be empty.
    pub maps: Vec<Vec<u16>>,
}

/// The balls of one list that the other has not at the same place.
fn changed(before: &[ReachBall], now: &[ReachBall]) -> Vec<ReachBall> {
    let same = before.iter().zip(now).take_while(|(a, b)| a == b).count();
    [&before[same..], &now[same..]].concat()
}

/// For each tile whether it has to be baked again.
pub fn tiles(low: &Mesh, bins: &Bins, n: usize, before: &Before, now: &[ReachBall]) -> Vec<bool> {
    let balls = changed(&before.painted, now);
    let near: Vec<bool> = (0..low.face_count())
        .map(|f| balls.iter().any(|b| b.may_touch(low.triangle(f))))
        .collect();
    let inside = |sample: &Sample| {
        let f = sample.face as usize;
        near[f] && {
            let place = at(low.triangle(f), sample.weights);
            balls.iter().any(|b| b.holds(place))
        }
    };
    (0..bins.tiles * bins.tiles)
        .map(|tile| {
            bins.faces(tile).iter().any(|&f| near[f as usize])
                && bins.samples(tile, n).iter().flatten().any(inside)
        })
        .collect()
}

/// The place of weights on a triangle.
fn at([a, b, c]: [Vec3; 3], w: Vec3) -> Vec3 {
    a * w.x + b * w.y + c * w.z
}
