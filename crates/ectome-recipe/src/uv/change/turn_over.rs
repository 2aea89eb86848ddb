//! Inside-out islands are turned over; with places, the islands there, whatever they are.

use ectome_mesh::Progress;
use ectome_uv::layout::Layout;
use glam::DVec2;
use serde::{Deserialize, Serialize};

use super::{form::chosen, kind::Kind};
use crate::uv::{packing::Spot, work::Work};
use crate::{EngineError, change::Sent};

/// Inside-out islands are turned over; with places, the islands there, whatever they are.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TurnOver {
    /// Which.
    #[serde(default)]
    pub at: Vec<Spot>,
}

impl Kind for TurnOver {
    fn title(&self) -> &'static str {
        "Turning islands over"
    }

    fn keeps_sizes(&self) -> bool {
        true
    }

    fn read(how: &str, sent: &dyn Sent) -> Result<Self, String> {
        let at = match how {
            "chosen" => chosen(sent, "the islands to turn over")?,
            _ => Vec::new(),
        };
        Ok(Self { at })
    }

    fn make(&self, mut work: Work, progress: &Progress) -> Result<(Layout, String), EngineError> {
        let chosen = if self.at.is_empty() {
            work.numbers().inside_out
        } else {
            work.chosen(&self.at)?
        };
        for &i in &chosen {
            let island = &work.islands[i as usize];
            let middle = island.low.x + island.high.x;
            for &f in &island.faces {
                let uv = &mut work.layout.uv[f as usize];
                *uv = uv.map(|p| DVec2::new(middle - p.x, p.y));
            }
        }
        work.measure_islands();
        let sentence = format!("{} islands turned over", chosen.len());
        let faulty = work.numbers().overlapping;
        let layout = if faulty.is_empty() {
            work.layout
        } else {
            work.moved_only(&faulty, progress)?
        };
        Ok((layout, sentence))
    }
}
