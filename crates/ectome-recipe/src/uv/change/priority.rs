//! Some islands get more or fewer texels than the rest.

use ectome_mesh::Progress;
use ectome_uv::layout::Layout;
use serde::{Deserialize, Serialize};

use super::{
    form::{chosen, parts},
    kind::Kind,
};
use crate::uv::{packing::Spot, work::Work};
use crate::{
    EngineError, UvFault,
    change::{Sent, number},
};

/// Some islands get more or fewer texels than the rest.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Priority {
    /// Which.
    #[serde(default)]
    pub at: Vec<Spot>,
    /// All islands of these parts.
    #[serde(default)]
    pub parts: Vec<u32>,
    /// Times the density of the rest, 0.25 to 4.
    pub factor: f64,
}

impl Kind for Priority {
    fn title(&self) -> &'static str {
        "Setting priorities"
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Self, String> {
        let parts = parts(sent);
        let at = if parts.is_empty() {
            chosen(sent, "islands, or a part,")?
        } else {
            Vec::new()
        };
        let factor = number(sent.text("factor"), "A priority", LEAST, MOST)?;
        Ok(Self { at, parts, factor })
    }

    fn make(&self, work: Work, progress: &Progress) -> Result<(Layout, String), EngineError> {
        if !(LEAST..=MOST).contains(&self.factor) {
            return Err(UvFault::Priority.into());
        }
        let mut chosen = vec![false; work.islands.len()];
        for i in work.chosen(&self.at)? {
            chosen[i as usize] = true;
        }
        for (i, island) in work.islands.iter().enumerate() {
            chosen[i] |= self.parts.contains(&island.part);
        }
        // Stacked islands go along with the one they lie on.
        let leaders: Vec<usize> = (0..chosen.len())
            .filter(|&i| chosen[i])
            .map(|i| work.islands[i].stack as usize)
            .collect();
        for (i, island) in work.islands.iter().enumerate() {
            chosen[i] |= leaders.contains(&(island.stack as usize));
        }
        let usual = work.usual_density(&chosen);
        let size = |i: usize| match work.islands[i].density {
            density if chosen[i] && density > 0.0 => self.factor * usual / density,
            _ => 1.0,
        };
        let sizes = (0..chosen.len()).map(size).collect();
        let layout = work.sized(sizes, None, progress)?;
        let (count, factor) = (leaders.len(), self.factor);
        let sentence = format!("{count} islands at ×{factor} of the usual density");
        Ok((layout, sentence))
    }
}

/// Times the density of the rest.
const LEAST: f64 = 0.25;
const MOST: f64 = 4.0;
