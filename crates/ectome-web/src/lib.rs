//! Pages, partials, streams and what the viewer loads.
//!
//! Pages are rendered on the server; htmx swaps partials; progress arrives by server-sent events. Every
//! page works at a plain URL and after a reload. JavaScript shows, and decides nothing.
//!
//! | module | what it serves |
//! |---|---|
//! | [`app`] | the routes and what every answer passes through |
//! | `shelf`, `asset_page`, `work_page` | the pages |
//! | `open_sources` | analysed sources in memory, for dragging the Rule |
//! | `upload` | files dropped on the shelf, streamed to disk |
//! | `parcel` | downloads: a GLB per tier, the chain as a zip |
//! | `events` | progress |
//! | `guard` | `Host` and `Origin`, security headers |

pub mod app;
mod asset_page;
mod asset_view;
mod change_form;
mod events;
mod failure;
mod fields;
mod guard;
mod intake_page;
mod intake_view;
mod ledger;
mod open_sources;
mod parcel;
mod shelf;
mod statics;
mod upload;
mod words;
mod work_page;

pub use app::{App, router, serve};
pub use open_sources::OpenSources;
