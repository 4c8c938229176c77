//! What keeps other sites out: strict headers, no posts from elsewhere, no requests under another host's name.

use std::net::IpAddr;
use std::sync::Arc;

use axum::Router;
use axum::extract::{Request, State};
use axum::http::header::{CACHE_CONTROL, HOST, HeaderName, ORIGIN};
use axum::http::uri::Authority;
use axum::http::{HeaderMap, HeaderValue, Method};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use tower_http::set_header::SetResponseHeaderLayer;

use crate::http::error::WebError;

const HEADERS: [(&str, &str); 6] = [
    (
        "content-security-policy",
        "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self'; font-src 'self'; connect-src 'self'; \
         form-action 'self'; base-uri 'none'; frame-ancestors 'none'",
    ),
    ("x-content-type-options", "nosniff"),
    ("x-frame-options", "DENY"),
    ("referrer-policy", "same-origin"),
    ("cross-origin-opener-policy", "same-origin"),
    ("permissions-policy", "camera=(), geolocation=(), microphone=()"),
];

/// The router with the security headers on every answer.
pub(crate) fn with_headers(router: Router) -> Router {
    // What is kept here is a person's: no cache between keeps it.
    let no_store = HeaderValue::from_static("no-store");
    let router = router.layer(SetResponseHeaderLayer::if_not_present(CACHE_CONTROL, no_store));
    HEADERS.iter().fold(router, |router, &(name, value)| {
        let (name, value) = (HeaderName::from_static(name), HeaderValue::from_static(value));
        router.layer(SetResponseHeaderLayer::overriding(name, value))
    })
}

/// Refuses requests that change something when they come from a page of another site.
pub(crate) async fn refuse_cross_site(request: Request, next: Next) -> Response {
    let reads = matches!(*request.method(), Method::GET | Method::HEAD);
    if reads || same_site(request.headers()) { next.run(request).await } else { WebError::CrossSite.into_response() }
}

/// Whether a browser says that a request comes from our own pages. What is no browser says nothing and is let in.
fn same_site(headers: &HeaderMap) -> bool {
    let text = |name: &str| headers.get(name).and_then(|value| value.to_str().ok());
    match (text("sec-fetch-site"), text(ORIGIN.as_str())) {
        (Some(site), _) => matches!(site, "same-origin" | "none"),
        (None, Some(origin)) => text(HOST.as_str()).is_some_and(|host| origin.split("://").nth(1) == Some(host)),
        (None, None) => true,
    }
}

/// Refuses requests for another host than this machine: another name may be a page elsewhere that has pointed its own name
/// here. An address in digits, localhost and the names that whoever runs the server gave cannot be pointed elsewhere.
pub(crate) async fn refuse_other_hosts(State(names): State<Arc<[String]>>, request: Request, next: Next) -> Response {
    let host = request.headers().get(HOST).and_then(|host| host.to_str().ok()).unwrap_or_default();
    if is_ours(host, &names) { next.run(request).await } else { WebError::OtherHost.into_response() }
}

fn is_ours(host: &str, names: &[String]) -> bool {
    let Ok(authority) = host.parse::<Authority>() else { return false };
    let name = authority.host().trim_matches(['[', ']']);
    name.eq_ignore_ascii_case("localhost")
        || name.parse::<IpAddr>().is_ok()
        || names.iter().any(|own| own.eq_ignore_ascii_case(name))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_our_own_pages_may_post() {
        let headers = |pairs: &[(&'static str, &'static str)]| -> HeaderMap {
            pairs
                .iter()
                .map(|&(name, value)| (HeaderName::from_static(name), HeaderValue::from_static(value)))
                .collect()
        };
        assert!(same_site(&headers(&[])));
        assert!(same_site(&headers(&[("sec-fetch-site", "same-origin"), ("origin", "null")])));
        assert!(!same_site(&headers(&[("sec-fetch-site", "cross-site")])));
        assert!(!same_site(&headers(&[("sec-fetch-site", "same-site")])));
        assert!(same_site(&headers(&[("origin", "http://localhost:7878"), ("host", "localhost:7878")])));
        assert!(!same_site(&headers(&[("origin", "http://elsewhere.example"), ("host", "localhost:7878")])));
        assert!(!same_site(&headers(&[("origin", "null"), ("host", "localhost:7878")])));
    }

    #[test]
    fn hosts_are_addresses_localhost_and_names_that_were_given() {
        let names = ["wagon.lan".to_string()];
        for host in ["localhost:7878", "LOCALHOST", "127.0.0.1", "[::1]:7878", "192.168.7.20:7878", "Wagon.lan:80"] {
            assert!(is_ours(host, &names), "{host}");
        }
        for host in
            ["elsewhere.example", "localhost.elsewhere.example:7878", "wagon.lan.example", "127.0.0.1.example", ""]
        {
            assert!(!is_ours(host, &names), "{host}");
        }
    }
}
