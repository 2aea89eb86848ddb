//! Pages, partials, streams and what the viewer loads.
//!
//! Pages are rendered on the server; htmx swaps partials; progress arrives by server-sent events. Every
//! page works at a plain URL and after a reload. JavaScript shows, and decides nothing.
//!
//! A room holds the pages of one thing: its `mod.rs` says which routes lead there, `page.rs` answers them, `view.rs` is
//! what its template shows, made only when it is asked for.
//!
//! | room | what it serves |
//! |---|---|
//! | `assets` | the list of assets, and files dropped on it |
//! | `asset` | what all steps of an asset share: frame, tabs, what the Rule and the stage draw |
//! | `intake`, `parts`, `cut`, `uvs`, `maps`, `chain`, `proof`, `parcel`, `history` | one step of an asset each |
//! | `briefs`, `scenes`, `work` | the other pages |
//!
//! | shared | what it is for |
//! |---|---|
//! | [`state`] | what every handler needs |
//! | [`mod@router`] | all rooms, and what every answer passes through |
//! | `judged` | candidates against briefs |
//! | `events`, `feed` | progress; the latest work, asked for once for all pages that listen |
//! | `extract`, `fields`, `reply` | parts of requests, and answers; what cannot be read is a sentence |
//! | `opening` | what takes seconds to open is opened once, apart from the request |
//! | `page_json`, `rendered` | JSON inside a page, which no string can leave; parts of a page that are drawn already |
//! | [`guard`] | who may ask: `Host`, `Origin`, `Sec-Fetch-Site`, the token; security headers |
//! | `health` | what is wrong with the database or the disk, on every page at once |

mod asset;
mod assets;
mod batches;
mod briefs;
mod chain;
mod cut;
mod events;
mod extract;
mod failure;
mod feed;
mod fields;
pub mod guard;
mod health;
mod history;
mod intake;
mod judged;
mod maps;
mod opening;
mod outages;
mod page_json;
mod parcel;
mod parts;
mod plan;
mod proof;
mod rendered;
mod reply;
pub mod router;
mod scenes;
pub mod state;
mod static_files;
mod statics;
mod uvs;
mod words;
mod work;

pub use assets::keep_watching;
pub use cut::open_sources::OpenSources;
pub use feed::Feed;
pub use router::{router, serve};
pub use state::App;
pub use uvs::sheets::UvSheets;
