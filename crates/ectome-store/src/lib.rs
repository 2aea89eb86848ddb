//! What outlives a restart: rows in MariaDB, blobs in an object store, the queue of work.
//!
//! | module | what it holds |
//! |---|---|
//! | [`private_server`] | a MariaDB of our own on loopback, started and stopped with the application |
//! | [`blobs`] | meshes and pictures by content hash |
//! | [`asset`] | assets, their files and parts |
//! | [`analysis`] | what one analysis of a source found |
//! | [`candidate`] | what recipes made, the tray of an asset |
//! | [`chain`] | what fills the tiers of an asset |
//! | [`scene`] | assets under one budget |
//! | [`brief`] | briefs |
//! | [`work`] | the queue: taken with `FOR UPDATE SKIP LOCKED`, leased, kept alive by a heartbeat |
//! | [`worker`] | takes work and does it |
//!
//! No state lives in process memory: a server that is killed in the middle of a cut and started again
//! finishes the cut.

pub mod analysis;
pub mod asset;
pub mod blobs;
pub mod brief;
pub mod candidate;
pub mod chain;
mod error;
mod preparation;
pub mod private_server;
mod retry;
pub mod scene;
mod store;
pub mod work;
pub mod worker;

pub use error::StoreError;
pub use store::Store;
