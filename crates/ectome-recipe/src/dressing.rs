//! The UVs and maps that a brief asks for: the same whether a plan proposes them or a skin gets them in one go.

use ectome_uv::unwrap::Manner;

use crate::{
    Brief, UvStep,
    maps::{BakeSettings, Kind},
};

/// Maps where a brief asks for none: a skin has no textures, so it gets those that show what the source was.
const OF_SKIN: [Kind; 2] = [Kind::Normal, Kind::BaseColour];
/// Islands stand apart by this part of a sheet's edge, so that they hold in copies of it an eighth as large.
const PADDING: u32 = 256;

/// Texels between islands on a brief's sheet.
pub fn padding(brief: &Brief) -> u32 {
    (brief.texture_px / PADDING).max(1)
}

/// New UVs for a brief.
pub fn uvs(brief: &Brief, manner: Manner) -> UvStep {
    let mut uv = UvStep::unwrap(manner);
    let sheet = &mut uv.packing.sheet;
    sheet.size = brief.texture_px;
    sheet.padding = f64::from(padding(brief));
    sheet.border = sheet.padding;
    uv
}

/// The maps of a brief.
pub fn maps(brief: &Brief) -> BakeSettings {
    let kinds = brief.maps.iter().filter_map(|m| Kind::of(m)).collect();
    BakeSettings {
        green_up: brief.green != "down",
        packed: brief.packed.clone(),
        padding: 2 * padding(brief),
        ..BakeSettings::of(kinds, brief.texture_px)
    }
}

/// The UVs and the maps of a skin: what the brief asks for, on few soft islands, since a skin keeps no UVs.
pub fn of_skin(brief: &Brief) -> (UvStep, BakeSettings) {
    let mut maps = maps(brief);
    if maps.kinds.is_empty() && maps.packed.is_empty() {
        maps.kinds.extend(OF_SKIN);
    }
    (uvs(brief, Manner::Soft), maps)
}
