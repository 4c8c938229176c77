//! What happens on the road comes in: from the page's script, in lines that may have waited in a phone, or from a plain form.

use axum::Json;
use axum::extract::{Form, Query, State};
use axum::response::{IntoResponse, Redirect, Response};
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};
use spare_hour_core::trip::road_log::{Happened, MOST_EVENTS, RoadEvent};
use spare_hour_formats::{read_road_event, write_road_event};
use spare_hour_store::Store;
use uuid::Uuid;

use crate::app::App;
use crate::http::address::Path;
use crate::http::error::WebError;

/// Most lines at once.
const MOST_LINES: usize = 1_000;

/// What became of the lines of a request.
#[derive(Serialize)]
struct Taken {
    /// Names of the events that are on the disk now.
    saved: Vec<String>,
    /// Lines that are no events.
    refused: Vec<RefusedLine>,
}

#[derive(Serialize)]
struct RefusedLine {
    /// The event's name, where it could be read.
    id: Option<String>,
    problem: String,
}

/// What an address asks of the lines.
#[derive(Debug, Default, Deserialize)]
pub(crate) struct LinesAsk {
    /// Lines that the asker has already.
    #[serde(default)]
    from: usize,
}

pub(super) fn new_id() -> String {
    Uuid::new_v4().to_string()
}

/// Lines from the page.
pub(crate) async fn from_page(State(app): State<App>, Path(id): Path<i32>, body: String) -> Result<Response, WebError> {
    let now = app.here.now().as_millisecond();
    let lines: Vec<&str> = body.lines().filter(|line| !line.trim().is_empty()).collect();
    if lines.len() > MOST_LINES {
        return Err(WebError::Refused(format!("{} lines at once; expected at most {MOST_LINES}", lines.len())));
    }
    let (mut events, mut refused) = (Vec::new(), Vec::new());
    for text in lines {
        match read_road_event(text, now, new_id) {
            Ok(event) => events.push(event),
            Err(problem) => refused.push(RefusedLine { id: id_of(text), problem }),
        }
    }
    let saved = events.iter().map(|event| event.id.clone()).collect();
    app.change(move |store| keep(store, id, &events)).await?;
    Ok(Json(Taken { saved, refused }).into_response())
}

fn id_of(line: &str) -> Option<String> {
    let value: Value = serde_json::from_str(line).ok()?;
    Some(value.get("id")?.as_str()?.to_string())
}

/// The lines after those that the asker has.
pub(crate) async fn lines(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<LinesAsk>,
) -> Result<Response, WebError> {
    let lines = app.run(move |store| Ok(store.outing_lines(store.outing(id)?.id)?)).await?;
    let text: String = lines.iter().skip(ask.from).flat_map(|line| [line.as_str(), "\n"]).collect();
    Ok(([("content-type", "application/x-ndjson"), ("cache-control", "no-store")], text).into_response())
}

/// An event that does not wait for a signal: the server's clock stamps it, where the phone's did not.
pub(crate) async fn from_form(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(fields): Form<Vec<(String, String)>>,
) -> Result<Redirect, WebError> {
    let line = Value::Object(fields.into_iter().filter_map(typed).collect::<Map<_, _>>()).to_string();
    let event = read_road_event(&line, app.here.now().as_millisecond(), new_id)
        .map_err(|problem| WebError::Refused(format!("Nothing was kept: {problem}.")))?;
    let ends = matches!(event.what, Happened::Ended(_));
    app.change(move |store| keep(store, id, &[event])).await?;
    Ok(Redirect::to(&if ends { format!("/ledger/{id}") } else { "/road".into() }))
}

/// A field of a form as JSON has it; what is empty is left out.
fn typed((name, text): (String, String)) -> Option<(String, Value)> {
    const NUMBERS: [&str; 4] = ["soc", "km", "minutes", "kw"];
    let text = text.trim();
    if text.is_empty() {
        return None;
    }
    if name == "at" {
        return Some((name, text.parse::<i64>().map_or_else(|_| text.into(), Value::from)));
    }
    let number = NUMBERS.contains(&name.as_str()).then(|| text.replace(',', ".").parse::<f64>().ok()).flatten();
    Some((name, number.map_or_else(|| text.into(), Value::from)))
}

/// Writes events to the disk; one that says so ends the trip.
fn keep(store: &Store, id: i32, events: &[RoadEvent]) -> Result<(), WebError> {
    let before = store.outing_lines(id)?.len();
    if before + events.len() > MOST_EVENTS {
        return Err(WebError::Refused(format!("This trip has {MOST_EVENTS} events, the most that are kept.")));
    }
    let rows: Vec<(String, String)> = events.iter().map(|event| (event.id.clone(), write_road_event(event))).collect();
    store.add_outing_events(id, &rows)?;
    if events.iter().any(|event| matches!(event.what, Happened::Ended(_))) {
        store.end_outing(id)?;
    }
    Ok(())
}
