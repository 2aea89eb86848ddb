//! Files in and out: a [`Scene`] is a mesh with the materials and pictures that belong to it.
//!
//! | format | in | out |
//! |---|---|---|
//! | GLB, glTF 2.0 binary (Khronos Group, *glTF 2.0 Specification*) | [`glb::read`] | [`glb::write`] |
//! | glTF 2.0 as text with its files | [`gltf::read`] | [`glb::document`] |
//! | OBJ with MTL and textures | [`obj::read`] | [`obj_write::write`] |
//! | PLY, text and binary | [`ply::read`] | [`ply_write::write`] |
//! | STL, text and binary | [`stl::read`] | [`stl_write::write`] |
//! | zip of these | [`archive::unpack`] | |
//!
//! Readers trust nothing: every count, offset and index is checked against the bytes that are really
//! there before memory is taken; [`read_within`] also keeps to a memory budget and stops when asked. What a reader had to leave out stands in [`Scene::notes`].
//!
//! ```
//! use ectome_formats::{Scene, glb};
//! use ectome_mesh::shapes;
//!
//! let scene = Scene::from(shapes::icosphere(1.0, 2));
//! let bytes = glb::write(&scene, &glb::Options::default())?;
//! let back = glb::read("ball.glb", &bytes)?;
//! assert_eq!(back.mesh.triangle_count(), 320);
//! # Ok::<(), ectome_formats::FormatError>(())
//! ```

pub mod archive;
mod error;
mod file_set;
pub mod files;
pub mod glb;
pub mod gltf;
pub mod material;
mod mtl;
mod mtl_write;
pub mod native;
pub mod obj;
pub mod obj_write;
pub mod picture_notice;
pub mod ply;
mod ply_header;
pub mod ply_write;
mod reading;
mod scene;
pub mod space;
pub mod stl;
pub mod stl_write;

pub use error::FormatError;
pub use file_set::FileSet;
pub use files::{read, read_within};
pub use material::{Image, Library};
pub use reading::Reading;
pub use scene::{Copy, Scene};
pub use space::{Space, Up};
