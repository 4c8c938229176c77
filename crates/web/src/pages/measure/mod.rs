//! Measuring a charge at the stall: the live page, the events it and a meter send, and the session they become.

mod advice;
mod begin;
mod events;
mod stand_in;

use askama::Template;
use axum::extract::{Form, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use serde::Deserialize;
use spare_hour_core::quantity::{Minutes, Power, Soc};
use spare_hour_core::session::Conditions;
use spare_hour_core::session::live::{Event, LiveCharge};
use spare_hour_core::session::soc_timeline::SocTimeline;
use spare_hour_formats::{clock, note_condition, read_event_line};
use spare_hour_store::{NewSession, Store, StoredLiveCharge};

use crate::app::App;
use crate::http::address::Path;
use crate::http::error::{WebError, page};
use crate::layout::Frame;
use spare_hour_wording::figures;

pub(crate) use advice::show as show_advice;
pub(crate) use begin::{begin, start};
pub(crate) use events::{from_meter, from_named_meter, from_page, lines};
pub(crate) use stand_in::play;
pub use stand_in::{StandIn, StandInAsk};

#[derive(Template)]
#[template(path = "measure/show.html")]
struct ShowPage {
    frame: Frame,
    id: i32,
    name: String,
    car: String,
    /// All lines so far, one on each line, for the script.
    lines: String,
    /// What they amount to, for who has no script.
    readings: Vec<(String, String, String)>,
    state: &'static str,
    meter_token: String,
    has_stand_in: bool,
    fault: Option<String>,
    unreadable: Vec<String>,
    /// The sign of degrees, and the label of the pack's.
    degrees: &'static str,
    pack_label: String,
}

/// A charge with what its events amount to.
struct Loaded {
    stored: StoredLiveCharge,
    /// What a meter names to feed readings.
    token: String,
    lines: Vec<String>,
    charge: LiveCharge,
    /// What is said of lines that cannot be read, and so count for nothing.
    unreadable: Vec<String>,
}

/// The events of a charge's lines, and what is said of those that are none. Lines were read once before they were written, so
/// these came in with a backup that another version or a hand wrote.
fn events_of(lines: &[String]) -> (Vec<Event>, Vec<String>) {
    let (mut events, mut unreadable) = (Vec::new(), Vec::new());
    for (number, line) in (1..).zip(lines) {
        match read_event_line(line, 0, String::new) {
            Ok(event) => events.push(event),
            Err(problem) => unreadable.push(format!("Entry {number} cannot be read and does not count: {problem}")),
        }
    }
    (events, unreadable)
}

impl Loaded {
    fn new(store: &Store, id: i32) -> Result<Self, WebError> {
        let stored = store.charge(id)?;
        let lines = store.event_lines(id, 0)?;
        let (events, unreadable) = events_of(&lines);
        let token = store.meter_token(&stored)?;
        Ok(Self { stored, token, lines, charge: LiveCharge::replay(&events), unreadable })
    }

    fn conditions(&self) -> Conditions {
        let mut conditions = Conditions::default();
        for (key, value) in &self.stored.about.conditions {
            // They were read once before they were written; a pair that is refused now is kept as a remark.
            if note_condition(&mut conditions, key, value).is_err() {
                conditions.other.push((key.clone(), value.clone()));
            }
        }
        conditions
    }

    fn state(&self) -> &'static str {
        match &self.charge {
            charge if charge.ended.is_some() => "ended",
            charge if charge.pauses.last().is_some_and(|pause| pause.1.is_none()) => "paused",
            charge if charge.current_on.is_some() => "charging",
            charge if charge.plugged_in.is_some() => "plugged in, no current yet",
            _ => "not plugged in yet",
        }
    }
}

/// The live page.
pub(crate) async fn show(State(app): State<App>, Path(id): Path<i32>) -> Result<Response, WebError> {
    show_page(&app, id, None).await
}

