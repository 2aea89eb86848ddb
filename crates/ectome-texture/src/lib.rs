//! Pictures as textures.
//!
//! ```
//! use ectome_texture::{Coding, Texture};
//! use glam::Vec2;
//!
//! let red_and_green = [255, 0, 0, 255, 0, 255, 0, 255];
//! let texture = Texture::of(2, 1, &red_and_green, Coding::Srgb, None).unwrap();
//! assert_eq!(texture.at(Vec2::new(0.25, 0.5)).truncate().to_array(), [1.0, 0.0, 0.0]);
//! ```
//!
//! | module | what it holds |
//! |---|---|
//! | [`colour`] | how different two colours look |
//! | [`srgb`] | the sRGB transfer function |
//! | [`texture`] | a picture with smaller copies of itself, sampled over a footprint |
//! | [`material`] | how a surface looks, with its textures by their numbers |
//! | [`scale`] | a picture made smaller |
//! | [`fill`] | fills what nothing covers from what lies around it |
//! | [`used`] | which texels of a picture a surface uses |
//! | [`uastc`] | a picture as blocks that a device's own are made of |
//! | [`ktx2`] | these blocks with all smaller copies in a file |

pub mod colour;
pub mod fill;
pub mod ktx2;
pub mod material;
pub mod scale;
pub mod srgb;
pub mod texture;
pub mod uastc;
pub mod used;

pub use material::{Alpha, Material, Slot};
pub use texture::{Coding, Texture, Wrap};
