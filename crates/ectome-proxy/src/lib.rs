//! Stand-ins: what takes an asset's place at the far end of its chain, and for collisions.
//!
//! | module | what it holds | source |
//! |---|---|---|
//! | `hull` | one convex hull, of a bounded count of points | C. B. Barber et al., *The Quickhull Algorithm for Convex Hulls*, 1996, furthest point first |
//! | `convex_parts` | a shape as a bounded count of hulls | K. Mamou, *Volumetric Hierarchical Approximate Convex Decomposition*, 2016 (from parry3d); joined again by the volume that adds: our own |
//! | `cards` | upright rectangles that show pictures | *common practice, no published source* |
//!
//! ```
//! use ectome_mesh::{Progress, measure, shapes};
//! use ectome_proxy::{Settings, convex_parts, hull};
//!
//! // A ring is as far from convex as a shape can be: its hull fills the hole, eight parts leave it open.
//! let ring = shapes::torus(1.0, 0.25, 48, 16);
//! let whole = hull(&ring.points, 64, &Progress::new())?.expect("a ring has an extent");
//! let settings = Settings { most: 8, points_each: 32, cells: 48 };
//! let parts = convex_parts(&ring, &settings, &Progress::new())?;
//! assert!(parts.len() <= 8);
//! let volume: f64 = parts.iter().map(|p| p.volume()).sum();
//! assert!(whole.volume() > 1.5 * measure::volume(&ring) && volume < 1.5 * measure::volume(&ring));
//! # Ok::<(), ectome_proxy::ProxyError>(())
//! ```

mod cards;
mod convex_parts;
mod error;
mod hull;
mod rectangles;

pub use cards::{CardSettings, Cards, cards};
pub use convex_parts::{Settings, convex_parts};
pub use error::ProxyError;
pub use hull::{Hull, hull};
pub use rectangles::Rectangles;
