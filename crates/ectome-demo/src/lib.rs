//! The props of *Skerry Light*, an invented game about a lighthouse station on a rock.
//!
//! Every mesh and texture is made here by code, the same bytes every time, in seconds. Nothing is
//! taken from anywhere.
//!
//! | asset | what is hard about it |
//! |---|---|
//! | [`fog_bell()`] | an assembly of many parts, dense bevels, bolts, a raised legend |
//! | [`mooring_post()`] | a "scan": dense everywhere, ground patch, floaters, holes, light in the texture |
//! | [`figurehead()`] | a sculpt: fine scales, no UVs |
//! | [`tide_plate()`] | numerals turned into mesh, n-gons |
//! | [`rope_winch()`] | quads, equal parts by the dozen, mirror images |
//! | [`enamel_kettle()`] | torn into patches, one texture that must survive |
//! | [`wreck_shelf()`] | a kit-bash: pieces run into one another, buried insides, a slit, an open underside, a sheet |
//! | [`harbour_lantern()`] | twelve kinds of material: glass, a net, a flame, brass, cloth with two sides … |
//! | [`signal_station()`] | four of them as one assembly with textures of 8192 and 4096 texels, made on request |
//! | [`write_skerry()`] | tens of millions of triangles, written on request |
//!
//! ```
//! let bell = ectome_demo::fog_bell();
//! assert!(bell.mesh.parts.len() >= 20 && bell.mesh.triangle_count() >= 300_000);
//! ```

mod bell;
mod canvas;
mod figurehead;
mod glyph;
mod kettle;
mod lantern;
mod noise;
pub mod once;
mod polygons;
mod post;
mod shelf;
mod skerry;
mod solid;
mod station;
mod surface_nets;
mod tide_plate;
mod winch;

pub use bell::fog_bell;
pub use figurehead::figurehead;
pub use kettle::enamel_kettle;
pub use lantern::harbour_lantern;
pub use post::mooring_post;
pub use shelf::wreck_shelf;
pub use skerry::write_skerry;
pub use station::signal_station;
pub use tide_plate::tide_plate;
pub use winch::rope_winch;

use ectome_formats::{FormatError, Scene, glb, obj_write};
use serde_json::{Value, json};

/// A plain material, linear colours.
fn material(name: &str, [r, g, b]: [f32; 3], metal: f32, rough: f32) -> Value {
    json!({ "name": name, "pbrMetallicRoughness": {
        "baseColorFactor": [r, g, b, 1.0], "metallicFactor": metal, "roughnessFactor": rough,
    } })
}

/// Who made the demo assets.
const NOTICE: &str = "Skerry Light, an invented scenario; made by Ectome's demo generator";

/// A demo asset: file name, title, and what makes it.
pub struct Asset {
    /// The name of its file, without extension.
    pub file: &'static str,
    /// What a person calls it.
    pub title: &'static str,
    /// The starting brief it is made for.
    pub brief: &'static str,
    /// Makes it.
    pub make: fn() -> Scene,
    /// The nearest it is seen from in the demo scene, in metres.
    pub seen_from_m: f64,
    /// How often it stands there; 0 where it does not.
    pub copies: u32,
    /// Its quads and n-gons matter: it is handed over as OBJ, which keeps them.
    pub polygons: bool,
}

impl Asset {
    /// The asset as files.
    ///
    /// # Errors
    /// None for the assets of this crate.
    pub fn files(&self) -> Result<Vec<(String, Vec<u8>)>, FormatError> {
        let scene = (self.make)();
        if self.polygons {
            return obj_write::write(&scene, self.file);
        }
        let bytes = glb::write(&scene, &glb::Options::default())?;
        Ok(vec![(format!("{}.glb", self.file), bytes)])
    }
}

/// All demo assets.
pub const ASSETS: [Asset; 8] = [
    Asset {
        file: "fog_bell",
        title: "Fog bell",
        brief: "Console, hero prop",
        make: fog_bell,
        seen_from_m: 2.0,
        copies: 1,
        polygons: false,
    },
    Asset {
        file: "mooring_post",
        title: "Mooring post",
        brief: "Console, hero prop",
        make: mooring_post,
        seen_from_m: 3.0,
        copies: 4,
        polygons: false,
    },
    Asset {
        file: "figurehead",
        title: "Sea-horse figurehead",
        brief: "Console, hero prop",
        make: figurehead,
        seen_from_m: 4.0,
        copies: 1,
        polygons: false,
    },
    Asset {
        file: "tide_plate",
        title: "Tide plate",
        brief: "Phone, hero prop",
        make: tide_plate,
        seen_from_m: 1.5,
        copies: 2,
        polygons: true,
    },
    Asset {
        file: "rope_winch",
        title: "Rope winch",
        brief: "Headset, hero prop",
        make: rope_winch,
        seen_from_m: 2.5,
        copies: 2,
        polygons: true,
    },
    Asset {
        file: "enamel_kettle",
        title: "Enamel kettle",
        brief: "Phone, hero prop",
        make: enamel_kettle,
        seen_from_m: 1.0,
        copies: 3,
        polygons: false,
    },
    Asset {
        file: "wreck_shelf",
        title: "Wreck shelf",
        brief: "Headset, environment piece",
        make: wreck_shelf,
        seen_from_m: 5.0,
        copies: 0,
        polygons: false,
    },
    Asset {
        file: "harbour_lantern",
        title: "Harbour lantern",
        brief: "Console, hero prop",
        make: harbour_lantern,
        seen_from_m: 1.5,
        copies: 0,
        polygons: false,
    },
];
