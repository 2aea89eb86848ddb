//! Several maps as the channels of one picture, as a brief names them.

use serde::{Deserialize, Serialize};

use super::{BakeSettings, Channel, Kind, MapFile, on_sheet};

/// A picture that holds a map, or a colour of one, in each of its channels.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Packed {
    /// Its name in names of files.
    pub name: String,
    /// What red holds; black without it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub red: Option<Channel>,
    /// What green holds.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub green: Option<Channel>,
    /// What blue holds.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub blue: Option<Channel>,
    /// What alpha holds; without it the picture has no alpha.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub alpha: Option<Channel>,
}

impl Packed {
    /// The maps it holds.
    pub fn kinds(&self) -> impl Iterator<Item = Kind> {
        let channels = [self.red, self.green, self.blue, self.alpha];
        channels.into_iter().flatten().filter_map(Channel::kind)
    }

    /// What it holds, in words.
    pub fn says(&self) -> String {
        let channels = [
            ("red", self.red),
            ("green", self.green),
            ("blue", self.blue),
            ("alpha", self.alpha),
        ];
        let held = channels
            .into_iter()
            .filter_map(|(channel, kind)| kind.map(|kind| format!("{channel} {}", kind.says())));
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
            let of = |channel: Option<Channel>| match channel? {
                Channel::Value(v) => Some(Plane::Even(u16::from(v) * 257)),
                Channel::Map {
                    kind,
                    colour,
                    inverted,
                } => {
                    let is_it = |f: &&MapFile| f.kind == kind && f.sheet == sheet;
                    let found = files.iter().find(is_it)?;
                    Plane::of(&found.bytes, colour.unwrap_or(0), inverted)
                }
            };
            let channels = [packed.red, packed.green, packed.blue, packed.alpha].map(of);
            if let Some(bytes) = together(channels, 0, settings.deep) {
                out.push((on_sheet(&packed.name, sheet), bytes));
            }
        }
    }
    out
}

/// The name of the picture of occlusion, roughness and metalness that materials wear: that of a packed one which holds them where glTF looks for
/// them (glTF 2.0, sections 3.9.2 and 3.9.3), so that both are one file.
pub(super) fn surface_name(settings: &BakeSettings) -> String {
    let is = |channel: Option<Channel>, kind: Kind| channel == Some(Channel::of(kind));
    let own = settings.packed.iter().find(|p| {
        is(p.red, Kind::Occlusion)
            && is(p.green, Kind::Roughness)
            && is(p.blue, Kind::Metalness)
            && p.alpha.is_none()
    });
    own.map_or("occlusion_roughness_metalness", |p| &p.name)
        .to_owned()
}

/// A channel of a picture, in 16 bits.
pub(super) enum Plane {
    /// The same everywhere.
    Even(u16),
    /// A value for each texel, with width and height.
    Texels(Vec<u16>, (u32, u32)),
}

impl Plane {
    /// A channel of a PNG. `None` where it cannot be read.
    pub(super) fn of(png: &[u8], colour: usize, inverted: bool) -> Option<Self> {
        let picture = image::load_from_memory(png).ok()?;
        let size = (picture.width(), picture.height());
        let mut texels: Vec<u16> = if picture.color().has_color() {
            let rgb = picture.into_rgb16();
            rgb.pixels().map(|p| p[colour.min(2)]).collect()
        } else {
            picture.into_luma16().into_raw()
        };
        if inverted {
            texels.iter_mut().for_each(|t| *t = u16::MAX - *t);
        }
        Some(Self::Texels(texels, size))
    }

    fn at(&self, texel: usize) -> u16 {
        match self {
            Self::Even(v) => *v,
            Self::Texels(texels, _) => texels[texel],
        }
    }
}

/// Up to four planes of one size as the channels of one picture; `ground` (0 to 255) where a colour is not there, no alpha without
/// the fourth. `None` where no plane has a size, or they differ in it.
pub(super) fn together(planes: [Option<Plane>; 4], ground: u8, deep: bool) -> Option<Vec<u8>> {
    let sizes = planes.iter().flatten().filter_map(|p| match p {
        Plane::Even(_) => None,
        Plane::Texels(_, size) => Some(*size),
    });
    let sizes: Vec<(u32, u32)> = sizes.collect();
    let &(w, h) = sizes.first()?;
    if sizes.iter().any(|s| *s != (w, h)) {
        return None;
    }
    let count = if planes[3].is_some() { 4 } else { 3 };
    let ground = u16::from(ground) * 257;
    let value = |k: usize, at: usize| planes[k].as_ref().map_or(ground, |p| p.at(at));
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
