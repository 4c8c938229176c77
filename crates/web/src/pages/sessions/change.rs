//! What a person changes of a session: its name and conditions, readings left out, its curve for a car, parts joined, and
//! the session gone.

use askama::Template;
use axum::extract::{Form, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use serde::Deserialize;
use spare_hour_core::charging::boost_split::split_boost;
use spare_hour_core::charging::curve_fit::FittedCurve;
use spare_hour_core::charging::known_car::KnownCar;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Distance, Temperature};
use spare_hour_core::session::Conditions;
use spare_hour_core::session::findings::{Fact, Finding};
use spare_hour_core::session::join::join as join_sessions;
use spare_hour_formats::{condition_pairs, note_condition, write_session_csv};
use spare_hour_planning::read_charge::{ReadCharge, Reports};
use spare_hour_store::{Car, NewCurve, NewSession, Store};

use crate::app::App;
use crate::forms::field::Field;
use crate::http::address::Path;
use crate::http::error::{WebError, page};
use crate::layout::Frame;
use spare_hour_wording::{figures, joined};

/// The conditions that the form asks for by name: key of a session CSV, and label. The rest stands as pairs below.
const ASKED: [(&str, &str); 23] = [
    ("date", "Day, such as 2026-05-01"),
    ("began", "Began, such as 17:30"),
    ("paid", "Paid"),
    ("place", "Where, such as home"),
    ("car", "Car, as its maker calls it"),
    ("software", "Its software"),
    ("usable_kwh", "Usable capacity, kWh"),
    ("range_km", "Rated range"),
    ("site_kw", "Site’s most power, kW"),
    ("site_a", "Site’s most current, A"),
    ("site_v", "Site’s highest voltage, V"),
    ("shared_cabinet", "Cabinet shared (yes, no)"),
    ("meter", "Meter read (station, car)"),
    ("battery_c", "Pack at the start"),
    ("ambient_c", "Air"),
    ("preconditioned", "Preconditioned, how"),
    ("preconditioned_min", "and for how long, min"),
    ("car_on", "Car on (yes, no)"),
    ("adapter", "Adapter"),
    ("handshake_s", "Handshake, s"),
    ("failed_attempts", "Failed attempts"),
    ("phases", "Phases, if AC"),
    ("start", "Start"),
];

