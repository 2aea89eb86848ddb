//! A small software rasteriser: pictures of assets without a graphics card.
//!
//! Perspective camera, depth buffer, 2 × 2 supersampling, textures filtered over the footprint of a pixel, cut-outs and blending, one side or
//! two. Bands of rows are drawn in parallel; the picture does not depend on how many. There are two lights: a studio's for pictures in lists, and
//! fixed surroundings with the materials of glTF 2.0, in which looks are compared.
//!
//! ```
//! use ectome_mesh::shapes;
//! use ectome_raster::{Backs, Camera, Light, Style, Surfaces, render};
//!
//! let ball = shapes::icosphere(1.0, 4);
//! let camera = Camera::fitting(&ball, 64, 48);
//! let style = Style { light: Light::Studio, clay: false, relief: true, backs: Backs::Shown, plain: glam::Vec3::splat(0.7) };
//! let picture = render(&ball, &Surfaces::default(), &camera, &style);
//! assert_eq!(picture.pixels.len(), 64 * 48);
//! ```
//!
//! | module | what it holds |
//! |---|---|
//! | `camera` | where a picture is taken from |
//! | `fragments` | which face each sample sees |
//! | `shader` | what a surface shows there |
//! | `studio`, `surroundings` | the two lights |
//! | `draw` | all of it together |

mod camera;
mod draw;
mod fragments;
mod picture;
mod shader;
mod studio;
mod surroundings;

pub use camera::Camera;
pub use draw::{Backs, Light, Style, Surfaces, render, render_each, seen_faces};
pub use picture::Picture;
pub use surroundings::light_from;
