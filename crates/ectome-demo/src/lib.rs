//! The props of *Skerry Light*, an invented game about a lighthouse station on a rock.
//!
//! Every mesh and texture is made here by code, the same bytes every time, in seconds. Nothing is
//! taken from anywhere.
//!
//! | asset | what is hard about it |
//! |---|---|
//! | [`fog_bell`] | an assembly of many parts, dense bevels, bolts, a raised legend |
//! | [`mooring_post`] | a "scan": dense everywhere, ground patch, floaters, holes, light in the texture |
//! | [`write_skerry`] | tens of millions of triangles, written on request |
//!
//! ```
//! let bell = ectome_demo::fog_bell();
//! assert!(bell.mesh.parts.len() >= 20 && bell.mesh.triangle_count() >= 300_000);
//! ```

mod bell;
mod canvas;
mod glyph;
mod noise;
mod post;
mod skerry;
mod solid;
mod surface_nets;

pub use bell::fog_bell;
pub use post::mooring_post;
pub use skerry::write_skerry;

use ectome_formats::Scene;

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
}

/// All demo assets.
pub const ASSETS: [Asset; 2] = [
    Asset {
        file: "fog_bell",
        title: "Fog bell",
        brief: "Headset, hero prop",
        make: fog_bell,
    },
    Asset {
        file: "mooring_post",
        title: "Mooring post",
        brief: "Console, hero prop",
        make: mooring_post,
    },
];
