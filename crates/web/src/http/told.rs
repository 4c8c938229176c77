//! Every error is told: what a layer or an extractor refused in a bare line becomes our page, or JSON for a program, with what to do.

use axum::Json;
use axum::extract::Request;
use axum::http::header::{ACCEPT, ALLOW, CONTENT_TYPE, RETRY_AFTER};
use axum::http::{HeaderValue, StatusCode};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};

use crate::http::error::error_page;

/// When to come again to a server that has too much to do, seconds.
pub(crate) const COME_AGAIN: HeaderValue = HeaderValue::from_static("2");

/// Tells errors that are bare.
pub(crate) async fn tell(request: Request, next: Next) -> Response {
    let for_program = is_for_program(&request);
    let response = next.run(request).await;
    let status = response.status();
    if !(status.is_client_error() || status.is_server_error()) || is_told(&response) {
        return response;
    }
    let message = what_to_do(status);
    let mut told = if for_program {
        (status, Json(serde_json::json!({ "problem": message }))).into_response()
    } else {
        error_page(status, message.into())
    };
    for name in [ALLOW, RETRY_AFTER] {
        if let Some(value) = response.headers().get(&name) {
            told.headers_mut().insert(name, value.clone());
        }
    }
    told
}

/// Whether a program asks: lines of events, JSON, or whoever accepts JSON and no page.
fn is_for_program(request: &Request) -> bool {
    let path = request.uri().path();
    let accepts = request.headers().get(ACCEPT).and_then(|accept| accept.to_str().ok()).unwrap_or_default();
    path.ends_with("/events")
        || path.starts_with("/meter")
        || path.rsplit_once('.').is_some_and(|(_, end)| end == "json")
        || (accepts.contains("application/json") && !accepts.contains("text/html"))
}

/// Whether an answer is a page or JSON already.
fn is_told(response: &Response) -> bool {
    let content = response.headers().get(CONTENT_TYPE).and_then(|content| content.to_str().ok()).unwrap_or_default();
    content.starts_with("text/html") || content.starts_with("application/json")
}

fn what_to_do(status: StatusCode) -> &'static str {
    match status {
        StatusCode::BAD_REQUEST => "The request could not be read. Go back, reload the page and send it again.",
        StatusCode::UNAUTHORIZED => {
            "Sign in first: nobody is signed in with this browser any more, and nothing was changed."
        }
        StatusCode::NOT_FOUND => "There is nothing at this address.",
        StatusCode::METHOD_NOT_ALLOWED => {
            "This address does not take that kind of request. Open it as a page, or use its form."
        }
        StatusCode::REQUEST_TIMEOUT => {
            "The request took too long to arrive, and nothing was changed. Send it again over a better connection."
        }
        StatusCode::PAYLOAD_TOO_LARGE => {
            "The file or form is larger than what is taken here, and nothing was changed. Send a smaller one, or in parts."
        }
        StatusCode::UNSUPPORTED_MEDIA_TYPE => {
            "This address expects a form, and got something else. Use the form of its page."
        }
        StatusCode::UNPROCESSABLE_ENTITY => {
            "Some of what was sent is missing or is not what is expected, and nothing was changed. Go back and fill in the form again."
        }
        StatusCode::TOO_MANY_REQUESTS => "That was asked too often. Wait a little, then try again.",
        StatusCode::REQUEST_HEADER_FIELDS_TOO_LARGE | StatusCode::URI_TOO_LONG => {
            "The address or its headers are too long. Open the page again from its list."
        }
        StatusCode::SERVICE_UNAVAILABLE => {
            "The server has too much to do just now, and nothing was changed. Try again in a few seconds."
        }
        status if status.is_server_error() => {
            "Something went wrong here, and nothing was changed. The server's log says more."
        }
        _ => "The request was refused, and nothing was changed. Go back and try again.",
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn programs_are_told_in_json_and_people_on_a_page() {
        let asks = |path: &str, accept: &str| {
            let request = Request::builder().uri(path).header(ACCEPT, accept).body(axum::body::Body::empty());
            is_for_program(&request.unwrap())
        };
        assert!(asks("/measure/3/events", "*/*") && asks("/trips/1/plan.json", "text/html"));
        assert!(asks("/trips", "application/json") && asks("/meter", ""));
        assert!(!asks("/trips", "text/html,application/json") && !asks("/trips/1", "*/*"));
        for code in [400, 401, 404, 405, 408, 413, 415, 422, 429, 431, 500, 503, 418] {
            assert!(what_to_do(StatusCode::from_u16(code).unwrap()).len() > 20);
        }
    }
}