#[derive(Template)]
#[template(path = "sessions/edit.html")]
struct EditPage {
    frame: Frame,
    id: i32,
    name: Field,
    fields: Vec<(&'static str, String, Field)>,
    /// Everything else, as `key: value` lines.
    other: Field,
}

/// The form as it comes: by key.
pub(crate) type EditFields = std::collections::HashMap<String, String>;

/// The form of what was noted.
pub(crate) async fn edit(State(app): State<App>, Path(id): Path<i32>) -> Result<Response, WebError> {
    let units = app.units().await?;
    let about = app.run(move |store| Ok(store.session(id)?.about)).await?;
    let pairs = condition_pairs(&about.session.conditions);
    let value = |key: &str| pairs.iter().find(|pair| pair.0 == key).map(|pair| pair.1.clone()).unwrap_or_default();
    let fields = ASKED.iter().map(|&(key, label)| (key, label_in(units, key, label), in_units(units, key, value(key))));
    let fields = fields.collect();
    let is_other = |pair: &&(String, String)| !ASKED.iter().any(|asked| asked.0 == pair.0);
    let other: String = pairs.iter().filter(is_other).map(|(key, value)| format!("{key}: {value}\n")).collect();
    let frame = Frame::new(&app, "sessions", "What was noted");
    let shown = EditPage { frame, id, name: Field::new(about.name), fields, other: Field::new(other) };
    Ok(page(StatusCode::OK, &shown))
}

/// A label with the unit that its field is typed in.
fn label_in(units: Units, key: &str, label: &str) -> String {
    match key {
        "range_km" => format!("{label}, {}", units.distance.name()),
        "battery_c" | "ambient_c" => format!("{label}, {}", units.temperature.name()),
        _ => label.into(),
    }
}

/// What is kept of a condition, as a field in the person's units.
fn in_units(units: Units, key: &str, kept: String) -> Field {
    let number = kept.parse::<f64>().ok();
    let told = match key {
        "range_km" => number.map(|km| units.distance.of(Distance::km(km))),
        "battery_c" | "ambient_c" => number.map(|celsius| units.temperature.of(Temperature::celsius(celsius))),
        _ => None,
    };
    Field::new(told.map_or(kept, figures::field))
}

/// What was typed of a condition in the person's units, as it is kept; `None` when it is no number that works.
fn as_kept(units: Units, key: &str, field: &mut Field) -> Option<String> {
    let number = match key {
        _ if field.text.trim().is_empty() => return Some(String::new()),
        "range_km" => field.distance(units, 1.0, 10_000.0)?.get(),
        "battery_c" => field.temperature(units, -100.0, 200.0)?.get(),
        "ambient_c" => field.temperature(units, -100.0, 100.0)?.get(),
        _ => return Some(field.text.clone()),
    };
    Some(number.to_string())
}

/// Keeps what was noted.
pub(crate) async fn change(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<EditFields>,
) -> Result<Response, WebError> {
    let typed = |key: &str| form.get(key).cloned().unwrap_or_default();
    let mut name = Field::new(typed("name"));
    let mut other = Field::new(typed("other"));
    let mut conditions = Conditions::default();
    let units = app.units().await?;
    let mut fields: Vec<(&'static str, String, Field)> = Vec::new();
    for (key, label) in ASKED {
        let mut field = Field::new(typed(key));
        if let Some(text) = as_kept(units, key, &mut field) {
            field.fault = note_condition(&mut conditions, key, &text).err();
        }
        fields.push((key, label_in(units, key, label), field));
    }
    let pairs = other
        .text
        .lines()
        .filter(|line| !line.trim().is_empty())
        .map(|line| line.split_once(':').unwrap_or(("remark", line)));
    let faults: Vec<String> =
        pairs.filter_map(|(key, value)| note_condition(&mut conditions, key, value).err()).collect();
    other.fault = (!faults.is_empty()).then(|| faults.join("; "));
    let wrong = other.fault.is_some() || fields.iter().any(|field| field.2.fault.is_some());
    let (Some(words), false) = (name.words(80), wrong) else {
        let frame = Frame::new(&app, "sessions", "What was noted");
        return Ok(page(StatusCode::UNPROCESSABLE_ENTITY, &EditPage { frame, id, name, fields, other }));
    };
    app.change(move |store| Ok(store.change_session(id, &words, &conditions)?)).await?;
    Ok(Redirect::to(&format!("/sessions/{id}")).into_response())
}

#[derive(Debug, Deserialize)]
pub(crate) struct LeaveOutForm {
    position: i32,
    /// Empty takes the reading back in.
    #[serde(default)]
    reason: String,
    #[serde(default)]
    back: bool,
}

/// Leaves a reading out, or takes it back in.
pub(crate) async fn leave_out(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<LeaveOutForm>,
) -> Result<Redirect, WebError> {
    let said: String = form.reason.trim().chars().take(200).collect();
    let reason = if said.is_empty() { "no reason given".to_string() } else { said };
    let reason = (!form.back).then_some(reason);
    app.change(move |store| Ok(store.leave_out_reading(id, form.position, reason.as_deref())?)).await?;
    Ok(Redirect::to(&format!("/sessions/{id}#readings")))
}

#[derive(Debug, Deserialize)]
pub(crate) struct CurveForm {
    car: i32,
}

/// Makes a session's curve the one that plans use for a car.
pub(crate) async fn use_curve(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<CurveForm>,
) -> Result<Redirect, WebError> {
    app.change(move |store| {
        let car = store.car(form.car)?;
        let stored = store.session(id)?;
        let curve = FittedCurve::new(&stored.about.session, car.about.usable)
            .map_err(|error| WebError::Refused(error.to_string()))?;
        store.add_curve_in_use(&NewCurve {
            session: Some(id),
            measured: Some(curve.measured),
            explained: "fitted to this session alone: shape by its powers, height by its clock".into(),
            ..NewCurve::new(car.id, stored.about.name, curve.power)
        })?;
        Ok(store.set_car_of_session(id, car.id)?)
    })
    .await?;
    Ok(Redirect::to(&format!("/sessions/{id}?used={}", form.car)))
}

#[derive(Debug, Deserialize)]
pub(crate) struct BoostForm {
    keep: String,
}

/// Keeps a step under discussion as a boost of the session's car, or as a step of its curve, and plans with that.
pub(crate) async fn keep_step(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<BoostForm>,
) -> Result<Redirect, WebError> {
    let car = app
        .change(move |store| {
            let charge = ReadCharge::new(store, id)?;
            let car = charge.stored.about.car.ok_or_else(|| WebError::Refused("Say first which car it was.".into()))?;
            let car = store.car(car)?;
            keep_step_of(store, &charge, &car, form.keep == "boost")?;
            Ok(car.id)
        })
        .await?;
    Ok(Redirect::to(&format!("/sessions/{id}?used={car}")))
}

fn keep_step_of(store: &Store, charge: &ReadCharge, car: &Car, as_boost: bool) -> Result<(), WebError> {
    let refused = |what: &str| WebError::Refused(what.to_string());
    let report = charge.report(&Reports::default(), None).map_err(|error| WebError::Refused(error.to_string()))?;
    let is_step = |finding: &&Finding| matches!(finding.fact, Fact::BoostOver { .. });
    let step =
        report.findings.iter().find(is_step).ok_or_else(|| refused("There is no step in this charge any more."))?;
    let (at, span) = step.at.zip(step.span).ok_or_else(|| refused("The step has no place."))?;
    let new = NewCurve {
        session: Some(charge.stored.id),
        measured: Some(report.curve.measured),
        explained: "fitted to this session alone; its step is kept as the curve’s".into(),
        ..NewCurve::new(car.id, charge.stored.about.name.clone(), report.curve.power.clone())
    };
    if !as_boost {
        store.add_curve_in_use(&new)?;
        return Ok(());
    }
    let start = report.analysis.timeline.start_soc();
    let lasts = at - report.analysis.timeline.start();
    let split =
        split_boost(&report.curve, lasts, span, start).ok_or_else(|| refused("Nothing is left beside the step."))?;
    let explained = "fitted to this session alone; before its step, kept as a boost, no more than the power after it";
    store.change_car(car.id, &KnownCar { boost: Some(split.boost), ..car.about.clone() })?;
    store.add_curve_in_use(&NewCurve { power: split.sustained, explained: explained.into(), ..new })?;
    Ok(())
}

#[derive(Debug, Deserialize)]
pub(crate) struct JoinForm {
    other: i32,
}

/// Joins a session with another part of the same charge into a new session; both parts stay.
pub(crate) async fn join(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<JoinForm>,
) -> Result<Redirect, WebError> {
    let joined = app.change(move |store| join_parts(store, id, form.other)).await?;
    Ok(Redirect::to(&format!("/sessions/{joined}")))
}

fn join_parts(store: &Store, id: i32, other: i32) -> Result<i32, WebError> {
    let (one, other) = (store.session(id)?.about, store.session(other)?.about);
    let mut joined = join_sessions(&one.session, &other.session)
        .map_err(|error| WebError::Refused(format!("These two cannot be joined: {error}. Nothing was changed.")))?;
    joined.session.conditions.joined = Some(joined::note(&joined));
    let name: String = format!("{} + {}", one.name, other.name).chars().take(80).collect();
    let new = NewSession {
        car: one.car.or(other.car),
        name,
        source_name: format!("joined from “{}” and “{}”", one.name, other.name),
        source_text: write_session_csv(&joined.session),
        session: joined.session,
    };
    Ok(store.add_session(&new)?)
}

/// Removes a session. Curves that were made of it stay.
pub(crate) async fn remove(State(app): State<App>, Path(id): Path<i32>) -> Result<Redirect, WebError> {
    app.change(move |store| Ok(store.remove_session(id)?)).await?;
    Ok(Redirect::to("/sessions?removed=true"))
}
