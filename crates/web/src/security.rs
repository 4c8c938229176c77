//! What keeps other sites out: strict headers, no posts from elsewhere, no requests under another host's name.

use axum::Router;
use axum::extract::Request;
use axum::http::header::{HOST, HeaderName, ORIGIN};
use axum::http::{HeaderMap, HeaderValue, Method};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use tower_http::set_header::SetResponseHeaderLayer;

use crate::error::WebError;

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

/// Refuses requests for any other host than this machine under its local names: another name may be a page elsewhere
/// that has pointed its own name here.
pub(crate) async fn refuse_other_hosts(request: Request, next: Next) -> Response {
    let host = request.headers().get(HOST).and_then(|host| host.to_str().ok()).unwrap_or_default();
    if is_local(host) { next.run(request).await } else { WebError::OtherHost.into_response() }
}

fn is_local(host: &str) -> bool {
    let name = match host.strip_prefix('[') {
        Some(rest) => rest.split(']').next().unwrap_or_default(),
        None => host.split(':').next().unwrap_or_default(),
    };
    matches!(name, "localhost" | "127.0.0.1" | "::1")
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
    fn local_names_only() {
        assert!(["localhost:7878", "127.0.0.1", "[::1]:7878"].into_iter().all(is_local));
        assert!(["elsewhere.example", "localhost.elsewhere.example:7878", ""].into_iter().all(|host| !is_local(host)));
    }
}
