//! Everything between reading a mesh and cutting it: what is wrong with it, what repairs that, and what
//! becomes of each of its parts.
//!
//! ```text
//! mesh as read ─▶ diagnose ─▶ findings: count, harm, places, remedy
//!      │
//!      ├─▶ repair/…   weld, degenerate, winding, manifold, holes, floaters, polygons, clip
//!      └─▶ parts/…    split, join, hidden, repeats
//! ```
//!
//! Each repair takes a mesh and gives another one with a count of what it did; run again on its own result
//! it does nothing more. Quads and n-gons stay what they are unless the repair is about them.
//!
//! ```
//! use ectome_intake::repair::floaters;
//! use ectome_mesh::shapes;
//!
//! let ball = shapes::icosphere(1.0, 3);
//! let (same, gone) = floaters::drop_below(&ball, 0.1);
//! assert_eq!((same.face_count(), gone.pieces), (1280, 0));
//! ```
//!
//! Sources: C. Ericson, *Real-Time Collision Detection*, 2005; P. Liepa, *Filling Holes in Meshes*, 2003;
//! A. Guéziec, G. Taubin, F. Lazarus, B. Horn, *Cutting and Stitching*, 2001; W. Kabsch, *A Solution for the
//! Best Rotation to Relate Two Sets of Vectors*, 1976 (here from three points). Each stands where it is used.

pub mod diagnose;
pub mod parts;
pub mod repair;
