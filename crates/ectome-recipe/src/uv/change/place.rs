//! Islands are put where a person wants them.

use ectome_mesh::Progress;
use ectome_uv::layout::Layout;
use ectome_uv::{clear, layout::Placement};
use glam::DVec2;
use serde::{Deserialize, Serialize};
use std::{collections::BTreeSet, fmt::Write};

use super::{form::list, kind::Kind};
use crate::uv::{packing::IslandMove, work::Work};
use crate::{EngineError, UvFault, change::Sent, figures::counted};

/// Islands are put where a person wants them.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Place {
    /// One after another.
    pub moves: Vec<IslandMove>,
    /// What was put too near to others, or to the edge of the sheet, is pushed off by what is missing.
    #[serde(default)]
    pub keep_clear: bool,
}

impl Kind for Place {
    fn title(&self) -> &'static str {
        "Placing islands"
    }

    fn keeps_sizes(&self) -> bool {
        true
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Self, String> {
        let moves: Vec<IslandMove> = list(sent, "moves", "The moves")?;
        if moves.is_empty() {
            return Err(
                "Nothing was moved. Choose islands and drag them on the sheet, or type figures and press Move, first."
                    .to_owned(),
            );
        }
        let keep_clear = sent.ticked("keep_clear");
        Ok(Self { moves, keep_clear })
    }

    fn make(&self, mut work: Work, _: &Progress) -> Result<(Layout, String), EngineError> {
        if self.moves.is_empty() || !self.moves.iter().all(IslandMove::is_sound) {
            return Err(UvFault::Move.into());
        }
        let mut touched = BTreeSet::new();
        let (mut pushed, mut stuck) = (0, 0);
        for one in &self.moves {
            let mut chosen = work.chosen(&one.at)?;
            let stacks: Vec<u32> = chosen
                .iter()
                .map(|&i| work.islands[i as usize].stack)
                .collect();
            let along = (0..work.islands.len() as u32)
                .filter(|&i| stacks.contains(&work.islands[i as usize].stack));
            chosen.extend(along);
            chosen.sort_unstable();
            chosen.dedup();
            work.shift(&chosen, one.placement());
            if self.keep_clear {
                let sheet = &work.packing.sheet;
                match clear::shift(&work.layout, &work.islands, &chosen, sheet) {
                    Some(DVec2::ZERO) => {}
                    Some(by) => {
                        work.shift(&chosen, Placement::STILL.moved(by));
                        pushed += 1;
                    }
                    None => stuck += 1,
                }
            }
            touched.extend(chosen);
        }
        let mut sentence = format!("{} put by hand", counted(touched.len() as u64, "island"));
        if pushed > 0 {
            let times = counted(pushed, "move");
            let _ = write!(sentence, ", {times} set off to keep the padding");
        }
        if stuck > 0 {
            let times = counted(stuck, "move");
            let _ = write!(
                sentence,
                ", {times} left where others or the edge are too near"
            );
        }
        Ok((work.layout, sentence))
    }
}
