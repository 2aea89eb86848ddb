//! The rooms of the application under one roof, and what every answer passes through.

use axum::{Router, extract::Request, middleware, routing::get};
use tokio::net::TcpListener;
use tower_http::{
    compression::{
        CompressionLayer,
        predicate::{DefaultPredicate, NotForContentType, Predicate},
    },
    trace::TraceLayer,
};

use crate::{
    asset, assets, batches, briefs, chain, cut, events, failure, guard, health, intake, maps,
    parcel, plan, proof, scenes, state::App, statics, uvs, work,
};

/// All routes of the application.
pub fn router(app: App) -> Router {
    // Meshes are compressed badly and often; pages, styles and scripts well and rarely.
    // What is packed already is sent as it is.
    let worth_it = DefaultPredicate::new()
        .and(NotForContentType::const_new("model/gltf-binary"))
        .and(NotForContentType::const_new("application/zip"));
    let rooms = [
        assets::routes(),
        asset::routes(),
        intake::routes(),
        plan::routes(),
        cut::routes(),
        chain::routes(),
        uvs::routes(),
        maps::routes(),
        proof::routes(),
        parcel::routes(),
        briefs::routes(),
        batches::routes(),
        scenes::routes(),
        work::routes(),
        statics::routes(),
    ];
    rooms
        .into_iter()
        .fold(Router::new(), Router::merge)
        .route("/events", get(events::stream))
        .fallback(failure::no_such_page)
        .method_not_allowed_fallback(failure::no_such_method)
        .layer(middleware::from_fn(failure::with_way_back))
        .layer(middleware::from_fn_with_state(app.clone(), health::check))
        .layer(middleware::from_fn_with_state(app.clone(), guard::check))
        .layer(CompressionLayer::new().gzip(true).compress_when(worth_it))
        .layer(TraceLayer::new_for_http().make_span_with(request_span))
        .with_state(app)
}

/// What the log says of a request beside each line that comes of it. The query may hold a token and is left out.
fn request_span(request: &Request) -> tracing::Span {
    tracing::warn_span!("request", method = %request.method(), path = request.uri().path())
}

/// Answers on `listener` until the task is dropped.
///
/// # Errors
/// When the listener fails.
pub async fn serve(listener: TcpListener, app: App) -> std::io::Result<()> {
    axum::serve(listener, router(app)).await
}
