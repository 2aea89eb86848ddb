//! Where the faces around forbid a collapse, they are joined anew.
//!
//! A collapse drags the faces around one point along as they are. Where one of them would turn over, though the surface there is
//! nearly flat, the point is taken out instead and the hole is filled with other faces, as [`free`](crate::free) does for points that
//! cost nothing: whatever flips would have made the collapse possible are among the fillings. It is done where it costs no more than the
//! collapse that was refused would have cost.

use crate::{
    analysis::Analysis,
    feature::Class,
    free::{Allowance, Scratch},
    plan::Plan,
    state::NONE,
    tolerance::OFF,
};

/// How far UVs may be off an affine map of the surroundings, in units of the UV square: two texels of a texture of 2048. At half a tenth
/// of that nothing could be taken out of charts of scans; at three times as much UVs slip more than they do by collapses.
const UV_NEAR: f64 = 1e-3;

impl Analysis {
    /// Takes out the point that could not go by the collapse `refused`. True when it went: `s` then holds the sides that were filled.
    pub fn take_out_instead(&mut self, refused: &Plan, s: &mut Scratch) -> bool {
        let (state, point) = (&self.state, refused.gone as usize);
        let stays = state.first[point] == NONE
            || state.class[point] == Class::Corner
            || state.fixed_by[point] > 0
            || state.complex[point]
            || state.protect.get(point).is_some_and(|&w| w != 0.0);
        if stays {
            return false;
        }
        let area = |p: u32| state.point_area[p as usize];
        let off = (refused.geometric
            / (area(refused.gone) + area(refused.kept)).max(f32::MIN_POSITIVE))
        .sqrt();
        let allowed = Allowance {
            off: f64::from(off).max(OFF),
            uv_off: UV_NEAR,
            cost: Some(refused.geometric),
        };
        self.take_out(refused.gone, allowed, s)
    }
}
