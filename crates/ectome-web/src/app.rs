//! The routes.

use std::{path::PathBuf, sync::Arc};

use axum::{
    Router,
    extract::DefaultBodyLimit,
    middleware,
    routing::{get, post},
};
use ectome_store::Store;
use tokio::net::TcpListener;
use tower_http::compression::{
    CompressionLayer,
    predicate::{DefaultPredicate, NotForContentType, Predicate},
};

use crate::{
    asset_page, assets_page, briefs_page, chain_page, events, failure, feed::Feed, guard, health,
    intake_page, open_sources::OpenSources, parcel, scenes_page, sheet, statics, tray_page, upload,
    uv_page, uv_sheets::UvSheets, work_page,
};

/// What every handler needs.
#[derive(Clone)]
pub struct App {
    /// Rows and blobs.
    pub store: Store,
    /// Where uploads lie until they are complete.
    pub incoming: Arc<PathBuf>,
    /// The largest upload, in bytes.
    pub upload_limit: u64,
    /// Sources that are being looked at.
    pub open: OpenSources,
    /// Sheets of UVs that are being looked at.
    pub sheets: UvSheets,
    /// The latest work, for pages that listen.
    pub feed: Feed,
    /// The port the server answers on; `Host` must name it.
    pub port: u16,
}

/// All routes of the application.
pub fn router(app: App) -> Router {
    // Meshes are compressed badly and often; pages, styles and scripts well and rarely.
    let worth_it = DefaultPredicate::new().and(NotForContentType::const_new("model/gltf-binary"));
    Router::new()
        .route("/", get(assets_page::page))
        .route("/cards", get(assets_page::cards))
        .route(
            "/assets",
            post(upload::receive).layer(DefaultBodyLimit::disable()),
        )
        .route("/assets/{id}", get(asset_page::default_step))
        .route("/assets/{id}/{step}", get(asset_page::page))
        .route("/assets/{id}/{step}/panel", get(asset_page::panel))
        .route("/assets/{id}/cuts", post(asset_page::cut))
        .route("/assets/{id}/chains", post(chain_page::fill))
        .route("/assets/{id}/tiers/{tier}", post(chain_page::tier))
        .route("/assets/{id}/candidates/{number}", post(tray_page::act))
        .route("/assets/{id}/anew", post(tray_page::anew))
        .route("/assets/{id}/layouts/{number}", post(uv_page::change))
        .route("/assets/{id}/layouts/{number}/sheet", get(uv_page::sheet))
        .route("/assets/{id}/layouts/{number}/mesh", get(uv_page::mesh))
        .route(
            "/assets/{id}/layouts/{number}/numbers",
            get(uv_page::numbers),
        )
        .route("/assets/{id}/layouts/{number}/path", get(uv_page::path))
        .route("/assets/{id}/sheet", get(sheet::page))
        .route("/assets/{id}/sheet/picture", get(sheet::picture))
        .route("/assets/{id}/flats", post(asset_page::flats))
        .route("/assets/{id}/loops", post(asset_page::loops))
        .route("/assets/{id}/settings", post(asset_page::settings))
        .route("/assets/{id}/preview/{triangles}", get(asset_page::preview))
        .route("/assets/{id}/changes", post(intake_page::add))
        .route("/assets/{id}/changes/preview", post(intake_page::preview))
        .route(
            "/assets/{id}/changes/{at}/remove",
            post(intake_page::remove),
        )
        .route("/assets/{id}/marks/{finding}", get(intake_page::marks))
        .route("/assets/{id}/provenance", post(intake_page::provenance))
        .route("/assets/{id}/brief", post(asset_page::brief))
        .route("/assets/{id}/remove", post(asset_page::remove))
        .route("/assets/{id}/download/{file}", get(parcel::download))
        .route("/mesh/{blob}", get(parcel::mesh))
        .route("/picture/{blob}", get(parcel::picture))
        .route("/briefs", get(briefs_page::list).post(briefs_page::add))
        .route(
            "/briefs/{id}",
            get(briefs_page::one).post(briefs_page::save),
        )
        .route("/briefs/{id}/remove", post(briefs_page::remove))
        .route("/briefs/{id}/toml", get(briefs_page::toml))
        .route("/scenes", get(scenes_page::list).post(scenes_page::add))
        .route(
            "/scenes/{id}",
            get(scenes_page::one).post(scenes_page::save),
        )
        .route("/scenes/{id}/remove", post(scenes_page::remove))
        .route("/work", get(work_page::page))
        .route("/work/list", get(work_page::list))
        .route("/work/{id}/stop", post(work_page::stop))
        .route("/events", get(events::stream))
        .route("/static/{*path}", get(statics::file))
        .route("/favicon.ico", get(statics::favicon))
        .fallback(failure::no_such_page)
        .method_not_allowed_fallback(failure::no_such_method)
        .layer(middleware::from_fn_with_state(app.clone(), health::check))
        .layer(middleware::from_fn_with_state(app.clone(), guard::check))
        .layer(CompressionLayer::new().gzip(true).compress_when(worth_it))
        .with_state(app)
}

/// Answers on `listener` until the task is dropped.
///
/// # Errors
/// When the listener fails.
pub async fn serve(listener: TcpListener, app: App) -> std::io::Result<()> {
    axum::serve(listener, router(app)).await
}
