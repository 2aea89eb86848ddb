//! Files in and out: a [`Scene`] is a mesh with the materials and pictures that belong to it.
//!
//! | format | in | out |
//! |---|---|---|
//! | GLB, glTF 2.0 binary (Khronos Group, *glTF 2.0 Specification*) | [`glb::read`] | [`glb::write`] |
//! | OBJ with MTL and textures | [`obj::read`] | |
//! | PLY, text and binary | [`ply::read`] | |
//!
//! Readers trust nothing: every count, offset and index is checked against the bytes that are really
//! there before memory is taken. What a reader had to leave out stands in [`Scene::notes`].
//!
//! ```
//! use ectome_formats::{Scene, glb};
//! use ectome_mesh::shapes;
//!
//! let scene = Scene::from(shapes::icosphere(1.0, 2));
//! let bytes = glb::write(&scene, &glb::Naming::default())?;
//! let back = glb::read("ball.glb", &bytes)?;
//! assert_eq!(back.mesh.triangle_count(), 320);
//! # Ok::<(), ectome_formats::FormatError>(())
//! ```

mod error;
pub mod files;
pub mod glb;
pub mod material;
pub mod obj;
pub mod ply;
mod scene;

pub use error::FormatError;
pub use files::{FileSet, read};
pub use material::{Image, Library};
pub use scene::Scene;
