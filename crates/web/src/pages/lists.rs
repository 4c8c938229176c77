//! Whole lists to take away, as CSV or JSON: sessions, cars, tariffs, trips. Lists that belong to one car or trip are with it.

use axum::extract::State;
use axum::response::Response;
use spare_hour_core::charging::known_car::KnownCar;
use spare_hour_formats::{
    ListFormat, ListedSession, ListedTrip, NamedSession, write_cars, write_session_list, write_session_summary,
    write_tariff_table, write_trip_summary,
};
use spare_hour_planning::clock::Here;
use spare_hour_planning::drive_trip::{Asked, KeptTrip};
use spare_hour_planning::tariffs::read as read_tariff;
use spare_hour_store::{Car, SessionLine, Store};

use crate::app::App;
use crate::http::address::Path;
use crate::http::download::{list_file, list_format};
use crate::http::error::WebError;

/// A whole list.
pub(crate) async fn whole(State(app): State<App>, Path(file): Path<String>) -> Result<Response, WebError> {
    let (name, format) = ["sessions", "cars", "tariffs", "trips"]
        .into_iter()
        .find_map(|name| Some((name, list_format(&file, name).ok()?)))
        .ok_or(WebError::NotFound)?;
    let here = app.here.clone();
    let text = app
        .run(move |store| match (name, format) {
            ("sessions", ListFormat::Csv) => session_summary(store),
            ("sessions", ListFormat::Json) => session_files(store),
            ("tariffs", _) => tariff_list(store, format),
            ("trips", ListFormat::Csv) => trip_summary(store),
            ("trips", ListFormat::Json) => trip_files(store, &here),
            _ => {
                let cars = store.cars()?;
                let cars: Vec<&KnownCar> = cars.iter().map(|car| &car.about).collect();
                Ok(write_cars(&cars, format))
            }
        })
        .await?;
    Ok(list_file(name, format, text))
}

/// Objects as one JSON array.
fn array(objects: &[String]) -> String {
    format!("[\n{}\n]\n", objects.join(",\n"))
}

fn name_of(cars: &[Car], id: Option<i32>) -> Option<String> {
    cars.iter().find(|car| Some(car.id) == id).map(|car| car.about.name.clone())
}

fn session_summary(store: &Store) -> Result<String, WebError> {
    let cars = store.cars()?;
    let listed = store.sessions()?.into_iter().map(|line| ListedSession {
        id: line.id,
        name: line.name,
        car: name_of(&cars, line.car),
        day: line.day,
        soc: line.soc,
        minutes: line.minutes,
        readings: line.readings,
    });
    Ok(write_session_summary(&listed.collect::<Vec<_>>(), ListFormat::Csv))
}

fn session_files(store: &Store) -> Result<String, WebError> {
    let cars = store.cars()?;
    let named = |line: SessionLine| {
        let session = store.session(line.id)?.about.session;
        Ok(NamedSession { name: line.name, car: name_of(&cars, line.car), session })
    };
    let sessions: Vec<NamedSession> = store.sessions()?.into_iter().map(named).collect::<Result<_, WebError>>()?;
    Ok(write_session_list(&sessions))
}

fn tariff_list(store: &Store, format: ListFormat) -> Result<String, WebError> {
    let kept = store.tariffs()?;
    if format == ListFormat::Json {
        return Ok(array(&kept.into_iter().map(|tariff| tariff.about.ocpi).collect::<Vec<_>>()));
    }
    let tariffs: Vec<_> = kept.iter().map(read_tariff).collect::<Result<_, _>>()?;
    Ok(write_tariff_table(&tariffs))
}

fn trip_summary(store: &Store) -> Result<String, WebError> {
    let cars = store.cars()?;
    let listed = store.trips()?.into_iter().map(|line| ListedTrip {
        id: line.id,
        name: line.name,
        car: name_of(&cars, Some(line.car)),
        km: line.km,
        sites: line.sites,
    });
    Ok(write_trip_summary(&listed.collect::<Vec<_>>(), ListFormat::Csv))
}

/// Every trip that can be planned as its file; one whose car has no curve has none.
fn trip_files(store: &Store, here: &Here) -> Result<String, WebError> {
    let mut files = Vec::new();
    for line in store.trips()? {
        let kept = KeptTrip::read(store, here, line.id, |stored, clock| Asked::own(stored, clock, here))?;
        let leaves = kept.clock.departure.is_some();
        files.extend(kept.to_plan.map(|to_plan| to_plan.file(leaves)));
    }
    Ok(array(&files))
}
