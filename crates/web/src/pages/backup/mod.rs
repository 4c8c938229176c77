//! Everything that is kept, out in one file and back in.

use std::io::{BufWriter, Seek};

use askama::Template;
use axum::extract::{Multipart, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};

use spare_hour_planning::backup;

use crate::app::App;
use crate::http::download::{download_file, unnamed_file};
use crate::http::error::{WebError, page};
use crate::http::upload::save_upload;
use crate::layout::Frame;

/// Where backups are taken in.
pub(crate) const ADDRESSES: [&str; 2] = ["/backup", "/everything"];
/// Largest file that is taken back in, bytes.
pub(crate) const MOST_BYTES: usize = 500_000_000;

#[derive(Template)]
#[template(path = "backup/show.html")]
struct EverythingPage {
    frame: Frame,
    fault: Option<String>,
    is_empty: bool,
    /// Where copies of the database are kept: their names and sizes, the newest first.
    place: String,
    copies: Vec<(String, String)>,
}

/// The page.
pub(crate) async fn show(State(app): State<App>) -> Result<Response, WebError> {
    show_page(&app, None).await
}

async fn show_page(app: &App, fault: Option<String>) -> Result<Response, WebError> {
    let (is_empty, place, copies) = app
        .run(|store| {
            let place = store.path().with_file_name("copies");
            Ok((backup::is_empty(store)?, place.display().to_string(), copies_in(&place)))
        })
        .await?;
    let status = if fault.is_some() { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    let frame = Frame::new(app, "", "Backup");
    Ok(page(status, &EverythingPage { frame, fault, is_empty, place, copies }))
}

/// The copies in a directory, the newest first.
fn copies_in(place: &std::path::Path) -> Vec<(String, String)> {
    let copy = |entry: std::fs::DirEntry| {
        let name = entry.file_name().to_str()?.strip_suffix(".db")?.to_string();
        Some((name, format!("{:.1} MB", entry.metadata().ok()?.len() as f64 / 1e6)))
    };
    let mut copies: Vec<(String, String)> =
        std::fs::read_dir(place).map(|entries| entries.flatten().filter_map(copy).collect()).unwrap_or_default();
    copies.sort_by(|a, b| b.0.cmp(&a.0));
    copies
}

/// Everything as one file.
pub(crate) async fn json(State(app): State<App>) -> Result<Response, WebError> {
    let file = app
        .run(|store| {
            let mut file = unnamed_file(store)?;
            backup::all(store, BufWriter::new(&mut file))?;
            file.rewind().map_err(WebError::of_file)?;
            Ok(file)
        })
        .await?;
    Ok(download_file(backup::FILE, "application/json", file))
}

/// Takes such a file, where nothing is kept yet.
pub(crate) async fn take(State(app): State<App>, form: Multipart) -> Result<Response, WebError> {
    let into = app.run(unnamed_file).await?;
    let file = save_upload(form, into).await?;
    let taken = app.change(move |store| Ok(backup::take_in(store, file).map_err(|error| error.to_string()))).await?;
    match taken {
        Ok(()) => Ok(Redirect::to("/").into_response()),
        Err(problem) => show_page(&app, Some(format!("Nothing was taken in: {problem}."))).await,
    }
}
