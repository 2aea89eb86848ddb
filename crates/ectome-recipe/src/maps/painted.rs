//! Reach that was painted: where rays look further, or less far, than they would by themselves.

use ectome_bake::ReachBall;
use serde::{Deserialize, Serialize};

use crate::Ball;

/// One go of the brush.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct PaintedReach {
    /// Where: places of the low mesh inside any of these.
    pub balls: Vec<Ball>,
    /// What the reach is multiplied by there.
    pub times: f32,
}

/// As the kernel takes it; a later go counts before an earlier one.
pub(super) fn balls(painted: &[PaintedReach]) -> Vec<ReachBall> {
    let of = |go: &PaintedReach| {
        let times = go.times;
        go.balls.clone().into_iter().map(move |b| ReachBall {
            at: b.at.into(),
            radius: b.radius,
            times,
        })
    };
    painted.iter().flat_map(of).collect()
}
