//! Spare Hour's pages: one router, one module per room, each with its templates beside it.
//!
//! Handlers read what they need, ask the store and the core off the async threads, and fill a template. Charts are
//! drawn here as SVG, so that a page is whole before its script has loaded.

mod address;
mod assets;
mod cars;
mod chart;
mod compare;
mod drives;
mod error;
mod everything;
mod fields;
mod home;
mod layout;
mod lists;
mod live;
mod month;
mod say;
mod security;
mod sessions;
mod settings;
mod tariffs;
mod trips;

use std::future::Future;
use std::sync::Arc;

use axum::Router;
use axum::extract::DefaultBodyLimit;
use axum::middleware;
use axum::routing::{get, post};
use spare_hour_core::quantity::units::Units;
use spare_hour_store::{Settings, Store};
use tokio::net::TcpListener;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;
use tower_http::trace::TraceLayer;

use error::WebError;
pub use live::{StandIn, StandInAsk};

/// Largest request body: a file of the largest size that a format allows, and the form around it.
const MOST_BODY: usize = spare_hour_formats::MOST_BYTES + 100_000;

/// Runs work that takes a while (reading a file, solving) off the async threads, so that it stops nobody else's page.
async fn off_thread<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> Result<T, WebError> {
    tokio::task::spawn_blocking(work).await.map_err(|_| WebError::Failed)
}

/// What every handler may use.
#[derive(Clone)]
struct App {
    store: Store,
    /// What is told about the data on every page, as "demo data".
    notice: Option<Arc<str>>,
    /// A simulated charger, where whoever runs the server lends one.
    stand_in: Option<StandIn>,
}

/// How the app is run.
#[derive(Clone, Default)]
pub struct Options {
    /// What is told about the data on every page.
    pub notice: Option<String>,
    /// Names under which browsers may reach the app, beside localhost and addresses in digits. Requests that name another
    /// host are refused: a page elsewhere could make a browser send them.
    pub names: Vec<String>,
    /// A simulated charger for practice.
    pub stand_in: Option<StandIn>,
}

impl App {
    /// Runs blocking work (the database, the planner) off the async threads.
    async fn run<T: Send + 'static>(
        &self,
        work: impl FnOnce(&Store) -> Result<T, WebError> + Send + 'static,
    ) -> Result<T, WebError> {
        let store = self.store.clone();
        off_thread(move || work(&store)).await?
    }

    /// Runs work that changes what is kept: what it reads stays so until it has written, and it is kept whole or not at
    /// all. So of two people who change one list at once neither loses what the other did.
    async fn change<T: Send + 'static>(
        &self,
        work: impl FnOnce(&Store) -> Result<T, WebError> + Send + 'static,
    ) -> Result<T, WebError> {
        self.run(move |store| store.transaction(work)).await
    }
}

impl App {
    /// What the person at the screen has set.
    async fn settings(&self) -> Result<Settings, WebError> {
        self.run(|store| Ok(store.settings()?)).await
    }

    /// The units that they read and write in.
    async fn units(&self) -> Result<Units, WebError> {
        Ok(self.settings().await?.units)
    }
}

