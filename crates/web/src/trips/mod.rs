//! Trips: the plan of each, and what changes it.

mod ask;
mod day_line;
mod from_track;
mod receipts;
mod view;

use askama::Template;
use axum::extract::{Form, Multipart, Query, State};
use axum::http::StatusCode;
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE};
use axum::response::{IntoResponse, Redirect, Response};
use spare_hour_core::planner::{PlanError, Planner};
use spare_hour_core::trip::Trip;
use spare_hour_formats::{infeasible_json, plan_json, read_trip, write_trip};
use spare_hour_store::{Car, Curve, Store, StoredTrip, TripLine};

use crate::App;
use crate::address::Path;
use crate::error::{WebError, page};
use crate::layout::Frame;
use crate::sessions::upload::{Upload, read_upload};

pub(crate) use ask::Ask;
use ask::{Controls, Knob};
pub(crate) use from_track::{form as track_form, make as make_from_track};
use receipts::TripTariffs;
pub(crate) use view::{Outcome, PlanView};

/// Currency of trips that do not say theirs.
const CURRENCY: &str = "cr";
const EXAMPLE: &str = include_str!("../../../../docs/formats/trip.example.json");

/// A trip as it is kept, with the cars and curves that could drive it.
pub(crate) struct Loaded {
    pub(crate) stored: StoredTrip,
    pub(crate) cars: Vec<Car>,
    /// Curves of the car that drives it.
    pub(crate) curves: Vec<Curve>,
    pub(crate) controls: Controls,
    /// The trip with every control applied; `None` when its car has no curve yet.
    pub(crate) trip: Option<Trip>,
    /// What its sites ask.
    pub(crate) tariffs: TripTariffs,
}

impl Loaded {
    /// Reads a trip and applies what is asked.
    pub(crate) fn new(store: &Store, id: i32, ask: &Ask) -> Result<Self, WebError> {
        let stored = store.trip(id)?;
        let cars = store.cars()?;
        let mut controls = Controls::new(ask, &stored);
        let car =
            cars.iter().find(|car| car.id == controls.car).ok_or(WebError::Missing("There is no such car.".into()))?;
        let curves = store.curves_of(car.id)?;
        let asked = ask.curve().filter(|asked| curves.iter().any(|curve| curve.id == *asked));
        controls.curve = asked.or(car.curve);
        let curve = curves.iter().find(|curve| Some(curve.id) == controls.curve);
        let tariffs = TripTariffs::new(store, id, controls.departure)?;
        let trip = curve.map(|curve| {
            let mut trip = controls.apply(stored.with_vehicle(car.vehicle(curve.about.power.clone())));
            tariffs.apply(&mut trip);
            trip
        });
        Ok(Self { stored, cars, curves, controls, trip, tariffs })
    }

    fn curve(&self) -> Option<&Curve> {
        self.curves.iter().find(|curve| Some(curve.id) == self.controls.curve)
    }
}

#[derive(Template)]
#[template(path = "trips/list.html")]
struct ListPage {
    frame: Frame,
    trips: Vec<(TripLine, String)>,
    fault: Option<String>,
}

#[derive(Template)]
#[template(path = "trips/show.html")]
struct ShowPage {
    frame: Frame,
    id: i32,
    name: String,
    knobs: Vec<Knob>,
    controls: Controls,
    /// Cars and curves by number and name, and which is chosen.
    cars: Vec<(i32, String, bool)>,
    curves: Vec<(i32, String, bool)>,
    currency: String,
    kept: bool,
    view: PlanView,
}

#[derive(Template)]
#[template(path = "trips/plan.html")]
struct PlanPart {
    view: PlanView,
}

/// The list of trips.
pub(crate) async fn list(State(app): State<App>) -> Result<Response, WebError> {
    list_page(&app, None).await
}

