//! Files to keep: one text, or a list in the format that its name asks for.

use std::fs::File;

use axum::body::Body;
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE};
use axum::response::{IntoResponse, Response};
use spare_hour_formats::ListFormat;
use spare_hour_store::Store;
use tokio_util::io::ReaderStream;

use crate::http::error::WebError;

/// The media type of a workbook.
pub(crate) const XLSX: &str = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet";

/// Bytes of a file that are sent at once.
const AT_ONCE: usize = 64 * 1024;

/// A text as a file to keep.
pub(crate) fn download(name: &str, kind: &'static str, body: impl Into<Vec<u8>>) -> Response {
    download_body(name, kind, Body::from(body.into()))
}

/// A file without a name beside the database, where there is room for what is in it; it is gone once it is closed.
pub(crate) fn unnamed_file(store: &Store) -> Result<File, WebError> {
    let beside = store.path().parent().unwrap_or(store.path());
    tempfile::tempfile_in(beside).map_err(WebError::of_file)
}

/// What was written into a file, sent from its beginning piece by piece, as a file to keep.
pub(crate) fn download_file(name: &str, kind: &'static str, file: File) -> Response {
    let pieces = ReaderStream::with_capacity(tokio::fs::File::from_std(file), AT_ONCE);
    download_body(name, kind, Body::from_stream(pieces))
}

fn download_body(name: &str, kind: &'static str, body: Body) -> Response {
    let disposition = format!("attachment; filename=\"{name}\"");
    ([(CONTENT_TYPE, kind.to_string()), (CONTENT_DISPOSITION, disposition)], body).into_response()
}

/// The format that a file's name asks for, such as `drives.csv`.
pub(crate) fn list_format(file: &str, name: &str) -> Result<ListFormat, WebError> {
    match file.strip_prefix(name) {
        Some(".csv") => Ok(ListFormat::Csv),
        Some(".json") => Ok(ListFormat::Json),
        _ => Err(WebError::NotFound),
    }
}

/// A list as a file to keep.
pub(crate) fn list_file(name: &str, format: ListFormat, text: String) -> Response {
    match format {
        ListFormat::Csv => download(&format!("{name}.csv"), "text/csv; charset=utf-8", text),
        ListFormat::Json => download(&format!("{name}.json"), "application/json", text),
    }
}
