//! A new trip from a track on the map: its road for a car under the day's conditions, and the charging places beside it.

use askama::Template;
use axum::extract::{Multipart, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use spare_hour_core::consumption_fit::ConsumptionFit;
use spare_hour_core::drive::Drive;
use spare_hour_core::quantity::{Distance, Mass, Minutes, Power, Soc, Speed, Temperature};
use spare_hour_core::track::Track;
use spare_hour_core::track_segments::{TripConditions, track_segments};
use spare_hour_core::trip::{Goal, MOST_SITES, Price, Site};
use spare_hour_formats::{ChargingPlace, read_places, read_track};
use spare_hour_store::{NewTrip, Store};

use super::CURRENCY;
use crate::App;
use crate::error::{WebError, page};
use crate::fields::Field;
use crate::layout::Frame;
use crate::sessions::upload::{Upload, read_upload};

/// Roads to a place are longer than the crow flies.
const DETOUR: f64 = 1.3;
/// Speed on the way to a place off the road, and fixed minutes there.
const OFF_ROUTE: Speed = Speed::kmh(50.0);
const OVERHEAD: Minutes = Minutes::new(4.0);
/// Power taken of a place that does not say.
const UNKNOWN_POWER: Power = Power::kw(50.0);

/// The typed numbers: key, label, unit, lowest, highest, usual.
const NUMBERS: [(&str, &str, &str, f64, f64, &str); 7] = [
    ("speed", "Speed where the track has no times, km/h", "km/h", 10.0, 250.0, "100"),
    ("outside", "Outside, °C", "°C", -50.0, 55.0, "15"),
    ("wind", "Wind, km/h", "km/h", 0.0, 150.0, "0"),
    ("wind_from", "Wind from, degrees from north", "°", 0.0, 360.0, "270"),
    ("load", "Load, kg", "kg", 0.0, 2_000.0, "0"),
    ("off", "Places up to so far off the road, km", "km", 0.0, 50.0, "3"),
    ("price", "Price where no tariff is known, a kWh", "", 0.0, 1_000.0, "0.6"),
];

#[derive(Template)]
#[template(path = "trips/from_track.html")]
struct TrackPage {
    frame: Frame,
    cars: Vec<(i32, String, bool)>,
    name: Field,
    numbers: Vec<(&'static str, &'static str, Field)>,
    wet: bool,
    faults: Vec<String>,
}

/// The form.
pub(crate) async fn form(State(app): State<App>) -> Result<Response, WebError> {
    form_page(&app, &Upload::default(), None, Vec::new()).await
}

async fn form_page(
    app: &App,
    upload: &Upload,
    numbers: Option<Vec<Field>>,
    faults: Vec<String>,
) -> Result<Response, WebError> {
    let cars = app.run(|store| Ok(store.cars()?)).await?;
    let usual = || NUMBERS.iter().map(|number| Field::new(number.5)).collect();
    let wrong = !faults.is_empty() || numbers.as_ref().is_some_and(|all| all.iter().any(|field| field.fault.is_some()));
    let status = if wrong { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    let chosen = upload.field("car");
    let fields = numbers.unwrap_or_else(usual);
    let shown = TrackPage {
        frame: Frame::new(app, "trips", "A trip from a track"),
        cars: cars.into_iter().map(|car| (car.id, car.about.name, car.id.to_string() == chosen)).collect(),
        name: Field::new(upload.field("name")),
        numbers: NUMBERS.iter().zip(fields).map(|(number, field)| (number.0, number.1, field)).collect(),
        wet: !upload.field("wet").is_empty(),
        faults,
    };
    Ok(page(status, &shown))
}

/// Makes a trip of a track.
pub(crate) async fn make(State(app): State<App>, form: Multipart) -> Result<Response, WebError> {
    let upload = read_upload(form).await?;
    let mut fields: Vec<Field> = NUMBERS.iter().map(|number| Field::new(upload.field(number.0))).collect();
    let values: Vec<Option<f64>> = fields
        .iter_mut()
        .zip(NUMBERS)
        .map(|(field, (_, _, unit, low, high, _))| field.required(low, high, unit))
        .collect();
    let mut faults = Vec::new();
    let track = read_track(&upload.bytes).map_err(|error| faults.push(format!("The track: {error}."))).ok();
    let places = match upload.field("places").trim() {
        "" => Some(Vec::new()),
        text => read_places(text.as_bytes()).map_err(|error| faults.push(format!("The places: {error}."))).ok(),
    };
    let car: Option<i32> = upload.field("car").parse().ok();
    if car.is_none() {
        faults.push("Say which car drives.".into());
    }
    let values: Option<Vec<f64>> = values.into_iter().collect();
    let (Some(track), Some(places), Some(car), Some(values)) = (track, places, car, values) else {
        return form_page(&app, &upload, Some(fields), faults).await;
    };
    let wet = !upload.field("wet").is_empty();
    let name = match upload.field("name").trim() {
        "" => upload.file_name.trim_end_matches(".gpx").chars().take(80).collect(),
        name => name.chars().take(80).collect(),
    };
    let id = app.run(move |store| kept(store, car, name, &track, &places, &values, wet)).await?;
    Ok(Redirect::to(&format!("/trips/{id}")).into_response())
}

fn kept(
    store: &Store,
    car: i32,
    name: String,
    track: &Track,
    places: &[ChargingPlace],
    values: &[f64],
    wet: bool,
) -> Result<i32, WebError> {
    let [speed, outside, wind, wind_from, load, off, price] = values[..] else { return Err(WebError::Failed) };
    let car = store.car(car)?;
    let drives: Vec<Drive> = store.drives_of(car.id)?.into_iter().map(|kept| kept.drive).collect();
    let fit = ConsumptionFit::new(&drives, car.about.usable, car.body());
    let conditions = TripConditions {
        speed: Speed::kmh(speed),
        outside: Temperature::celsius(outside),
        wind: Speed::kmh(wind),
        wind_from,
        wet,
        load: Mass::kg(load),
    };
    let mut sites: Vec<Site> = places.iter().filter_map(|place| site(track, place, off, price)).collect();
    sites.sort_by(|a, b| a.at.get().total_cmp(&b.at.get()));
    sites.truncate(MOST_SITES);
    let goal = Goal {
        start: Soc::percent(90.0),
        floor: Soc::percent(10.0),
        arrival: Soc::percent(15.0),
        ceiling: Soc::percent(100.0),
        value_of_time_per_hour: None,
    };
    let segments = track_segments(track, &fit, &conditions);
    let trip = NewTrip { name, car: car.id, currency: CURRENCY.into(), segments, sites, goal };
    Ok(store.add_trip(&trip)?)
}

/// A place as a site of the road, when it is near enough.
fn site(track: &Track, place: &ChargingPlace, off: f64, price: f64) -> Option<Site> {
    let beside = track.beside(place.latitude, place.longitude);
    if beside.off.get() > off {
        return None;
    }
    let stalls = place.stalls.map(|(stalls, broken)| match broken {
        0 => format!(" ({stalls} stalls)"),
        broken => format!(" ({stalls} stalls, {broken} out of order)"),
    });
    Some(Site {
        id: place.id.clone(),
        name: format!("{}{}", place.name, stalls.unwrap_or_default()),
        at: beside.at,
        off_route: Distance::km(DETOUR * beside.off.get()),
        off_route_speed: OFF_ROUTE,
        max_power: place.power.unwrap_or(UNKNOWN_POWER),
        max_current: place.current,
        overhead: OVERHEAD,
        price: Price { per_kwh: price, per_min: 0.0, per_session: 0.0 },
    })
}
