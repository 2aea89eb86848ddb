//! Several maps as the channels of one picture, as a brief names them.

use serde::{Deserialize, Serialize};

use super::{BakeSettings, Kind, MapFile, on_sheet};

/// A picture that holds a map of one channel in each of its channels.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Packed {
    /// Its name in names of files.
    pub name: String,
    /// What red holds; black without it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub red: Option<Kind>,
    /// What green holds.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub green: Option<Kind>,
    /// What blue holds.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub blue: Option<Kind>,
    /// What alpha holds; without it the picture has no alpha.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub alpha: Option<Kind>,
}

impl Packed {
    /// The maps it holds.
    pub fn kinds(&self) -> impl Iterator<Item = Kind> {
        [self.red, self.green, self.blue, self.alpha]
            .into_iter()
            .flatten()
    }

    /// What it holds, in words.
    pub fn says(&self) -> String {
        let channels = [
            ("red", self.red),
            ("green", self.green),
            ("blue", self.blue),
            ("alpha", self.alpha),
        ];
        let held = channels.into_iter().filter_map(|(channel, kind)| {
            kind.map(|kind| format!("{channel} {}", kind.word().replace('_', " ")))
        });
        held.collect::<Vec<_>>().join(", ")
    }

    /// What is wrong with it, as the end of a sentence that begins with the brief's name.
    pub fn fault(&self) -> Option<String> {
        let clean = |c: char| c.is_alphanumeric() || "_-".contains(c);
        let name = &self.name;
        if name.is_empty() || name.chars().count() > 40 || !name.chars().all(clean) {
            return Some(format!(
                "packs a picture called \u{201c}{name}\u{201d}; a name has 1 to 40 letters, digits, _ or -"
            ));
        }
        // A file of a map has its kind for a name already.
        if Kind::of(name).is_some() {
            return Some(format!(
                "packs a picture under the name of the map {name}; take another name"
            ));
        }
        if let Some(kind) = self.kinds().find(|k| k.channels() != 1) {
            return Some(format!(
                "packs {} into one channel of {name}; only maps of one channel can be packed",
                kind.word()
            ));
        }
        self.kinds()
            .next()
            .is_none()
            .then(|| format!("packs nothing into {name}"))
    }
}

/// All pictures that the settings name, sheet by sheet, with their names.
pub(super) fn all(files: &[MapFile], settings: &BakeSettings) -> Vec<(String, Vec<u8>)> {
    let mut out = Vec::new();
    for sheet in 0..settings.sheets {
        for packed in &settings.packed {
            let of = |kind: Option<Kind>| {
                let found = files
                    .iter()
                    .find(|f| Some(f.kind) == kind && f.sheet == sheet)?;
                Some(found.bytes.as_slice())
            };
            let channels = [packed.red, packed.green, packed.blue, packed.alpha].map(of);
            if let Some(bytes) = together(channels, 0, settings.deep) {
                out.push((on_sheet(&packed.name, sheet), bytes));
            }
        }
    }
    out
}

/// Up to four grey pictures of one size as the channels of one; `ground` (0 to 255) where a colour is not there, no alpha without
/// the fourth. `None` when none can be read.
pub(super) fn together(channels: [Option<&[u8]>; 4], ground: u8, deep: bool) -> Option<Vec<u8>> {
    let grey = channels.map(|c| Some(image::load_from_memory(c?).ok()?.into_luma16()));
    let (w, h) = grey.iter().flatten().next()?.dimensions();
    let count = if grey[3].is_some() { 4 } else { 3 };
    let ground = u16::from(ground) * 257;
    let value = |k: usize, at: usize| grey[k].as_ref().map_or(ground, |g| g.as_raw()[at]);
    let texels = (0..(w * h) as usize).flat_map(|at| (0..count).map(move |k| (k, at)));
    let bytes: Vec<u8> = if deep {
        texels
            .flat_map(|(k, at)| value(k, at).to_be_bytes())
            .collect()
    } else {
        // Eight bits were widened by 257.
        texels.map(|(k, at)| (value(k, at) / 257) as u8).collect()
    };
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, w, h);
    encoder.set_color(if count == 4 {
        png::ColorType::Rgba
    } else {
        png::ColorType::Rgb
    });
    encoder.set_depth(if deep {
        png::BitDepth::Sixteen
    } else {
        png::BitDepth::Eight
    });
    encoder.set_compression(png::Compression::Fast);
    let mut writer = encoder.write_header().ok()?;
    writer.write_image_data(&bytes).ok()?;
    writer.finish().ok()?;
    Some(out)
}
