//! Events as they come: from the live page, whose own they are, or from a meter that names a charge's token.

use std::net::{IpAddr, Ipv4Addr};

use axum::extract::{Query, State};
use axum::http::header::AUTHORIZATION;
use axum::http::{HeaderMap, StatusCode};
use axum::response::{IntoResponse, Response};
use axum::{Extension, Json};
use serde::{Deserialize, Serialize};
use spare_hour_core::session::live::{Event, MOST_EVENTS};
use spare_hour_formats::{MOST_LINES, read_event_line, write_event_line};
use spare_hour_store::Store;
use uuid::Uuid;

use crate::app::App;
use crate::household::Peer;
use crate::http::address::Path;
use crate::http::error::WebError;

/// What became of the lines of a request.
#[derive(Serialize)]
struct Taken {
    /// Names of the events that are on the disk now.
    saved: Vec<String>,
    /// Lines that are no events.
    refused: Vec<Refused>,
}

#[derive(Serialize)]
struct Refused {
    /// Counted from 1.
    line: usize,
    /// The event's name, where it could be read.
    id: Option<String>,
    problem: String,
}

/// What an address asks of the lines.
#[derive(Debug, Default, Deserialize)]
pub(crate) struct LinesAsk {
    /// Lines that the asker has already.
    #[serde(default)]
    from: u32,
}

pub(crate) fn new_id() -> String {
    Uuid::new_v4().to_string()
}

/// Lines from the live page.
pub(crate) async fn from_page(State(app): State<App>, Path(id): Path<i32>, body: String) -> Result<Response, WebError> {
    take(&app, id, body).await
}

/// Lines from a meter.
pub(crate) async fn from_meter(
    State(app): State<App>,
    peer: Option<Extension<Peer>>,
    Path(token): Path<String>,
    body: String,
) -> Result<Response, WebError> {
    let peer = peer.map_or(IpAddr::V4(Ipv4Addr::LOCALHOST), |peer| peer.0.0);
    if !app.guesses.is_heard(peer) {
        return Ok(StatusCode::TOO_MANY_REQUESTS.into_response());
    }
    let id = app.run(move |store| Ok(store.charge_of_token(&token)?)).await?;
    if let Some(id) = id {
        return take(&app, id, body).await;
    }
    app.guesses.wrong_token(peer);
    let problem = "no charge is measured under this token; expected the one that its page shows";
    Ok((StatusCode::NOT_FOUND, Json(serde_json::json!({ "problem": problem }))).into_response())
}

/// Lines from a meter that names its charge in a header, `Authorization: Bearer TOKEN`: an address may be written to logs.
pub(crate) async fn from_named_meter(
    State(app): State<App>,
    peer: Option<Extension<Peer>>,
    headers: HeaderMap,
    body: String,
) -> Result<Response, WebError> {
    let named = headers.get(AUTHORIZATION).and_then(|value| value.to_str().ok());
    let token = named.and_then(|value| value.strip_prefix("Bearer ")).unwrap_or_default().trim().to_string();
    from_meter(State(app), peer, Path(token), body).await
}

async fn take(app: &App, id: i32, body: String) -> Result<Response, WebError> {
    let now = app.here.now().as_millisecond();
    let lines: Vec<&str> = body.lines().filter(|line| !line.trim().is_empty()).collect();
    if lines.len() > MOST_LINES {
        let problem = format!("{} lines at once; expected at most {MOST_LINES}", lines.len());
        return Err(WebError::Refused(problem));
    }
    let (mut events, mut refused) = (Vec::new(), Vec::new());
    for (line, text) in (1..).zip(lines) {
        match read_event_line(text, now, new_id) {
            Ok(event) => events.push(event),
            Err(problem) => refused.push(Refused { line, id: id_of(text), problem }),
        }
    }
    let saved = events.iter().map(|event| event.id.clone()).collect();
    app.change(move |store| keep(store, id, &events)).await?;
    Ok(Json(Taken { saved, refused }).into_response())
}

/// The name in a line that is no event for another reason.
fn id_of(line: &str) -> Option<String> {
    let value: serde_json::Value = serde_json::from_str(line).ok()?;
    Some(value.get("id")?.as_str()?.to_string())
}

/// Writes events to the disk.
pub(crate) fn keep(store: &Store, id: i32, events: &[Event]) -> Result<(), WebError> {
    if events.is_empty() {
        return Ok(());
    }
    let before = usize::try_from(store.event_count(id)?).unwrap_or(usize::MAX);
    if before.saturating_add(events.len()) > MOST_EVENTS {
        return Err(WebError::Refused(format!("This charge has {MOST_EVENTS} events, the most that are kept.")));
    }
    let rows: Vec<(String, String)> = events.iter().map(|event| (event.id.clone(), write_event_line(event))).collect();
    Ok(store.add_events(id, &rows)?)
}

/// The lines of a charge after those that the asker has.
pub(crate) async fn lines(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<LinesAsk>,
) -> Result<Response, WebError> {
    let lines = app.run(move |store| Ok(store.event_lines(id, i64::from(ask.from))?)).await?;
    let text: String = lines.iter().flat_map(|line| [line.as_str(), "\n"]).collect();
    Ok(([("content-type", "application/x-ndjson"), ("cache-control", "no-store")], text).into_response())
}
