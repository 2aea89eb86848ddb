//! Maps of a low mesh, baked from a heavy source.
//!
//! For every texel of the low mesh's UVs a ray looks for the source: it begins outside, by the *reach*, and looks in through the
//! low surface. What it meets first, front face on, is what the texel shows: its normal, its colour, how high it stands.
//!
//! ```
//! use ectome_bake::{Kind, Settings, Source, bake};
//! use ectome_mesh::{MeshBuilder, Primitive, Progress};
//! use glam::{Affine3A, Vec2, Vec3};
//!
//! let corners = [Vec2::ZERO, Vec2::X, Vec2::ONE, Vec2::Y];
//! let mut builder = MeshBuilder::new();
//! builder.part("plate", Affine3A::IDENTITY).primitive(Primitive {
//!     positions: corners.map(|c| Vec3::new(c.x, 0.0, c.y)).to_vec(),
//!     uv_sets: vec![corners.to_vec()],
//!     corners: vec![0, 3, 2, 0, 2, 1],
//!     ..Primitive::default()
//! });
//! let plate = builder.finish();
//! let settings = Settings { size: 64, kinds: vec![Kind::Normal], ..Settings::default() };
//! let baked = bake(&Source::of(&plate), &plate, &settings, &Progress::new())?;
//! assert_eq!(baked.maps[0].texels.len(), 64 * 64 * 3);
//! assert_eq!(baked.counts.misses(), 0);
//! # Ok::<(), ectome_bake::BakeError>(())
//! ```
//!
//! | module | what it holds |
//! |---|---|
//! | [`kind`] | the maps there are, and how each is coded |
//! | [`settings`] | what is asked for |
//! | [`source`] | what is baked from: surface, materials, textures |
//! | `target` | the source as rays meet it |
//! | `frame` | the low mesh's normals, tangents and ray directions |
//! | `reach` | how far rays look |
//! | `cover` | which samples of which texels lie on which triangle |
//! | `look` | what is seen at a place of the source |
//! | `tile` | a square of texels: rays first, then every map |
//! | `around` | occlusion, bent normals, thickness: many rays a texel |
//! | `code` | values as files hold them |
//! | `again` | what has to be baked again where the reach was painted |
//! | `curvature` | how a surface bends |
//! | [`ids`] | colours that are easy to tell apart |
//! | `spread` | islands grown by the padding, the ground filled |
//! | `state` | how texels come out |
//! | [`run`] | all of it together |
//!
//! Conventions are glTF 2.0's: UV origin top left, green up, tangents by MikkTSpace (M. S. Mikkelsen, *Simulation of Wrinkled
//! Surfaces Revisited*, 2008), the bitangent made anew in every pixel.

mod again;
mod around;
mod code;
mod cover;
mod curvature;
mod frame;
pub mod ids;
pub mod kind;
mod look;
mod reach;
pub mod run;
pub mod settings;
pub mod source;
mod spread;
mod state;
mod target;
mod tile;

pub use again::Before;
pub use ectome_texture::{Alpha, Material, Slot};
pub use kind::Kind;
pub use run::{BakeError, Baked, Map, bake, bake_again};
pub use settings::{Directions, Matching, Reach, ReachBall, Settings};
pub use source::Source;
pub use state::{Counts, State};
