//! Islands that overlap, or leave the sheet, get places of their own; all others stay.

use ectome_mesh::Progress;
use ectome_uv::layout::Layout;
use serde::{Deserialize, Serialize};

use super::kind::Kind;
use crate::uv::work::Work;
use crate::{EngineError, change::Sent};

/// Islands that overlap, or leave the sheet, get places of their own; all others stay.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Separate {}

impl Kind for Separate {
    fn title(&self) -> &'static str {
        "Laying islands apart"
    }

    fn keeps_sizes(&self) -> bool {
        true
    }

    fn read(_: &str, _: &dyn Sent) -> Result<Self, String> {
        Ok(Self {})
    }

    fn make(&self, mut work: Work, progress: &Progress) -> Result<(Layout, String), EngineError> {
        let numbers = work.numbers();
        // A whole sheet to the side is the same texels of a texture that repeats.
        let mut moved = 0;
        for &i in &numbers.out_of_range {
            let island = &work.islands[i as usize];
            let by = (island.low + 1e-6).floor();
            if ((island.high - by).max_element()) <= 1.0 + 1e-6 {
                for &f in &island.faces {
                    let uv = &mut work.layout.uv[f as usize];
                    *uv = uv.map(|p| p - by);
                }
                moved += 1;
            }
        }
        work.measure_islands();
        let now = work.numbers();
        let mut faulty = [now.out_of_range.clone(), now.overlapping.clone()].concat();
        faulty.sort_unstable();
        faulty.dedup();
        let sentence = format!(
            "{moved} islands moved by whole sheets, {} got places of their own",
            faulty.len()
        );
        let layout = if faulty.is_empty() {
            work.layout
        } else {
            work.moved_only(&faulty, progress)?
        };
        Ok((layout, sentence))
    }
}
