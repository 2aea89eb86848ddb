//! The mesh every other floor of Ectome stands on.
//!
//! A **point** is a place in metres, right-handed, +Y up. A **vertex** is a point with attributes
//! (normal, UV sets, colour). A **face** is a polygon of vertices. Two vertices on one point make a
//! **seam** there. Everything is a flat array with `u32` indices, and all-triangle meshes pay
//! nothing per face, so that tens of millions of triangles fit in memory.
//!
//! ```
//! use ectome_mesh::{shapes, topology::Topology};
//!
//! let ball = shapes::icosphere(1.0, 3);
//! assert_eq!(ball.triangle_count(), 20 * 64);
//! let topology = Topology::of(&ball);
//! assert_eq!(topology.open_edges, 0);
//! assert_eq!(topology.euler_characteristic, 2); // closed, genus 0: V − E + F = 2
//! ```
//!
//! | module | what it answers |
//! |---|---|
//! | [`mesh`] | the arrays and their invariants |
//! | [`builder`] | how loose primitives become one mesh with shared points |
//! | [`edit`] | a mesh with some faces changed |
//! | [`edges`] | edges of polygons |
//! | [`rays`] | whether a ray gets away from a surface |
//! | [`weld`] | which positions are the same |
//! | [`triangulate`] | polygons to triangles |
//! | [`tangents`] | the basis of tangent-space normals |
//! | [`together`] | two meshes as one |
//! | [`topology`] | open and non-manifold edges, components, Euler characteristic |
//! | [`measure`] | bounds, area, volume, normals |
//! | [`nearest`] | the nearest place on a surface |
//! | [`islands`] | UV islands and where they end |
//! | [`sample`] | places spread evenly over a surface |
//! | [`scanline`] | which cells of a grid a triangle covers |
//! | [`silhouette`] | the filled shape of a mesh in parallel projection |
//! | [`progress`] | how far work is, and whether to stop |

pub mod builder;
mod cone_sums;
pub mod edges;
pub mod edit;
mod hierarchy;
pub mod islands;
pub mod measure;
pub mod mesh;
pub mod nearest;
pub mod normals;
pub mod pairing;
pub mod progress;
pub mod rays;
pub mod sample;
pub mod scanline;
pub mod shapes;
pub mod silhouette;
pub mod tangents;
pub mod together;
pub mod topology;
pub mod triangulate;
pub mod weld;

pub use builder::{MeshBuilder, Primitive};
pub use mesh::{Channels, Fate, Mesh, MeshError, Node, Part, Run};
pub use progress::{Cancelled, Glimpse, Progress};
