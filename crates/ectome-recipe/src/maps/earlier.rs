//! What an earlier bake left, read back from its files, so that only what the brush touched is baked again.

use ectome_bake::Before;

use super::{BakeSettings, Kind, PaintedReach, on_sheet, painted, texels};
use crate::Artefact;

/// The artefacts of an earlier bake that differs in the painted reach alone.
pub struct Earlier<'a> {
    /// Its painted reach.
    pub painted: &'a [PaintedReach],
    /// One of its artefacts, by kind and name.
    pub artefact: &'a dyn Fn(&'static str, &str) -> Option<Vec<u8>>,
}

impl Earlier<'_> {
    /// What it left of a sheet; `None` where something is not there, so that everything is baked.
    pub(super) fn sheet(
        &self,
        settings: &BakeSettings,
        kinds: &[Kind],
        sheet: u32,
    ) -> Option<Before> {
        let bytes = (self.artefact)(Artefact::TEXELS, &on_sheet(Artefact::TEXELS, sheet))?;
        let (states, turns) = texels::read(&bytes)?;
        let map = |kind: &Kind| -> Option<Vec<u16>> {
            if kind.has_range() {
                return Some(Vec::new());
            }
            let bytes = (self.artefact)(Artefact::MAP, &on_sheet(kind.word(), sheet))?;
            values(&bytes, *kind, settings.deep)
        };
        Some(Before {
            painted: painted::balls(self.painted),
            states,
            turns,
            maps: kinds.iter().map(map).collect::<Option<_>>()?,
        })
    }
}

/// The values of a map's file, spread over 16 bits.
fn values(bytes: &[u8], kind: Kind, deep: bool) -> Option<Vec<u16>> {
    use image::DynamicImage as D;
    let wide = |bytes: Vec<u8>| bytes.into_iter().map(|v| u16::from(v) * 257).collect();
    match (image::load_from_memory(bytes).ok()?, kind.channels(), deep) {
        (D::ImageLuma8(i), 1, false) => Some(wide(i.into_raw())),
        (D::ImageRgb8(i), 3, false) => Some(wide(i.into_raw())),
        (D::ImageLuma16(i), 1, true) => Some(i.into_raw()),
        (D::ImageRgb16(i), 3, true) => Some(i.into_raw()),
        _ => None,
    }
}
