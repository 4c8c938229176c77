//! Sessions: measured charges, brought as files or pasted lines, and what can be read off each.

mod charts;
pub(crate) mod upload;
mod view;

use askama::Template;
use axum::extract::{Form, Multipart, Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use serde::Deserialize;
use spare_hour_core::analysis::{Analysis, Basis};
use spare_hour_core::curve_fit::FittedCurve;
use spare_hour_core::findings::findings;
use spare_hour_core::quantity::{Distance, Energy};
use spare_hour_core::session::Session;
use spare_hour_core::soc_timeline::SocTimeline;
use spare_hour_formats::{analysis_json, read_session, write_session_csv};
use spare_hour_store::{Car, NewCar, NewCurve, NewSession, SessionLine, Store, StoredSession};

use crate::App;
use crate::error::{WebError, page};
use crate::fields::Field;
use crate::layout::Frame;
use crate::trips::download;
use upload::{Upload, read_upload};
use view::SessionView;

/// Capacity taken for a session whose car and file do not say it, kWh. Said on the page.
const UNKNOWN_KWH: f64 = 60.0;
/// Loss of a car that is made for a session, % of the plug's energy: between the usual 2–4 and 10–12.
const USUAL_LOSS: f64 = 8.0;
/// The choice that makes a new car in the form.
const NEW_CAR: &str = "new";

#[derive(Template)]
#[template(path = "sessions/list.html")]
struct ListPage {
    frame: Frame,
    sessions: Vec<(SessionLine, String, String)>,
}

#[derive(Template)]
#[template(path = "sessions/new.html")]
struct NewPage {
    frame: Frame,
    cars: Vec<(i32, String)>,
    form: NewForm,
    faults: Vec<String>,
}

/// The form that brings a session, as it was filled in.
#[derive(Clone, Debug, Default)]
struct NewForm {
    name: Field,
    text: String,
    car: String,
    car_name: Field,
    usable: Field,
    range: Field,
}

#[derive(Template)]
#[template(path = "sessions/show.html")]
struct ShowPage {
    frame: Frame,
    id: i32,
    name: String,
    notice: Option<(String, Option<i32>)>,
    view: Result<SessionView, String>,
    cars: Vec<(i32, String, bool)>,
    source_name: String,
    source_text: String,
    created_at: String,
}

/// What an address asks of a session.
#[derive(Debug, Default, Deserialize)]
pub(crate) struct Ask {
    /// A window of one's own.
    from: Option<String>,
    to: Option<String>,
    /// Set when the curve was just taken for a car.
    used: Option<i32>,
}

#[derive(Debug, Default, Deserialize)]
pub(crate) struct NewAsk {
    car: Option<String>,
}

#[derive(Debug, Deserialize)]
pub(crate) struct CurveForm {
    car: i32,
}

/// The list of sessions.
pub(crate) async fn list(State(app): State<App>) -> Result<Response, WebError> {
    let sessions = app
        .run(|store| {
            let cars = store.cars()?;
            let name = |id: Option<i32>| cars.iter().find(|car| Some(car.id) == id).map(|car| car.about.name.clone());
            let line = |line: SessionLine| {
                let minutes = spare_hour_formats::clock(spare_hour_core::quantity::Minutes::new(line.minutes));
                (line.clone(), name(line.car).unwrap_or_default(), minutes)
            };
            Ok(store.sessions()?.into_iter().map(line).collect())
        })
        .await?;
    Ok(page(StatusCode::OK, &ListPage { frame: Frame::new(&app, "sessions", "Sessions"), sessions }))
}

/// The form that brings a session.
pub(crate) async fn new(State(app): State<App>, Query(ask): Query<NewAsk>) -> Result<Response, WebError> {
    new_page(&app, NewForm { car: ask.car.unwrap_or_default(), ..NewForm::default() }, Vec::new()).await
}

async fn new_page(app: &App, form: NewForm, faults: Vec<String>) -> Result<Response, WebError> {
    let cars = app.run(|store| Ok(store.cars()?)).await?;
    let wrong =
        !faults.is_empty() || [&form.name, &form.car_name, &form.usable, &form.range].iter().any(|f| f.fault.is_some());
    let status = if wrong { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    let cars = cars.into_iter().map(|car| (car.id, car.about.name)).collect();
    Ok(page(status, &NewPage { frame: Frame::new(app, "sessions", "Bring a charge"), cars, form, faults }))
}

/// Takes a session: a file or pasted lines.
pub(crate) async fn import(State(app): State<App>, form: Multipart) -> Result<Response, WebError> {
    let upload = read_upload(form).await?;
    let mut form = NewForm {
        name: Field::new(upload.field("name")),
        text: upload.field("text"),
        car: upload.field("car"),
        car_name: Field::new(upload.field("car_name")),
        usable: Field::new(upload.field("usable")),
        range: Field::new(upload.field("range")),
    };
    let (session, mut faults) = match readable(&upload) {
        Ok(session) => (Some(session), Vec::new()),
        Err(faults) => (None, faults),
    };
    let car = chosen_car(&mut form, session.as_ref());
    if form.car.is_empty() {
        faults.push("Say which car it was, or name a new one.".into());
    }
    let (Some(session), Some(car), true) = (session, car, faults.is_empty()) else {
        return new_page(&app, form, faults).await;
    };
    let id = app.run(move |store| keep(store, car, &form, upload, session)).await?;
    Ok(Redirect::to(&format!("/sessions/{id}")).into_response())
}

/// The session in a form, if a curve can be made of it.
fn readable(upload: &Upload) -> Result<Session, Vec<String>> {
    let session =
        read_session(&upload.text).map_err(|errors| errors.iter().map(ToString::to_string).collect::<Vec<_>>())?;
    SocTimeline::new(&session).map_err(|error| vec![error.to_string()])?;
    Ok(session)
}

/// The car of a new session.
enum ChosenCar {
    Kept(i32),
    New(NewCar),
}

fn chosen_car(form: &mut NewForm, session: Option<&Session>) -> Option<ChosenCar> {
    if form.car != NEW_CAR {
        return form.car.parse().ok().map(ChosenCar::Kept);
    }
    let conditions = session.map(|session| &session.conditions);
    if let (true, Some(usable)) = (form.usable.text.is_empty(), conditions.and_then(|conditions| conditions.usable)) {
        form.usable.text = usable.get().to_string();
    }
    if let (true, Some(car)) = (form.car_name.text.is_empty(), conditions.and_then(|conditions| conditions.car.clone()))
    {
        form.car_name.text = car;
    }
    let name = form.car_name.words(80);
    let usable = form.usable.required(0.1, 2_000.0, "kWh");
    let range = form.range.number(1.0, 10_000.0, "km");
    if form.range.fault.is_some() {
        return None;
    }
    Some(ChosenCar::New(NewCar {
        name: name?,
        usable: Energy::kwh(usable?),
        rated_range: range.map(Distance::km).or(conditions.and_then(|conditions| conditions.rated_range)),
        charge_loss_percent: USUAL_LOSS,
        pack_voltage: None,
        boost: None,
    }))
}

fn keep(store: &Store, car: ChosenCar, form: &NewForm, upload: Upload, session: Session) -> Result<i32, WebError> {
    let car = match car {
        ChosenCar::Kept(id) => store.car(id)?.id,
        ChosenCar::New(car) => store.add_car(&car)?,
    };
    let source_name = if upload.from_file { upload.file_name } else { "pasted lines".into() };
    let name = match form.name.text.trim() {
        "" => source_name.trim_end_matches(".csv").chars().take(80).collect(),
        name => name.chars().take(80).collect(),
    };
    let new = NewSession { car: Some(car), name, source_name, source_text: upload.text, session };
    Ok(store.add_session(&new)?)
}

/// A session with the car it was measured on.
struct Loaded {
    stored: StoredSession,
    cars: Vec<Car>,
}

impl Loaded {
    fn new(store: &Store, id: i32) -> Result<Self, WebError> {
        Ok(Self { stored: store.session(id)?, cars: store.cars()? })
    }

    fn car(&self) -> Option<&Car> {
        self.cars.iter().find(|car| Some(car.id) == self.stored.about.car)
    }

    /// What the session's figures rest on: the file's own word, else the car's.
    fn basis(&self) -> Basis {
        let conditions = &self.stored.about.session.conditions;
        let car = self.car().map(|car| &car.about);
        Basis {
            usable: conditions.usable.or(car.map(|car| car.usable)).unwrap_or(Energy::kwh(UNKNOWN_KWH)),
            range: conditions.rated_range.or(car.and_then(|car| car.rated_range)),
            loss_percent: car.map(|car| car.charge_loss_percent),
        }
    }
}

/// One session and what can be read off it.
pub(crate) async fn show(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let (loaded, view, notice) = app
        .run(move |store| {
            let loaded = Loaded::new(store, id)?;
            let session = &loaded.stored.about.session;
            let view = SessionView::new(session, loaded.basis(), ask.from.as_deref(), ask.to.as_deref());
            let notice = match ask.used {
                Some(car) => {
                    let name = store.car(car)?.about.name;
                    let trip = store.trips()?.into_iter().find(|trip| trip.car == car).map(|trip| trip.id);
                    Some((name, trip))
                }
                None => None,
            };
            Ok((loaded, view.map_err(|error| error.to_string()), notice))
        })
        .await?;
    let about = loaded.stored.about;
    let cars = loaded.cars.into_iter().map(|car| (car.id, car.about.name, Some(car.id) == about.car)).collect();
    Ok(page(
        StatusCode::OK,
        &ShowPage {
            frame: Frame::new(&app, "sessions", about.name.clone()),
            id,
            name: about.name,
            notice,
            view,
            cars,
            source_name: about.source_name,
            source_text: about.source_text,
            created_at: loaded.stored.created_at,
        },
    ))
}

/// What a session was made from, as it came.
pub(crate) async fn source(State(app): State<App>, Path(id): Path<i32>) -> Result<Response, WebError> {
    let stored = app.run(move |store| Ok(store.session(id)?)).await?;
    Ok(download(&format!("session-{id}-source.txt"), "text/plain; charset=utf-8", stored.about.source_text))
}

/// A session as CSV.
pub(crate) async fn csv(State(app): State<App>, Path(id): Path<i32>) -> Result<Response, WebError> {
    let stored = app.run(move |store| Ok(store.session(id)?)).await?;
    Ok(download(&format!("session-{id}.csv"), "text/csv; charset=utf-8", write_session_csv(&stored.about.session)))
}

/// Everything read off a session, as JSON.
pub(crate) async fn analysis(State(app): State<App>, Path(id): Path<i32>) -> Result<Response, WebError> {
    let text = app
        .run(move |store| {
            let loaded = Loaded::new(store, id)?;
            let (session, basis) = (&loaded.stored.about.session, loaded.basis());
            let refuse = |error: spare_hour_core::soc_timeline::TooFewReadings| WebError::Refused(error.to_string());
            let analysis = Analysis::new(session, basis).map_err(refuse)?;
            let curve = FittedCurve::new(session, basis.usable).map_err(refuse)?;
            Ok(analysis_json(&analysis, &curve, &findings(session, &analysis)))
        })
        .await?;
    Ok(download(&format!("session-{id}-analysis.json"), "application/json", text))
}

/// Makes a session's curve the one that plans use for a car.
pub(crate) async fn use_curve(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<CurveForm>,
) -> Result<Redirect, WebError> {
    app.run(move |store| {
        let car = store.car(form.car)?;
        let stored = store.session(id)?;
        let curve = FittedCurve::new(&stored.about.session, car.about.usable)
            .map_err(|error| WebError::Refused(error.to_string()))?;
        store.add_curve_in_use(&NewCurve {
            car: car.id,
            session: Some(id),
            name: stored.about.name,
            power: curve.power,
            measured: Some(curve.measured),
        })?;
        Ok(store.set_car_of_session(id, car.id)?)
    })
    .await?;
    Ok(Redirect::to(&format!("/sessions/{id}?used={}", form.car)))
}
