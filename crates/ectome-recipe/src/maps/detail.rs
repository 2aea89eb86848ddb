//! Islands whose texels are too large for what they show.
//!
//! A map holds one normal a texel. Where the source turns inside a texel, that one is a mean, and the detail is gone: no light
//! brings it back. How far it turns is measured by the samples of each texel, so it takes several.

use ectome_bake::Baked;
use ectome_mesh::{Mesh, islands};
use serde::{Deserialize, Serialize};

/// Normals may turn so far inside texels of an island, in degrees on the mean, before it is named. On a slope of 45 degrees to
/// the light 4 degrees change the shade by 7 %, about what an eye tells apart side by side (common practice, no published source).
pub const TURN: f32 = 4.0;
/// Smaller islands are a few texels whatever is done.
const SMALLEST: u32 = 64;
/// The most that are named.
const NAMED: usize = 12;

/// An island that wants more texels.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct CoarseIsland {
    /// The part it belongs to.
    pub part: String,
    /// A place on it, in metres: on the face whose texels show the least.
    pub at_m: [f32; 3],
    /// Its texels.
    pub texels: u32,
    /// How far the source turns inside one of them, in degrees on the mean.
    pub turn_degrees: f32,
    /// So many times the texels along each edge would keep it within [`TURN`].
    pub times: f32,
}

/// The islands of a low mesh that want more texels, those first where most is lost.
pub(super) fn coarse<'a>(low: &Mesh, sheets: impl Iterator<Item = &'a Baked>) -> Vec<CoarseIsland> {
    let (island, count) = islands::of_faces(low);
    let mut sums = vec![(0.0f64, 0u32); count];
    let mut worst = vec![(0.0f32, 0usize); count];
    for made in sheets {
        for (f, &(turn, texels)) in made.face_turns.iter().enumerate() {
            let Some(sum) = sums.get_mut(island[f] as usize).filter(|_| texels > 0) else {
                continue;
            };
            *sum = (sum.0 + f64::from(turn) * f64::from(texels), sum.1 + texels);
            let worst = &mut worst[island[f] as usize];
            if turn > worst.0 {
                *worst = (turn, f);
            }
        }
    }
    let part = low.part_of_faces();
    let mut list: Vec<CoarseIsland> = (sums.iter().zip(&worst))
        .filter(|((_, texels), _)| *texels >= SMALLEST)
        .map(|(&(sum, texels), &(_, f))| {
            let turn = (sum / f64::from(texels)) as f32;
            let [a, b, c] = low.triangle(f);
            CoarseIsland {
                part: low.parts[part[f] as usize].name.clone(),
                at_m: ((a + b + c) / 3.0).to_array(),
                texels,
                turn_degrees: turn,
                times: turn / TURN,
            }
        })
        .filter(|i| i.turn_degrees > TURN)
        .collect();
    let lost = |i: &CoarseIsland| (i.turn_degrees - TURN) * i.texels as f32;
    list.sort_by(|a, b| lost(b).total_cmp(&lost(a)));
    list.truncate(NAMED);
    list
}
