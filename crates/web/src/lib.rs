//! Spare Hour's pages: one router, one module per room, each with its templates beside it.
//!
//! Handlers read what they need, ask the store and the core off the async threads, and fill a template. Charts are
//! drawn here as SVG, so that a page is whole before its script has loaded.

mod address;
mod assets;
mod cars;
mod chart;
mod error;
mod fields;
mod home;
mod layout;
mod say;
mod security;
mod sessions;
mod trips;

use std::future::Future;
use std::sync::Arc;

use axum::Router;
use axum::extract::DefaultBodyLimit;
use axum::middleware;
use axum::routing::{get, post};
use spare_hour_store::Store;
use tokio::net::TcpListener;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;
use tower_http::trace::TraceLayer;

use error::WebError;

/// Largest request body: a file of the largest size that a format allows, and the form around it.
const MOST_BODY: usize = spare_hour_formats::MOST_BYTES + 100_000;

/// What every handler may use.
#[derive(Clone)]
struct App {
    store: Store,
    /// What is told about the data on every page, as "demo data".
    notice: Option<Arc<str>>,
}

impl App {
    /// Runs blocking work (the database, the planner) off the async threads.
    async fn run<T: Send + 'static>(
        &self,
        work: impl FnOnce(&Store) -> Result<T, WebError> + Send + 'static,
    ) -> Result<T, WebError> {
        let store = self.store.clone();
        tokio::task::spawn_blocking(move || work(&store)).await.map_err(|_| WebError::Failed)?
    }
}

/// The whole app over a store. `notice` is shown on every page; `local_only` refuses requests that name another host,
/// as a page elsewhere could make a browser do.
pub fn router(store: Store, notice: Option<&str>, local_only: bool) -> Router {
    let app = App { store, notice: notice.map(Arc::from) };
    let mut router = Router::new()
        .route("/", get(home::show))
        .route("/sessions", get(sessions::list).post(sessions::import))
        .route("/sessions/new", get(sessions::new))
        .route("/sessions/{id}", get(sessions::show))
        .route("/sessions/{id}/source", get(sessions::source))
        .route("/sessions/{id}/session.csv", get(sessions::csv))
        .route("/sessions/{id}/analysis.json", get(sessions::analysis))
        .route("/sessions/{id}/curve", post(sessions::use_curve))
        .route("/cars", get(cars::list).post(cars::add))
        .route("/cars/{id}", post(cars::change))
        .route("/cars/{id}/curve", post(cars::use_curve))
        .route("/trips", get(trips::list).post(trips::import))
        .route("/trips/example", post(trips::example))
        .route("/trips/{id}", get(trips::show))
        .route("/trips/{id}/plan", get(trips::plan))
        .route("/trips/{id}/keep", post(trips::keep))
        .route("/trips/{id}/trip.json", get(trips::trip_file))
        .route("/trips/{id}/plan.json", get(trips::plan_file))
        .route("/assets/{*path}", get(assets::serve))
        .route("/health", get(|| async { "ok" }))
        .fallback(error::not_found)
        .with_state(app.clone())
        .layer(DefaultBodyLimit::max(MOST_BODY))
        .layer(middleware::from_fn(security::refuse_cross_site));
    if local_only {
        router = router.layer(middleware::from_fn(security::refuse_other_hosts));
    }
    security::with_headers(router)
        .layer(CatchPanicLayer::custom(error::panicked))
        .layer(CompressionLayer::new())
        .layer(TraceLayer::new_for_http())
}

/// Serves the app until `stop` is done, then lets requests under way end.
///
/// # Errors
/// When the listener fails.
pub async fn serve(
    listener: TcpListener,
    router: Router,
    stop: impl Future<Output = ()> + Send + 'static,
) -> std::io::Result<()> {
    axum::serve(listener, router).with_graceful_shutdown(stop).await
}
