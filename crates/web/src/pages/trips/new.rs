//! A new trip: its road typed, from a list or from a track on the map, the day's conditions, and the charging places beside it.

use askama::Template;
use axum::extract::{Multipart, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use spare_hour_core::driving::road::Road;
use spare_hour_core::quantity::Distance;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::trip::Goal;
use spare_hour_formats::write_track;
use spare_hour_store::{NewTrip, Settings};

use super::Ask;
use super::places::{PlaceFile, Wanted};
use super::road_form::{BroughtRoad, brought, examples};
use super::weather::Weather;
use crate::app::{App, off_thread};
use crate::forms::car_choice;
use crate::forms::field::Field;
use crate::http::error::{WebError, page};
use crate::http::upload::{Upload, read_upload};
use crate::layout::Frame;
use spare_hour_wording::figures;

/// Farthest that a place may lie off the road, as the crow flies, unless told otherwise; and the price of a kWh.
const OFF: Distance = Distance::km(3.0);
const PRICE: f64 = 0.6;

#[derive(Template)]
#[template(path = "trips/new.html")]
struct NewPage {
    frame: Frame,
    cars: Vec<(i32, String, bool)>,
    examples: Vec<String>,
    form: NewForm,
    faults: Vec<String>,
}

/// The form as it was filled in.
struct NewForm {
    name: Field,
    /// The road as it was typed.
    text: String,
    weather: Weather,
    near: NearForm,
}

/// Which places of a file count.
pub(super) struct NearForm {
    pub(super) off: Field,
    pub(super) price: Field,
    /// The unit of distances.
    pub(super) unit: &'static str,
    pub(super) wanted: Wanted,
}

impl NearForm {
    /// The fields of a form as filled in, and what they say.
    pub(super) fn new(upload: &Upload, units: Units) -> Self {
        let filled = |name: &str, usual: f64| match upload.field(name) {
            empty if empty.is_empty() => Field::new(figures::field((10.0 * usual).round() / 10.0)),
            text => Field::new(text),
        };
        let (mut off, mut price) = (filled("off", units.distance.of(OFF)), filled("price", PRICE));
        let wanted = Wanted {
            off: off.distance(units, 0.0, 50.0).unwrap_or(OFF),
            price: price.number(0.0, 1_000.0, "").unwrap_or(PRICE),
        };
        Self { off, price, unit: units.distance.name(), wanted }
    }

    pub(super) fn is_wrong(&self) -> bool {
        self.off.fault.is_some() || self.price.fault.is_some()
    }
}

impl NewForm {
    fn new(upload: &Upload, units: Units) -> Self {
        Self {
            name: Field::new(upload.field("name")),
            text: upload.field("text"),
            weather: Weather::new(&Ask::of(upload), &Road::default(), units),
            near: NearForm::new(upload, units),
        }
    }

    fn is_wrong(&self) -> bool {
        self.weather.is_wrong() || self.near.is_wrong() || self.name.fault.is_some()
    }
}

/// The form.
pub(crate) async fn form(State(app): State<App>) -> Result<Response, WebError> {
    let form = NewForm::new(&Upload::default(), app.units().await?);
    form_page(&app, form, "", Vec::new()).await
}

async fn form_page(app: &App, form: NewForm, car: &str, faults: Vec<String>) -> Result<Response, WebError> {
    let (cars, units) = app.run(|store| Ok((store.cars()?, store.settings()?.units))).await?;
    let wrong = !faults.is_empty() || form.is_wrong();
    let status = if wrong { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    let cars = car_choice::options(&cars, car.parse().ok());
    let frame = Frame::new(app, "trips", "A new trip");
    Ok(page(status, &NewPage { frame, cars, examples: examples(units), form, faults }))
}

/// Makes a trip.
pub(crate) async fn make(State(app): State<App>, form: Multipart) -> Result<Response, WebError> {
    let upload = read_upload(form).await?;
    let settings = app.run(|store| Ok(store.settings()?)).await?;
    let car = upload.field("car");
    let mut form = NewForm::new(&upload, settings.units);
    let (form, read) = off_thread(move || {
        let read = new_trip(&upload, &mut form, settings);
        (form, read)
    })
    .await?;
    match read {
        Err(faults) => form_page(&app, form, &car, faults).await,
        Ok((trip, track)) => {
            let id = app
                .change(move |store| {
                    store.car(trip.car)?;
                    Ok(store.add_trip(&trip, track.as_deref())?)
                })
                .await?;
            Ok(Redirect::to(&format!("/trips/{id}")).into_response())
        }
    }
}

/// The trip of a form with its track as GeoJSON, or all that is wrong.
fn new_trip(upload: &Upload, form: &mut NewForm, settings: Settings) -> Result<(NewTrip, Option<String>), Vec<String>> {
    let mut faults = Vec::new();
    if form.name.text.trim().is_empty() {
        let stem = upload.file_name.rsplit_once('.').map_or(upload.file_name.as_str(), |(stem, _)| stem);
        form.name.text = if stem.is_empty() { "A trip".into() } else { stem.chars().take(80).collect() };
    }
    let name = form.name.words(80);
    let road = brought(upload, settings.units).map_err(|problems| faults.extend(problems)).ok();
    let places = Some(upload.field("places")).filter(|text| !text.trim().is_empty());
    let places = places.and_then(|text| PlaceFile::read(text.as_bytes()).map_err(|fault| faults.push(fault)).ok());
    let sites = match (&road, places) {
        (Some(road), Some(places)) => {
            let sites = places.along(road.track.as_ref(), length(road), form.near.wanted);
            sites.unwrap_or_else(|fault| {
                faults.push(fault);
                Vec::new()
            })
        }
        _ => Vec::new(),
    };
    let car: Option<i32> = upload.field("car").parse().ok();
    if car.is_none() {
        faults.push("Say which car drives.".into());
    }
    let works = faults.is_empty() && !form.is_wrong();
    let (Some(name), Some(road), Some(car), true) = (name, road, car, works) else {
        return Err(faults);
    };
    let track = road.track.as_ref().map(write_track);
    let road = Road { stretches: road.stretches, conditions: form.weather.conditions };
    Ok((NewTrip { name, car, currency: settings.currency, road, sites, goal: Goal::USUAL }, track))
}

fn length(road: &BroughtRoad) -> Distance {
    Distance::km(road.stretches.iter().map(|stretch| stretch.length.get()).sum())
}
