//! UV islands: measured, made, joined and split, set to a texel density and packed.
//!
//! ```text
//! mesh ─▶ surface ─▶ cluster ─▶ grow ─▶ border ─▶ flatten ─▶ layout ─▶ arrange ─▶ pack
//!            │      seam_cost, cut_open                         │
//!            └─ seam_path     join ─────────────────────────────┴─▶ measure, stretch, gap
//! ```
//!
//! A [`layout::Layout`] is apart from any mesh: the island of each face and the place of each of its corners. Islands that
//! [`unwrap`] makes are true to size, in metres; [`arrange::pack`] lays them out, in widths of the sheet.
//!
//! ```
//! use ectome_mesh::{Progress, shapes};
//! use ectome_uv::{arrange, measure, pack::Settings, unwrap};
//!
//! let ball = shapes::icosphere(1.0, 3);
//! let progress = Progress::new();
//! let islands = unwrap::whole(&ball, &unwrap::Options::default(), &progress)?;
//! let found = measure::islands(&ball, &islands);
//! let settings = Settings { size: 512, padding: 4.0, border: 4.0, ..Settings::default() };
//! let layout = arrange::pack(&islands, &found, &arrange::Wishes::default(), &settings, &progress)?;
//! let numbers = measure::numbers(&ball, &layout, &measure::islands(&ball, &layout), 512);
//! assert_eq!((numbers.flipped_triangles, numbers.overlapping.len()), (0, 0));
//! assert!(numbers.smallest_gap_texels.unwrap() >= 4.0 && numbers.stretch_l2 < 1.02);
//! let with_uvs = layout.applied(&ball);
//! assert_eq!(with_uvs.uv_sets.len(), 1);
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! | module | what it answers |
//! |---|---|
//! | [`face_graph`] | which faces share which edges, how sharply they meet |
//! | [`seam_cost`], [`seam_path`] | where a seam is seen least, and the way between two points there |
//! | [`cluster`] | which faces look the same way |
//! | [`chart`], [`cut_open`] | faces with vertices of their own; where to cut until they are a disk |
//! | [`flatten`] | one chart laid flat without a fold |
//! | [`grow`] | which charts: as few as hold the bound |
//! | [`region`] | one chart laid flat, the rules, who has which face |
//! | [`border`] | where neighbouring charts meet: shorter, and less seen |
//! | [`unwrap`] | all of these for a mesh |
//! | [`layout`] | where every face lies |
//! | [`join`] | two islands made one, one made two |
//! | [`priority`] | how many texels an island is worth |
//! | [`arrange`], [`pack`] | which islands go together; where each goes |
//! | [`stacks`] | which islands lie on one another on purpose |
//! | [`measure`], [`stretch`], [`gap`] | what a layout is like, in numbers |
//!
//! Sources: Sander et al., *Texture Mapping Progressive Meshes*, SIGGRAPH 2001; Lévy et al., *Least Squares Conformal Maps*,
//! SIGGRAPH 2002; Garland, Willmott, Heckbert, *Hierarchical Face Clustering on Polygonal Surfaces*, I3D 2001; Gu, Gortler, Hoppe,
//! *Geometry Images*, SIGGRAPH 2002; Rabinovich et al., *Scalable Locally Injective Mappings*, 2017; each module names its own.

pub mod arrange;
pub mod border;
pub mod chart;
pub mod clear;
pub mod cluster;
pub mod cut_open;
pub mod face_graph;
pub mod flatten;
pub mod gap;
pub mod grow;
mod island;
pub mod join;
pub mod layout;
pub mod measure;
pub mod pack;
pub mod priority;
pub mod region;
pub mod seam_cost;
pub mod seam_path;
pub mod stacks;
pub mod stretch;
pub mod unwrap;
