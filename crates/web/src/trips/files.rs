//! Trips as files: brought, and taken away with their plans.

use axum::extract::{Multipart, Query, State};
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE};
use axum::response::{IntoResponse, Redirect, Response};
use spare_hour_core::trip::Trip;
use spare_hour_formats::{infeasible_json, plan_json, read_trips, write_road, write_sites, write_trip};
use spare_hour_planner::open_sites::{Beginning, without_closed};
use spare_hour_planner::{PlanError, Planner};

use super::{Ask, Loaded, beginning, list_page};
use crate::address::Path;
use crate::error::WebError;
use crate::lists;
use crate::sessions::upload::{Upload, read_upload};
use crate::{App, off_thread};

/// A trip to try.
pub(super) const EXAMPLE: &str = include_str!("../../../../docs/formats/trip.example.json");

/// Takes a trip file, or a list of them, each with the car in it.
pub(crate) async fn import(State(app): State<App>, form: Multipart) -> Result<Response, WebError> {
    let upload = read_upload(form).await?;
    let Upload { file_name, text, .. } = upload;
    match off_thread(move || read_trips(text.as_bytes())).await? {
        Ok(trips) => keep_new(&app, trips).await,
        Err(error) => {
            let file = if file_name.is_empty() { "The trip".to_string() } else { file_name };
            list_page(&app, Some(format!("{file}: {error}. Nothing was kept."))).await
        }
    }
}

/// Takes the example trip.
pub(crate) async fn example(State(app): State<App>) -> Result<Response, WebError> {
    let trips = read_trips(EXAMPLE.as_bytes()).map_err(|error| WebError::Refused(error.to_string()))?;
    keep_new(&app, trips).await
}

/// Keeps trips, and shows the trip if it is one.
async fn keep_new(app: &App, trips: Vec<Trip>) -> Result<Response, WebError> {
    let ids = app
        .change(move |store| {
            let currency = store.settings()?.currency;
            let keep = |mut trip: Trip| {
                if trip.name.trim().is_empty() {
                    trip.name = "A trip".into();
                }
                Ok(store.add_trip_with_car(&trip, &format!("Car of “{}”", trip.name), &currency)?)
            };
            // A list has the newest first, and so will this one.
            trips.into_iter().rev().map(keep).collect::<Result<Vec<i32>, WebError>>()
        })
        .await?;
    let address = if let [id] = ids[..] { format!("/trips/{id}") } else { "/trips".into() };
    Ok(Redirect::to(&address).into_response())
}

/// The trip as a file, controls applied.
pub(crate) async fn trip_file(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let (trip, _) = drivable(&app, id, ask).await?;
    Ok(download(&format!("trip-{id}.json"), "application/json", write_trip(&trip)))
}

/// The plan as a file.
pub(crate) async fn plan_file(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let (trip, begins) = drivable(&app, id, ask).await?;
    let text = app
        .run(move |_| {
            let (trip, _) = without_closed(trip, begins);
            match Planner::new(&trip) {
                Ok(planner) => Ok(plan_json(&trip, planner.best(), &planner.strategies())),
                Err(PlanError::Infeasible(gap)) => Ok(infeasible_json(&trip, &gap)),
                Err(PlanError::Trip(error)) => Err(WebError::Refused(error.to_string())),
            }
        })
        .await?;
    Ok(download(&format!("plan-{id}.json"), "application/json", text))
}

/// The road or the sites of a trip as a list.
pub(crate) async fn list_file(
    State(app): State<App>,
    Path((id, file)): Path<(i32, String)>,
) -> Result<Response, WebError> {
    let about = app.run(move |store| Ok(store.trip(id)?)).await?.about;
    if let Ok(format) = lists::list_format(&file, "road") {
        let text = write_road(&about.road.stretches, format);
        return Ok(lists::list_file(&format!("road-{id}"), format, text));
    }
    let format = lists::list_format(&file, "sites")?;
    Ok(lists::list_file(&format!("sites-{id}"), format, write_sites(&about.sites, format)))
}

/// A trip as asked, and when it begins.
async fn drivable(app: &App, id: i32, ask: Ask) -> Result<(Trip, Beginning), WebError> {
    let Loaded { trip, controls, .. } = app.run(move |store| Loaded::new(store, id, &ask)).await?;
    let trip = trip.ok_or_else(|| WebError::Refused("The car of this trip has no charge curve yet.".into()))?;
    Ok((trip, beginning(&controls)))
}

/// A text as a file to keep.
pub(crate) fn download(name: &str, kind: &'static str, body: impl Into<Vec<u8>>) -> Response {
    let disposition = format!("attachment; filename=\"{name}\"");
    ([(CONTENT_TYPE, kind.to_string()), (CONTENT_DISPOSITION, disposition)], body.into()).into_response()
}