async fn list_page(app: &App, fault: Option<String>) -> Result<Response, WebError> {
    let trips = app.run(|store| named(store, store.trips()?)).await?;
    let status = if fault.is_some() { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    Ok(page(status, &ListPage { frame: Frame::new(app, "trips", "Trips"), trips, fault }))
}

/// Trips with the names of their cars.
fn named(store: &Store, trips: Vec<TripLine>) -> Result<Vec<(TripLine, String)>, WebError> {
    let cars = store.cars()?;
    let name = |id| cars.iter().find(|car| car.id == id).map(|car| car.about.name.clone()).unwrap_or_default();
    Ok(trips.into_iter().map(|trip| (trip.clone(), name(trip.car))).collect())
}

/// One trip with its plan.
pub(crate) async fn show(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let kept = ask.kept();
    let (loaded, view) = app
        .run(move |store| {
            let loaded = Loaded::new(store, id, &ask)?;
            let view = PlanView::new(&loaded, true);
            Ok((loaded, view))
        })
        .await?;
    let (name, controls) = (loaded.stored.about.name.clone(), loaded.controls);
    Ok(page(
        StatusCode::OK,
        &ShowPage {
            frame: Frame::new(&app, "trips", name.clone()),
            id,
            name,
            cars: loaded.cars.iter().map(|car| (car.id, car.about.name.clone(), car.id == controls.car)).collect(),
            curves: loaded
                .curves
                .iter()
                .map(|curve| {
                    (curve.id, format!("{}, version {}", curve.about.name, curve.id), Some(curve.id) == controls.curve)
                })
                .collect(),
            currency: loaded.stored.about.currency.clone(),
            knobs: controls.knobs(),
            controls,
            kept,
            view,
        },
    ))
}

/// The plan alone, for the page's script.
pub(crate) async fn plan(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let view = app.run(move |store| Ok(PlanView::new(&Loaded::new(store, id, &ask)?, false))).await?;
    Ok(page(StatusCode::OK, &PlanPart { view }))
}

/// Keeps the controls as the trip's own.
pub(crate) async fn keep(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(ask): Form<Ask>,
) -> Result<Redirect, WebError> {
    let query = app
        .run(move |store| {
            let loaded = Loaded::new(store, id, &ask)?;
            if loaded.controls.faults().next().is_some() {
                return Err(WebError::Refused("Some of the numbers do not work, so nothing was kept.".into()));
            }
            let goal = loaded.controls.goal();
            store.change_goal(id, loaded.controls.car, &goal)?;
            Ok(loaded.controls.address_with(&loaded.controls.leave, None))
        })
        .await?;
    Ok(Redirect::to(&format!("/trips/{id}?{query}&kept=1")))
}

/// Takes a trip file, with the car in it.
pub(crate) async fn import(State(app): State<App>, form: Multipart) -> Result<Response, WebError> {
    let upload: Upload = read_upload(form).await?;
    let trip = match read_trip(upload.text.as_bytes()) {
        Ok(trip) => trip,
        Err(error) => {
            let file = if upload.file_name.is_empty() { "The trip".to_string() } else { upload.file_name };
            return list_page(&app, Some(format!("{file}: {error}. Nothing was kept."))).await;
        }
    };
    keep_new(&app, trip).await
}

/// Takes the example trip.
pub(crate) async fn example(State(app): State<App>) -> Result<Response, WebError> {
    let trip = read_trip(EXAMPLE.as_bytes()).map_err(|error| WebError::Refused(error.to_string()))?;
    keep_new(&app, trip).await
}

async fn keep_new(app: &App, mut trip: Trip) -> Result<Response, WebError> {
    if trip.name.trim().is_empty() {
        trip.name = "A trip".into();
    }
    let id =
        app.run(move |store| Ok(store.add_trip_with_car(&trip, &format!("Car of “{}”", trip.name), CURRENCY)?)).await?;
    Ok(Redirect::to(&format!("/trips/{id}")).into_response())
}

/// The trip as a file, controls applied.
pub(crate) async fn trip_file(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let text = app.run(move |store| Ok(write_trip(&drivable(store, id, &ask)?))).await?;
    Ok(download(&format!("trip-{id}.json"), "application/json", text))
}

/// The plan as a file.
pub(crate) async fn plan_file(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let text = app
        .run(move |store| {
            let trip = drivable(store, id, &ask)?;
            match Planner::new(&trip) {
                Ok(planner) => Ok(plan_json(&trip, planner.best(), &planner.schools())),
                Err(PlanError::Infeasible(gap)) => Ok(infeasible_json(&trip, &gap)),
                Err(PlanError::Trip(error)) => Err(WebError::Refused(error.to_string())),
            }
        })
        .await?;
    Ok(download(&format!("plan-{id}.json"), "application/json", text))
}

fn drivable(store: &Store, id: i32, ask: &Ask) -> Result<Trip, WebError> {
    let trip = Loaded::new(store, id, ask)?.trip;
    trip.ok_or_else(|| WebError::Refused("The car of this trip has no charge curve yet.".into()))
}

/// A text as a file to keep.
pub(crate) fn download(name: &str, kind: &'static str, body: impl Into<Vec<u8>>) -> Response {
    let disposition = format!("attachment; filename=\"{name}\"");
    ([(CONTENT_TYPE, kind.to_string()), (CONTENT_DISPOSITION, disposition)], body.into()).into_response()
}
