//! How the files of a parcel are made: the part of a brief that its tiers and maps do not say.

use ectome_formats::{
    Up,
    glb::Coding,
    space::{UNITS, metres},
};
use serde::{Deserialize, Serialize};

use super::names::{Field, Pattern};
use crate::far_end::HullSettings;

/// Words for the values of a setting: in TOML, in forms and in sentences.
macro_rules! words {
    ($(#[$about:meta])* $name:ident { $($(#[$doc:meta])* $value:ident = $word:literal, $says:literal;)* }) => {
        $(#[$about])*
        #[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
        #[serde(rename_all = "snake_case")]
        pub enum $name { $($(#[$doc])* $value,)* }

        impl $name {
            /// All of them.
            pub const ALL: &'static [Self] = &[$(Self::$value),*];

            /// The word in briefs and forms.
            pub fn word(self) -> &'static str {
                match self { $(Self::$value => $word,)* }
            }

            /// What it means, as a form says it.
            pub fn says(self) -> &'static str {
                match self { $(Self::$value => $says,)* }
            }

            /// The value of a word.
            pub fn of(word: &str) -> Option<Self> {
                Self::ALL.iter().copied().find(|v| v.word() == word)
            }
        }
    };
}

words! {
    /// How parts become objects.
    Objects {
        /// As they are.
        #[default]
        Kept = "kept", "each part is an object";
        /// All in one: drawn once for each material.
        One = "one", "all parts are one object";
    }
}

words! {
    /// How tiers are divided among GLB and glTF files.
    TiersIn {
        /// A file for each.
        #[default]
        Files = "files", "a file for each tier";
        /// One file, in which each tier hangs from a node.
        OneFile = "one_file", "one file, each tier below a node";
        /// The same, with the extension `MSFT_lod` and the share of the screen at which each takes over.
        Lod = "lod", "one file with MSFT_lod";
    }
}

words! {
    /// How GLB and glTF hold the numbers of vertices.
    Geometry {
        /// As floats.
        #[default]
        Plain = "plain", "as floats";
        /// As whole numbers of two bytes.
        Quantised = "quantised", "quantised (KHR_mesh_quantization)";
        /// The same, packed.
        Compressed = "compressed", "compressed (EXT_meshopt_compression)";
    }
}

impl Geometry {
    /// What the writer calls it.
    pub fn coding(self) -> Coding {
        match self {
            Self::Plain => Coding::Plain,
            Self::Quantised => Coding::Quantised,
            Self::Compressed => Coding::Compressed,
        }
    }
}

words! {
    /// The file format of textures. What a format cannot hold, opacity or exact normals, stays PNG.
    Pictures {
        /// As they were made or came.
        #[default]
        AsMade = "as_made", "as they are";
        /// PNG.
        Png = "png", "PNG";
        /// JPEG where nothing is transparent.
        Jpeg = "jpeg", "JPEG where nothing is transparent";
        /// WebP (`EXT_texture_webp`).
        Webp = "webp", "WebP (EXT_texture_webp)";
        /// KTX 2.0 with blocks that stay packed on the device (`KHR_texture_basisu`); PNG where sides are no multiples of four.
        Ktx2 = "ktx2", "KTX2 (KHR_texture_basisu)";
    }
}

words! {
    /// Where the origin of the files lies.
    Pivot {
        /// Where the source has it.
        #[default]
        Source = "source", "where the source has it";
        /// In the middle of the first tier's bounds.
        Centre = "centre", "the middle of the bounds";
        /// In the middle of the bounds' lower side: the asset stands on it.
        Base = "base", "the middle of the base";
    }
}

/// The symbol of the axis that points up.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum UpAxis {
    /// +Y.
    #[default]
    Y,
    /// +Z.
    Z,
}

impl UpAxis {
    /// The axis.
    pub fn up(self) -> Up {
        match self {
            Self::Y => Up::Y,
            Self::Z => Up::Z,
        }
    }
}

/// How the files of a parcel are made.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct Delivery {
    /// Names of mesh files, of `{asset}`, `{tier}`, `{date}`.
    pub file_names: String,
    /// Names of objects, of `{part}`, `{asset}`, `{tier}`.
    pub object_names: String,
    /// Names of pictures that are files of their own, of `{asset}`, `{map}`, `{size}`, `{date}`.
    pub map_names: String,
    /// How parts become objects.
    pub objects: Objects,
    /// How tiers are divided among GLB and glTF files.
    pub tiers: TiersIn,
    /// How GLB and glTF hold the numbers of vertices.
    pub geometry: Geometry,
    /// GLB and glTF hold tangents where there is a normal map.
    pub tangents: bool,
    /// OBJ and PLY hold triangles only; otherwise they keep quads and larger faces.
    pub triangulated: bool,
    /// The file format of textures.
    pub pictures: Pictures,
    /// How much JPEG and WebP keep, 1 to 100; WebP keeps all at 100.
    pub quality: u8,
    /// Normals, roughness and other figures keep every value; otherwise JPEG, WebP and KTX2 may lose some of them too.
    pub exact_data: bool,
    /// Sides of textures are powers of two.
    pub powers_of_two: bool,
    /// A texture is halved as long as this many decibels (PSNR) of it are kept; 0 never halves.
    pub halve_above_db: f64,
    /// Textures that keep their size whatever is lost, by name.
    pub keep_size: Vec<String>,
    /// Where the origin lies.
    pub pivot: Pivot,
    /// Times the size of the source.
    pub scale: f64,
    /// The unit in which OBJ, PLY and STL count; glTF counts in metres.
    pub unit: String,
    /// The axis that points up in OBJ, PLY and STL; in glTF Y does.
    pub up: UpAxis,
    /// Bits of an index into the vertices of an object, 16 or 32: some devices know 16 only.
    pub index_bits: u8,
    /// The prepared source and the first tier once more, as a pair with matching names for baking elsewhere.
    pub pair: bool,
    /// The most convex hulls for collisions, in a file of their own; 0 for none.
    #[serde(skip_serializing_if = "is_zero")]
    pub collision_hulls: u32,
    /// The most triangles of each of these.
    #[serde(skip_serializing_if = "is_usual")]
    pub collision_triangles: u32,
    /// Every map is a file of its own too, not only those that a format has no place for.
    pub loose_maps: bool,
}

impl Default for Delivery {
    fn default() -> Self {
        Self {
            file_names: "{asset}{tier}".to_owned(),
            object_names: "{part}{tier}".to_owned(),
            map_names: "{asset}_{map}".to_owned(),
            objects: Objects::Kept,
            tiers: TiersIn::Files,
            geometry: Geometry::Plain,
            tangents: true,
            triangulated: false,
            pictures: Pictures::AsMade,
            quality: 90,
            exact_data: true,
            powers_of_two: false,
            halve_above_db: 0.0,
            keep_size: Vec::new(),
            pivot: Pivot::Source,
            scale: 1.0,
            unit: "m".to_owned(),
            up: UpAxis::Y,
            index_bits: 32,
            pair: false,
            collision_hulls: 0,
            collision_triangles: HullSettings::default().triangles_each,
            loose_maps: false,
        }
    }
}

fn is_zero(n: &u32) -> bool {
    *n == 0
}

fn is_usual(n: &u32) -> bool {
    *n == HullSettings::default().triangles_each
}

/// The least and most that a scale may be.
const SCALES: std::ops::RangeInclusive<f64> = 1e-4..=1e4;
/// Beyond this nothing could be told apart in eight bits.
const MOST_DB: f64 = 100.0;

impl Delivery {
    /// Whether nothing of it was chosen.
    pub fn is_default(&self) -> bool {
        *self == Self::default()
    }

    /// The hulls for collisions, where they are wanted.
    pub fn collision(&self) -> Option<HullSettings> {
        (self.collision_hulls > 0).then_some(HullSettings {
            hulls: self.collision_hulls,
            triangles_each: self.collision_triangles,
        })
    }

    /// What is wrong with it, behind the name of its brief.
    pub(crate) fn fault(&self) -> Option<String> {
        let patterns = [
            (
                "file names",
                &self.file_names,
                &[Field::Asset, Field::Tier, Field::Date][..],
            ),
            (
                "object names",
                &self.object_names,
                &[Field::Part, Field::Asset, Field::Tier][..],
            ),
            (
                "map names",
                &self.map_names,
                &[Field::Asset, Field::Map, Field::Size, Field::Date][..],
            ),
        ];
        for (what, text, fields) in patterns {
            if let Err(fault) = Pattern::of(text, fields) {
                return Some(format!("has {what} that cannot be: {fault}"));
            }
        }
        if !(1..=100).contains(&self.quality) {
            return Some("needs a quality of pictures from 1 to 100".to_owned());
        }
        if !(0.0..=MOST_DB).contains(&self.halve_above_db) {
            return Some(format!("can halve textures above 0 to {MOST_DB} dB only"));
        }
        if !SCALES.contains(&self.scale) {
            return Some("needs a scale from 0.0001 to 10000".to_owned());
        }
        if ![16, 32].contains(&self.index_bits) {
            return Some("needs indices of 16 or 32 bits".to_owned());
        }
        if let Some(fault) = self.collision().and_then(|c| c.fault()) {
            return Some(format!("for collisions {fault}"));
        }
        if metres(&self.unit).is_none() {
            let units = UNITS.map(|u| u.0).join(", ");
            return Some(format!(
                "counts in \u{201c}{}\u{201d}; there are {units}",
                self.unit
            ));
        }
        None
    }
}
