//! Pages, partials, streams and what the viewer loads.
//!
//! Pages are rendered on the server; htmx swaps partials; progress arrives by server-sent events. Every
//! page works at a plain URL and after a reload. JavaScript shows, and decides nothing.
//!
//! | module | what it serves |
//! |---|---|
//! | [`app`] | the routes and what every answer passes through |
//! | `assets_page`, `asset_page`, `briefs_page`, `scenes_page`, `work_page` | the pages |
//! | `intake_page`, `chain_page`, `tray_page`, `uv_page` | what the steps of an asset do |
//! | `*_view`, `ledger` | what the steps show |
//! | `judged` | candidates against briefs |
//! | `sheet` | the proof sheet: printable, and as one picture |
//! | `open_sources` | analysed sources in memory, for dragging the Rule |
//! | `uv_sheets` | examined UVs in memory, for the sheet |
//! | `upload` | files dropped on the Assets page, streamed to disk |
//! | `parcel` | downloads: a GLB per tier, the chain as a zip |
//! | `events` | progress |
//! | `feed` | the latest work, asked for once for all pages that listen |
//! | `extract`, `fields` | parts of requests; what cannot be read is a sentence |
//! | `page_json` | JSON inside a page, which no string can leave |
//! | [`guard`] | who may ask: `Host`, `Origin`, `Sec-Fetch-Site`, the token; security headers |
//! | `health` | what is wrong with the database or the disk, on every page at once |

pub mod app;
mod asset_page;
mod asset_view;
mod assets_page;
mod brief_form;
mod briefs_page;
mod chain_page;
mod chain_view;
mod change_form;
mod events;
mod extract;
mod failure;
mod feed;
mod fields;
pub mod guard;
mod health;
mod intake_page;
mod intake_view;
mod judged;
mod ledger;
mod open_sources;
mod page_json;
mod parcel;
mod proof_view;
mod scenes_page;
mod sheet;

mod statics;
mod tray_page;
mod tray_view;
mod upload;
mod uv_form;
mod uv_numbers;
mod uv_page;
mod uv_sheets;
mod uv_view;
mod words;
mod work_page;

pub use app::{App, router, serve};
pub use feed::Feed;
pub use open_sources::OpenSources;
pub use uv_sheets::UvSheets;