/// The whole app over a store.
pub fn router(store: Store, options: Options) -> Router {
    let app = App { store, notice: options.notice.map(Arc::from), stand_in: options.stand_in };
    let router = Router::new()
        .route("/", get(home::show))
        .route("/sessions", get(sessions::list).post(sessions::import))
        .route("/sessions/new", get(sessions::new))
        .route("/sessions/lines", post(sessions::lines))
        .route("/sessions/matched", post(sessions::matched))
        .route("/sessions/{id}", get(sessions::show))
        .route("/sessions/{id}/grid", get(sessions::grid))
        .route("/sessions/{id}/noted", get(sessions::edit).post(sessions::change))
        .route("/sessions/{id}/leave-out", post(sessions::leave_out))
        .route("/sessions/{id}/join", post(sessions::join))
        .route("/sessions/{id}/remove", post(sessions::remove))
        .route("/sessions/{id}/curve", post(sessions::use_curve))
        .route("/sessions/{id}/source", get(sessions::source))
        .route("/sessions/{id}/session.csv", get(sessions::csv))
        .route("/sessions/{id}/session.json", get(sessions::json))
        .route("/sessions/{id}/session.xlsx", get(sessions::xlsx))
        .route("/sessions/{id}/analysis.json", get(sessions::analysis))
        .route("/sessions/{id}/charts/{file}", get(sessions::chart))
        .route("/compare", get(compare::show))
        .route("/compare/charts/{file}", get(compare::chart))
        .route("/measure", get(live::start).post(live::begin))
        .route("/measure/{id}", get(live::show))
        .route("/measure/{id}/events", get(live::lines).post(live::from_page))
        .route("/measure/{id}/event", post(live::plain_event))
        .route("/measure/{id}/stand-in", post(live::play))
        .route("/measure/{id}/end", post(live::end))
        .route("/measure/{id}/forget", post(live::forget))
        .route("/meter/{token}", post(live::from_meter))
        .route("/cars", get(cars::list).post(cars::add))
        .route("/cars/import", post(cars::import))
        .route("/cars/{id}", get(cars::show).post(cars::change))
        .route("/cars/{id}/{file}", get(cars::list_curves))
        .route("/cars/{id}/curves/import", post(cars::import_curves))
        .route("/cars/{id}/remove", post(cars::remove))
        .route("/cars/{id}/curve", post(cars::use_curve))
        .route("/cars/{id}/curve/remove", post(cars::remove_curve))
        .route("/cars/{id}/family", post(cars::keep_family))
        .route("/cars/{id}/curves/{curve}", get(cars::show_curve).post(cars::keep_points))
        .route("/drives", get(drives::show))
        .route("/drives/lines", post(drives::lines))
        .route("/drives/month", get(month::show))
        .route("/drives/{car}", post(drives::add))
        .route("/drives/{car}/home", post(month::keep_home))
        .route("/drives/{car}/{file}", get(drives::list))
        .route("/drives/{car}/leave-out", post(drives::leave_out))
        .route("/drives/{car}/remove", post(drives::remove))
        .route("/drives/{car}/own", post(drives::use_own))
        .route("/tariffs", get(tariffs::list).post(tariffs::add))
        .route("/tariffs/new", get(tariffs::new))
        .route("/tariffs/import", post(tariffs::import))
        .route("/tariffs/receipt", post(tariffs::preview))
        .route("/tariffs/{id}", get(tariffs::show).post(tariffs::change))
        .route("/tariffs/{id}/tariff.json", get(tariffs::json))
        .route("/tariffs/{id}/remove", post(tariffs::remove))
        .route("/tariffs/{id}/memberships", post(tariffs::add_membership))
        .route("/tariffs/{id}/memberships/remove", post(tariffs::remove_membership))
        .route("/tariffs/{id}/trips/{trip}", post(tariffs::ask))
        .route("/trips", get(trips::list).post(trips::import))
        .route("/trips/example", post(trips::example))
        .route("/trips/new", get(trips::new_form).post(trips::make))
        .route("/trips/road-lines", post(trips::road_lines))
        .route("/trips/{id}", get(trips::show))
        .route("/trips/{id}/plan", get(trips::plan))
        .route("/trips/{id}/keep", post(trips::keep))
        .route("/trips/{id}/name", post(trips::rename))
        .route("/trips/{id}/remove", post(trips::remove))
        .route("/trips/{id}/road", get(trips::show_road).post(trips::change_road))
        .route("/trips/{id}/sites", get(trips::show_sites).post(trips::change_site))
        .route("/trips/{id}/sites/import", post(trips::import_sites))
        .route("/trips/{id}/sites/remove", post(trips::remove_site))
        .route("/trips/{id}/{file}", get(trips::list_of_trip))
        .route("/trips/{id}/trip.json", get(trips::trip_file))
        .route("/trips/{id}/plan.json", get(trips::plan_file))
        .route("/settings", get(settings::show).post(settings::change))
        .route("/lists/{file}", get(lists::whole))
        .route(
            "/everything",
            get(everything::show).post(everything::take).layer(DefaultBodyLimit::max(everything::MOST_BYTES)),
        )
        .route("/everything.json", get(everything::json))
        .route("/assets/{*path}", get(assets::serve))
        .route("/worker.js", get(assets::worker))
        .route("/health", get(|| async { "ok" }))
        .fallback(error::not_found)
        .with_state(app.clone())
        .layer(DefaultBodyLimit::max(MOST_BODY))
        .layer(middleware::from_fn(security::refuse_cross_site))
        .layer(middleware::from_fn_with_state(options.names.into(), security::refuse_other_hosts));
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
