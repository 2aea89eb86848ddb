//! One closed outer skin over everything: over scans with holes, kit-bashes with buried interiors, boolean leftovers, soup.
//!
//! ```text
//! mesh ─▶ pieces (turned outward, sheets apart) ─▶ winding ─┐
//!   └──▶ cells near the surface ─▶ signs of their corners ◀─┘ ─▶ patches and quads ─▶ fit to the source ─▶ skin
//! ```
//!
//! | module | what it holds | source |
//! |---|---|---|
//! | `pieces` | loose pieces turned outward; which are open sheets | our own |
//! | [`winding`] | how often a surface goes around a place | A. Jacobson et al., *Robust Inside-Outside Segmentation using Generalized Winding Numbers*, 2013; trees of dipoles: G. Barill et al., *Fast Winding Numbers for Soups and Clouds*, 2018 |
//! | `cells` | cells near the surface, continued across openings | our own |
//! | `patches` | one vertex for each patch of surface in a cell | G. Nielson, *Dual Marching Cubes*, 2004; flips where a skin would touch itself: R. Wenger, *Isosurfaces*, 2013 |
//! | `ground` | what of the source can be seen from outside | our own |
//! | `fit` | vertices at corners and edges of the source | planes and truncated least squares as P. Lindstrom, *Out-of-Core Simplification of Large Polygonal Models*, 2000, applied to the skin's own triangles: our own |
//! | `ridges` | which edges of the source are edges of the shape, in places along them | our own |
//! | `settle` | triangles along the edges of the source | our own |
//! | `reach` | triangles divided where the skin falls short of an edge or a corner | greedy insertion: M. Garland, P. Heckbert, *Fast Polygonal Approximation of Terrains and Height Fields*, 1995 |
//!
//! ```
//! use ectome_mesh::{Progress, shapes};
//! use ectome_rebuild::{Settings, rebuild};
//!
//! let ball = shapes::icosphere(1.0, 4);
//! let skin = rebuild(&ball, &Settings::with_cell(0.1), &Progress::new()).unwrap();
//! assert_eq!(skin.report.border_edges + skin.report.non_manifold_edges, 0);
//! ```

mod bare;
mod cells;
mod error;
mod fit;
mod ground;
mod keyed;
mod patches;
mod pieces;
mod reach;
mod ridges;
mod settle;
mod skin;
pub mod winding;

pub use error::RebuildError;
pub use pieces::OpenPiece;
pub use skin::{Opening, Report, Settings, Skin, rebuild, volume};
