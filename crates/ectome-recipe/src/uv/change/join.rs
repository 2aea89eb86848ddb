//! Two islands become one.

use ectome_mesh::Progress;
use ectome_uv::layout::Layout;
use ectome_uv::{flatten::Bound, join, unwrap::Ground};
use serde::{Deserialize, Serialize};

use super::{form::list, kind::Kind};
use crate::uv::{packing::Spot, work::Work};
use crate::{EngineError, UvFault, change::Sent};

/// Two islands become one.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Join {
    /// Which.
    pub at: [Spot; 2],
}

impl Kind for Join {
    fn title(&self) -> &'static str {
        "Joining islands"
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Self, String> {
        match list(sent, "chosen", "The chosen islands")?[..] {
            [a, b] => Ok(Self { at: [a, b] }),
            _ => Err("Choose exactly two islands that share a seam, then join them.".to_owned()),
        }
    }

    fn make(&self, mut work: Work, progress: &Progress) -> Result<(Layout, String), EngineError> {
        let pair = [work.island(self.at[0])?, work.island(self.at[1])?];
        if pair[0] == pair[1] {
            return Err(UvFault::OneIsland.into());
        }
        let ground = Ground::of(work.mesh);
        // A person who joins two islands accepts more stretch than unwrapping would.
        let bound = Bound::stretch(1.25, 8.0);
        let joined = join::join(
            &ground.surface,
            &ground.costs,
            &work.layout,
            &work.islands,
            pair,
            bound,
            progress,
        );
        progress.go_on()?;
        let Some(mut region) = joined else {
            return Err(UvFault::NotJoined.into());
        };
        // The new island comes in metres; it goes to the density of the two.
        let density = pair
            .map(|i| work.islands[i as usize].density)
            .iter()
            .sum::<f64>()
            / 2.0;
        region.flat.at.iter_mut().for_each(|p| *p *= density);
        work.layout.add(&[region]);
        Ok((
            work.packed(None, progress)?,
            "Two islands joined".to_owned(),
        ))
    }
}
