//! Styles, scripts and fonts, embedded in the program.

use axum::extract::Path;
use axum::http::header::{CACHE_CONTROL, CONTENT_TYPE, ETAG, IF_NONE_MATCH};
use axum::http::{HeaderMap, StatusCode};
use axum::response::{IntoResponse, Response};
use rust_embed::RustEmbed;

use crate::http::error::WebError;

#[derive(RustEmbed)]
#[folder = "assets"]
struct Assets;

/// One file; a browser that has it already is told so.
pub(crate) async fn serve(Path(path): Path<String>, headers: HeaderMap) -> Result<Response, WebError> {
    let file = Assets::get(&path).ok_or(WebError::NotFound)?;
    let hash: String = file.metadata.sha256_hash()[..8].iter().map(|byte| format!("{byte:02x}")).collect();
    let tag = format!("\"{hash}\"");
    if headers.get(IF_NONE_MATCH).is_some_and(|has| has.as_bytes() == tag.as_bytes()) {
        return Ok(StatusCode::NOT_MODIFIED.into_response());
    }
    let mut kind = mime_guess::from_path(&path).first_or_octet_stream().to_string();
    if kind.starts_with("text/") {
        kind.push_str("; charset=utf-8");
    }
    let head = [(CONTENT_TYPE, kind), (ETAG, tag), (CACHE_CONTROL, "no-cache".to_string())];
    Ok((head, file.data).into_response())
}

/// The script that keeps the live page for a stall without a signal: it stands for the whole site, so at its root.
pub(crate) async fn worker(headers: HeaderMap) -> Result<Response, WebError> {
    serve(Path("worker.js".into()), headers).await
}
