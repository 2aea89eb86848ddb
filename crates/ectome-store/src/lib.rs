//! What outlives a restart: rows in MariaDB, blobs in an object store, the queue of work.
//!
//! | module | what it holds |
//! |---|---|
//! | [`database`] | a MariaDB of our own, started, kept alive and stopped with the application |
//! | [`blobs`] | meshes and pictures by content hash |
//! | [`naming`] | keeps blobs that are being named from being taken away |
//! | [`collect`] | takes away the blobs that nobody names any more |
//! | [`disk`] | how much room is left |
//! | [`folder`] | folders and secrets that are nobody else's |
//! | [`asset`] | assets and their files |
//! | [`finding`] | assets found among many, and their tags |
//! | [`artefact`] | what is kept beside rows: meshes, views, pictures, fields, analyses |
//! | [`stock`] | the store as the engine asks it |
//! | [`analysis`] | what one analysis of a source found |
//! | [`candidate`] | what recipes made, the tray of an asset |
//! | [`chain`] | what fills the tiers of an asset |
//! | [`parcel`] | what was handed over |
//! | [`scene`] | assets under one budget |
//! | [`brief`] | briefs |
//! | [`batch`] | one brief and one plan for many assets |
//! | [`work`] | the queue: taken with `FOR UPDATE SKIP LOCKED`, leased, kept alive by a heartbeat |
//! | [`handling`] | work that is wanted sooner or again, and what it went through |
//! | [`worker`] | takes work and does it |
//!
//! No state lives in process memory: a server that is killed in the middle of a cut and started again
//! finishes the cut. docs/reliability.md says what is promised and how it is tested.

mod adopt;
pub mod analysis;
mod anew;
pub mod artefact;
mod asking;
pub mod asset;
pub mod batch;
pub mod blobs;
pub mod brief;
pub mod candidate;
pub mod chain;
pub mod collect;
pub mod database;
pub mod disk;
mod document;
mod error;
pub mod finding;
pub mod folder;
pub mod handling;
pub mod naming;
pub mod parcel;
mod plan;
mod preparation;
mod retry;
pub mod scene;
pub mod skin;
mod stand_in;
pub mod stock;
mod store;
pub mod work;
pub mod worker;

pub use error::StoreError;
pub use store::Store;