async fn show_page(app: &App, id: i32, fault: Option<String>) -> Result<Response, WebError> {
    let (loaded, car) = app
        .run(move |store| {
            let loaded = Loaded::new(store, id)?;
            let car = loaded.stored.about.car.and_then(|car| store.car(car).ok());
            Ok((loaded, car.map(|car| car.about.name).unwrap_or_default()))
        })
        .await?;
    if let Some(session) = loaded.stored.session {
        return Ok(Redirect::to(&format!("/sessions/{session}")).into_response());
    }
    let row = |reading: &spare_hour_core::session::live::LiveReading| {
        let soc = reading.readout.soc.map_or_else(|| "SoC?".into(), figures::percent);
        let kw = reading.readout.rest.power.map(|power| format!("{:.0} kW", power.get())).unwrap_or_default();
        (clock(reading.elapsed), soc, kw)
    };
    let degrees = app.units().await?.temperature.name();
    let status = if fault.is_some() { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    let shown = ShowPage {
        frame: Frame::new(app, "sessions", loaded.stored.about.name.clone()),
        id,
        name: loaded.stored.about.name.clone(),
        car,
        lines: loaded.lines.join("\n"),
        readings: loaded.charge.readings.iter().map(row).collect(),
        state: loaded.state(),
        meter_token: loaded.token,
        has_stand_in: app.stand_in.is_some(),
        fault,
        unreadable: loaded.unreadable,
        degrees,
        pack_label: format!("Pack, {degrees}"),
    };
    Ok(page(status, &shown))
}

#[derive(Debug, Deserialize)]
pub(crate) struct PlainEvent {
    what: String,
    #[serde(default)]
    soc: String,
    #[serde(default)]
    power_kw: String,
}

/// An event from who has no script: the server's clock stamps it.
pub(crate) async fn plain_event(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<PlainEvent>,
) -> Result<Response, WebError> {
    let number = |text: &str| text.trim().replace(',', ".").parse::<f64>().ok().filter(|number| number.is_finite());
    let (soc, power) = (number(&form.soc), number(&form.power_kw));
    if form.what == "reading" && soc.is_none() {
        return show_page(&app, id, Some("SoC is needed: 0 to 100 %.".into())).await;
    }
    let line = serde_json::json!({ "what": form.what, "soc": soc, "power_kw": power }).to_string();
    match read_event_line(&line, app.here.now().as_millisecond(), events::new_id) {
        Ok(event) => {
            app.change(move |store| events::keep(store, id, &[event])).await?;
            Ok(Redirect::to(&format!("/measure/{id}")).into_response())
        }
        Err(problem) => show_page(&app, id, Some(problem)).await,
    }
}

/// Makes a session of the charge.
pub(crate) async fn end(State(app): State<App>, Path(id): Path<i32>) -> Result<Response, WebError> {
    let ended = app.change(move |store| ended(store, id)).await?;
    match ended {
        Ok(session) => Ok(Redirect::to(&format!("/sessions/{session}")).into_response()),
        Err(problem) => show_page(&app, id, Some(problem)).await,
    }
}

/// The session of a charge, or why there is none yet.
fn ended(store: &Store, id: i32) -> Result<Result<i32, String>, WebError> {
    let loaded = Loaded::new(store, id)?;
    if let Some(session) = loaded.stored.session {
        return Ok(Ok(session));
    }
    let mut session = loaded.charge.session(&loaded.conditions());
    session.conditions.other.extend(loaded.unreadable.iter().map(|problem| ("entry".into(), problem.clone())));
    if let Err(problem) = SocTimeline::new(&session) {
        return Ok(Err(format!("There is no session to make of this yet: {problem}.")));
    }
    // The day that it began on.
    session.conditions.day = session.conditions.day.or(Some(loaded.stored.created_at.chars().take(10).collect()));
    let new = NewSession {
        car: loaded.stored.about.car,
        name: loaded.stored.about.name,
        source_name: "measured at the stall".into(),
        source_text: loaded.lines.join("\n"),
        session,
    };
    Ok(Ok(store.end_charge(id, &new)?))
}

/// Forgets a charge.
pub(crate) async fn forget(State(app): State<App>, Path(id): Path<i32>) -> Result<Redirect, WebError> {
    app.change(move |store| Ok(store.forget_charge(id)?)).await?;
    Ok(Redirect::to("/sessions"))
}

/// The SoC that a charge stands at, for a stand-in that begins there.
fn next_start(charge: &LiveCharge) -> Soc {
    charge.readings.iter().rev().find_map(|reading| reading.readout.soc).unwrap_or(Soc::percent(12.0))
}

/// A power that an invented stall gives unless the charge says otherwise.
const STAND_IN_SITE: Power = Power::kw(300.0);
/// Minutes after which a boosted stand-in steps down.
const STAND_IN_BOOST: Minutes = Minutes::new(8.0);

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_store::{NewLiveCharge, Store};

    fn line(id: &str, second: i64, rest: &str) -> (String, String) {
        let at = 1_790_000_000_000 + 1000 * second;
        (id.into(), format!("{{\"id\":\"{id}\",\"at\":{at},{rest}}}"))
    }

    #[test]
    fn a_charge_tells_its_state_and_becomes_a_session() {
        let directory = tempfile::tempdir().unwrap();
        let store = Store::open(directory.path()).unwrap();
        let conditions = vec![("site_kw".to_string(), "300".to_string()), ("phases".to_string(), "9".to_string())];
        let new = NewLiveCharge { car: None, name: "Now".into(), conditions, nonce: "t".into() };
        let id = store.begin_charge(&new).unwrap();
        let state = || Loaded::new(&store, id).unwrap().state();
        let happens = |id_: &str, second, rest: &str| {
            store.add_events(id, &[line(id_, second, rest)]).unwrap();
            state()
        };
        assert_eq!(state(), "not plugged in yet");
        assert_eq!(happens("p", 0, "\"what\":\"plugged-in\""), "plugged in, no current yet");
        assert_eq!(happens("c", 9, "\"what\":\"current\""), "charging");
        assert_eq!(happens("a", 9, "\"what\":\"reading\",\"soc\":10"), "charging");
        assert!(ended(&store, id).unwrap().unwrap_err().contains("at least two readings"));
        assert_eq!(happens("w", 20, "\"what\":\"pause\""), "paused");
        assert_eq!(happens("r", 30, "\"what\":\"resume\""), "charging");
        assert_eq!(happens("b", 79, "\"what\":\"reading\",\"soc\":20"), "charging");
        assert_eq!(next_start(&Loaded::new(&store, id).unwrap().charge), Soc::percent(20.0));
        assert_eq!(happens("e", 90, "\"what\":\"ended\""), "ended");
        let session = ended(&store, id).unwrap().unwrap();
        assert_eq!(ended(&store, id).unwrap().unwrap(), session);
        let kept = store.session(session).unwrap().about.session;
        assert_eq!(kept.conditions.site_power, Some(Power::kw(300.0)));
        // A pair that is no condition any more is kept as a remark.
        assert!(kept.conditions.other.contains(&("phases".to_string(), "9".to_string())));
        assert!((kept.readings[1].elapsed.get() - 1.0).abs() < 1e-9);
    }

    #[test]
    fn an_entry_that_cannot_be_read_is_said() {
        let lines = [line("a", 0, "\"what\":\"current\""), line("b", 9, "\"what\":\"reading\",\"soc\":300")];
        let (events, unreadable) = events_of(&lines.map(|(_, line)| line));
        assert_eq!(events.len(), 1);
        assert!(unreadable.len() == 1 && unreadable[0].starts_with("Entry 2 cannot be read"), "{unreadable:?}");
        assert!(unreadable[0].contains("300"), "{unreadable:?}");
    }
}
