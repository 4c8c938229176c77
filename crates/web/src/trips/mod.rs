//! Trips: the plan of each, and what changes it.

mod ask;
mod control;
mod day_line;
mod files;
mod new;
mod places;
mod receipts;
mod road;
mod road_chart;
mod road_form;
mod site_details;
mod site_form;
mod sites;
mod view;
mod weather;

use askama::Template;
use axum::extract::{Form, Query, State};
use axum::http::StatusCode;
use axum::response::{Redirect, Response};
use jiff::tz::TimeZone;
use jiff::{Timestamp, civil::Date};
use serde::Deserialize;
use spare_hour_core::driving::consumption_fit::ConsumptionFit;
use spare_hour_core::driving::drive::Drive;
use spare_hour_core::driving::road::Road;
use spare_hour_core::quantity::Distance;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::trip::Trip;
use spare_hour_planner::open_sites::Beginning;
use spare_hour_store::{Car, Curve, Store, StoredTrip, TripLine};

use crate::App;
use crate::address::Path;
use crate::cars::choice;
use crate::error::{WebError, page};
use crate::fields::Field;
use crate::layout::Frame;
use crate::say;

use ask::Controls;
pub(crate) use control::Ask;
pub(crate) use files::{download, example, import, list_file as list_of_trip, plan_file, trip_file};
pub(crate) use new::{form as new_form, make};
use receipts::TripTariffs;
pub(crate) use road::{change as change_road, lines as road_lines, show as show_road};
pub(crate) use sites::{change as change_site, import as import_sites, remove as remove_site, show as show_sites};
pub(crate) use view::{Outcome, PlanView};

#[cfg(test)]
use files::EXAMPLE;

/// A trip as it is kept, with the cars and curves that could drive it.
pub(crate) struct Loaded {
    pub(crate) stored: StoredTrip,
    pub(crate) units: Units,
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
        let (stored, units) = (store.trip(id)?, store.settings()?.units);
        let cars = store.cars()?;
        let mut controls = Controls::new(ask, &stored, units, today());
        let car =
            cars.iter().find(|car| car.id == controls.car).ok_or(WebError::Missing("There is no such car.".into()))?;
        let curves = store.curves_of(car.id)?;
        let asked = ask.number("curve").filter(|asked| curves.iter().any(|curve| curve.id == *asked));
        controls.curve = asked.or(car.curve);
        let curve = curves.iter().find(|curve| Some(curve.id) == controls.curve);
        let tariffs = TripTariffs::new(store, id, controls.date, controls.departure)?;
        let mut trip = None;
        if let Some(curve) = curve {
            let fit = fit_for(store, car, &stored.about.road)?;
            let vehicle = car.vehicle(curve.about.power.clone());
            let mut wanted = controls.apply(stored.driven(vehicle, &fit, &controls.weather.conditions));
            tariffs.apply(&mut wanted);
            trip = Some(wanted);
        }
        Ok(Self { stored, units, cars, curves, controls, trip, tariffs })
    }

    fn curve(&self) -> Option<&Curve> {
        self.curves.iter().find(|curve| Some(curve.id) == self.controls.curve)
    }
}

/// When the controls let a trip begin.
fn beginning(controls: &Controls) -> Beginning {
    let weekday = controls.date.weekday().to_monday_zero_offset();
    Beginning { weekday: weekday.unsigned_abs().into(), minute: controls.departure }
}

/// The day at this machine.
pub(crate) fn today() -> Date {
    Timestamp::now().to_zoned_datetime(TimeZone::system()).date()
}

/// What a car's drives say of it; they are not read for a road whose consumption was typed.
fn fit_for(store: &Store, car: &Car, road: &Road) -> Result<ConsumptionFit, WebError> {
    let kept = if road.is_typed() { Vec::new() } else { store.drives_of(car.id)? };
    let drives: Vec<Drive> = kept.into_iter().map(|kept| kept.drive).collect();
    Ok(ConsumptionFit::new(&drives, car.about.usable, car.body()))
}

#[derive(Template)]
#[template(path = "trips/list.html")]
struct ListPage {
    frame: Frame,
    /// Each with the name of its car and its length.
    trips: Vec<(TripLine, String, String)>,
    fault: Option<String>,
}

#[derive(Template)]
#[template(path = "trips/show.html")]
struct ShowPage {
    frame: Frame,
    id: i32,
    name: String,
    controls: Controls,
    /// Cars and curves by number and name, and which is chosen.
    cars: Vec<(i32, String, bool)>,
    curves: Vec<(i32, String, bool)>,
    /// Whether the weather changes nothing, because the road's consumption was typed.
    typed: bool,
    weather_told: String,
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

/// Trips with the names of their cars and their lengths.
fn named(store: &Store, trips: Vec<TripLine>) -> Result<Vec<(TripLine, String, String)>, WebError> {
    let (cars, units) = (store.cars()?, store.settings()?.units);
    let name = |id| cars.iter().find(|car| car.id == id).map(|car| car.about.name.clone()).unwrap_or_default();
    let told = |trip: TripLine| (name(trip.car), say::distance(units, Distance::km(trip.km)), trip);
    Ok(trips.into_iter().map(told).map(|(car, length, trip)| (trip, car, length)).collect())
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
    let typed = loaded.stored.about.road.is_typed();
    Ok(page(
        StatusCode::OK,
        &ShowPage {
            frame: Frame::new(&app, "trips", name.clone()),
            id,
            name,
            cars: choice::options(&loaded.cars, Some(controls.car)),
            curves: loaded
                .curves
                .iter()
                .map(|curve| {
                    (curve.id, format!("{}, version {}", curve.about.name, curve.id), Some(curve.id) == controls.curve)
                })
                .collect(),
            weather_told: controls.weather.in_words(loaded.units),
            controls,
            typed,
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
        .change(move |store| {
            let loaded = Loaded::new(store, id, &ask)?;
            if loaded.controls.faults().next().is_some() {
                return Err(WebError::Refused("Some of the numbers do not work, so nothing was kept.".into()));
            }
            let controls = &loaded.controls;
            store.change_goal(id, controls.car, &controls.goal(), &controls.weather.conditions)?;
            Ok(loaded.controls.address_with(&loaded.controls.leave, None))
        })
        .await?;
    Ok(Redirect::to(&format!("/trips/{id}?{query}&kept=1")))
}

/// A trip's name, and the currency of its prices.
#[derive(Debug, Deserialize)]
pub(crate) struct NameForm {
    #[serde(default)]
    name: String,
    #[serde(default)]
    currency: String,
}

/// Calls a trip something else.
pub(crate) async fn rename(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<NameForm>,
) -> Result<Redirect, WebError> {
    let (Some(name), Some(currency)) = (Field::new(form.name).words(80), Field::new(form.currency).words(8)) else {
        return Err(WebError::Refused("Expected a name of 1 to 80 characters, and a currency of 1 to 8.".into()));
    };
    app.change(move |store| Ok(store.rename_trip(id, &name, &currency)?)).await?;
    Ok(Redirect::to(&format!("/trips/{id}/road")))
}

/// Removes a trip.
pub(crate) async fn remove(State(app): State<App>, Path(id): Path<i32>) -> Result<Redirect, WebError> {
    app.change(move |store| Ok(store.remove_trip(id)?)).await?;
    Ok(Redirect::to("/trips"))
}
