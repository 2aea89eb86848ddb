//! A small software rasteriser: pictures of assets without a graphics card.
//!
//! Perspective camera, depth buffer, one key light with a soft sky, base colour textures, 2 × 2
//! supersampling. Bands of rows are drawn in parallel; the picture does not depend on how many.
//!
//! ```
//! use ectome_mesh::shapes;
//! use ectome_raster::{Camera, Picture, Finish, render};
//!
//! let ball = shapes::icosphere(1.0, 4);
//! let camera = Camera::fitting(&ball, 64, 48);
//! let picture = render(&ball, &[], &camera, [0.72, 0.73, 0.71]);
//! assert_eq!(picture.pixels.len(), 64 * 48);
//! ```

mod camera;
mod draw;

pub use camera::Camera;
pub use draw::{Finish, Picture, render, render_each};
pub use ectome_texture::Texture;
