//! Spare Hour's pages: [`routes`] is the whole surface, each room is a module under `pages` with its templates beside it.
//!
//! Handlers read what they need, ask a use case off the async threads, and fill a template. Charts are drawn here as SVG, so
//! that a page is whole before its script has loaded.

mod app;
mod begun_trip;
mod charts;
mod first_plan;
mod forms;
mod household;
mod http;
mod layout;
mod pages;
mod routes;
mod shown_trip;

use std::time::Duration;

use axum::Router;
use axum::extract::{DefaultBodyLimit, Request};
use axum::http::StatusCode;
use axum::http::header::CONTENT_LENGTH;
use axum::middleware::{self, Next};
use axum::response::{IntoResponse, Response};
use spare_hour_store::Store;
use tower_http::CompressionLevel;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;
use tower_http::request_id::{MakeRequestUuid, PropagateRequestIdLayer, RequestId, SetRequestIdLayer};
use tower_http::timeout::RequestBodyTimeoutLayer;
use tower_http::trace::{DefaultOnResponse, TraceLayer};
use tower_sessions::cookie::{SameSite, time};
use tower_sessions::{Expiry, SessionManagerLayer};
use tracing::Level;

pub use app::Options;
use household::{SignIns, guard};
pub use household::{new_token, token_hash};
pub use http::serving::{Tls, serve};
use http::{error, security, told};
pub use pages::measure::{StandIn, StandInAsk};

/// Largest request body: a file of the largest size that a format allows, and the form around it.
const MOST_BODY: usize = spare_hour_formats::MOST_BYTES + 100_000;

/// A browser that is not used for so long has to sign in again.
const SIGNED_IN_FOR: time::Duration = time::Duration::days(30);

/// A body that sends nothing for so long is given up.
const BODY: Duration = Duration::from_secs(30);

/// Refuses a body that says itself that it is larger than any address takes, before it is sent.
async fn refuse_large(request: Request, next: Next) -> Response {
    let says = request.headers().get(CONTENT_LENGTH).and_then(|length| length.to_str().ok()?.parse::<usize>().ok());
    let most =
        if pages::backup::ADDRESSES.contains(&request.uri().path()) { pages::backup::MOST_BYTES } else { MOST_BODY };
    if says.is_some_and(|says| says > most) {
        StatusCode::PAYLOAD_TOO_LARGE.into_response()
    } else {
        next.run(request).await
    }
}

/// All addresses behind the household's door.
fn guarded(app: app::App) -> Router {
    let browsers = SessionManagerLayer::new(SignIns(app.store.clone()))
        // A name that browsers let no other host set, where there is TLS (RFC 6265bis, from memory).
        .with_name(if app.secure { "__Host-spare-hour" } else { "spare-hour" })
        .with_secure(app.secure)
        .with_same_site(SameSite::Lax)
        .with_expiry(Expiry::OnInactivity(SIGNED_IN_FOR));
    let inner = routes::routes().merge(pages::household::routes());
    inner.layer(middleware::from_fn_with_state(app.clone(), guard::guard)).with_state(app).layer(browsers)
}

/// The whole app over a store.
pub fn router(store: Store, options: Options) -> Router {
    let app = app::App::new(store, &options);
    let router = if options.guarded { guarded(app) } else { routes::routes().with_state(app) };
    let router = router
        .layer(DefaultBodyLimit::max(MOST_BODY))
        .layer(middleware::from_fn(security::refuse_cross_site))
        .layer(middleware::from_fn_with_state(options.names.into(), security::refuse_other_hosts))
        .layer(middleware::from_fn(refuse_large))
        .layer(middleware::from_fn_with_state(options.proxy, guard::note_peer))
        .layer(RequestBodyTimeoutLayer::new(BODY))
        .layer(middleware::from_fn(told::tell))
        .layer(CatchPanicLayer::custom(error::panicked));
    security::with_headers(router)
        // Pages travel a home network at most: half the work for a tenth more bytes.
        .layer(CompressionLayer::new().quality(CompressionLevel::Precise(2)))
        .layer(TraceLayer::new_for_http().make_span_with(span).on_response(DefaultOnResponse::new().level(Level::INFO)))
        .layer(PropagateRequestIdLayer::x_request_id())
        .layer(SetRequestIdLayer::x_request_id(MakeRequestUuid))
}

/// What the log tells of a request: its number, which the answer carries, too, and the room. No more of its address: that may hold a
/// person's names, or a token.
fn span(request: &Request) -> tracing::Span {
    let id = request.extensions().get::<RequestId>().and_then(|id| id.header_value().to_str().ok()).unwrap_or_default();
    let room = request.uri().path().split('/').nth(1).unwrap_or_default();
    let known = layout::ROOMS.iter().any(|(name, _)| *name == room);
    tracing::info_span!("request", %id, method = %request.method(), room = if known { room } else { "another" })
}
