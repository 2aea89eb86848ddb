//! What stops a cut above its target.

use std::collections::BTreeMap;

use crate::{analysis::Analysis, feature::GUARDS, log::Holding};

/// Stands for the last piece of a part or of a material, beside the numbers of the guards.
const LAST_OF_PART: u8 = u8::MAX - 1;
/// Stands for a part that has no more than its smallest count.
const AT_FLOOR: u8 = u8::MAX - 2;

impl Analysis {
    /// Notes what keeps the triangles that are left.
    pub fn note_what_holds(&mut self) {
        let state = &self.state;
        let mut held: BTreeMap<(u32, u8), u32> = BTreeMap::new();
        for f in 0..state.alive.len() {
            if !state.alive[f] {
                continue;
            }
            let by = (3 * f..3 * f + 3)
                .map(|c| state.fixed_by[state.corner_point[c] as usize])
                .max()
                .unwrap_or(0);
            let stays = self.pieces[self.piece_of_face[f] as usize].stays;
            let by = match by {
                0 if self.floors.hold(state.face_part(f)) => AT_FLOOR,
                0 if stays => LAST_OF_PART,
                by => by,
            };
            *held.entry((state.face_part(f), by)).or_default() += 1;
        }
        self.record.log_mut().held = held
            .into_iter()
            .map(|((part, by), triangles)| Holding {
                by: match by {
                    0 => "the way the surface hangs together".to_owned(),
                    AT_FLOOR => "the smallest count of parts".to_owned(),
                    LAST_OF_PART => "parts that would vanish".to_owned(),
                    guard => GUARDS[usize::from(guard) - 1].to_owned(),
                },
                part,
                triangles,
            })
            .collect();
    }
}
