//! Trips as files: brought, and taken away with their plans.

use axum::extract::{Multipart, Query, State};
use axum::response::{IntoResponse, Redirect, Response};
use spare_hour_formats::{TripOfFile, infeasible_json, plan_json, read_trips, trade_json, write_road, write_sites};
use spare_hour_planning::drive_trip::KeptTrip;
use spare_hour_planning::keep_trip::keep_trip;
use spare_hour_planning::plan_report::plan_report;
use spare_hour_planning::plan_trip::Outcome;
use spare_hour_planning::trade_trip::TradedTrip;
use spare_hour_store::Store;

use super::ask::Controls;
use super::{AskedTrip, list_page};
use crate::app::{App, off_thread};
use crate::forms::control::Ask;
use crate::http::address::Path;
use crate::http::download::{download, list_file as list_download, list_format};
use crate::http::error::WebError;
use crate::http::upload::{Upload, read_upload};

/// A trip to try.
const EXAMPLE: &str = include_str!("../../../../../docs/formats/trip.example.json");

/// Takes a trip file, or a list of them, each with the car in it.
pub(crate) async fn import(State(app): State<App>, form: Multipart) -> Result<Response, WebError> {
    let upload = read_upload(form).await?;
    let Upload { file_name, text, .. } = upload;
    match off_thread(move || read_trips(text.as_bytes())).await? {
        Ok(trips) => keep_new(&app, trips).await,
        Err(error) => {
            let file = if file_name.is_empty() { "The trip".to_string() } else { file_name };
            list_page(&app, Some(format!("{file}: {error}. Nothing was saved."))).await
        }
    }
}

/// Takes the example trip.
pub(crate) async fn example(State(app): State<App>) -> Result<Response, WebError> {
    let trips = read_trips(EXAMPLE.as_bytes()).map_err(|error| WebError::Refused(error.to_string()))?;
    keep_new(&app, trips).await
}

/// Keeps trips, and shows the trip if it is one.
pub(super) async fn keep_new(app: &App, trips: Vec<TripOfFile>) -> Result<Response, WebError> {
    let ids = app.change(move |store| keep_all(store, trips)).await?;
    let address = if let [id] = ids[..] { format!("/trips/{id}") } else { "/trips".into() };
    Ok(Redirect::to(&address).into_response())
}

fn keep_all(store: &Store, trips: Vec<TripOfFile>) -> Result<Vec<i32>, WebError> {
    let currency = store.settings()?.currency;
    let keep = |file: TripOfFile| Ok(keep_trip(store, file, None, &currency)?);
    // A list has the newest first, and so will this one.
    trips.into_iter().rev().map(keep).collect()
}

/// The trip as a file, controls applied.
pub(crate) async fn trip_file(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let here = app.here.clone();
    let text = app
        .run(move |store| {
            let units = store.settings()?.units;
            let kept = KeptTrip::read(store, &here, id, |stored, clock| {
                Controls::new(&ask, stored, clock, units, here.today()).asked()
            })?;
            Ok(kept.to_plan.ok_or_else(no_curve)?.to_file())
        })
        .await?;
    Ok(download(&format!("trip-{id}.json"), "application/json", text))
}

fn no_curve() -> WebError {
    WebError::Refused("The car of this trip has no charge curve yet.".into())
}

/// The plan as a file.
pub(crate) async fn plan_file(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    if let Some(text) = plan_by_clock(&app, id, &ask).await? {
        return Ok(download(&format!("plan-{id}.json"), "application/json", text));
    }
    let solved = AskedTrip::new(&app, id, &ask).await?.question.solved;
    let text = off_thread(move || match &solved.outcome {
        Some(Outcome::Planned(planned)) => Ok(plan_json(&plan_report(planned))),
        Some(Outcome::Infeasible(none)) => Ok(infeasible_json(&none.trip, &none.leg, &none.left_out, &none.departure)),
        Some(Outcome::Stopped) | None => Err(no_curve()),
    })
    .await??;
    Ok(download(&format!("plan-{id}.json"), "application/json", text))
}

/// The plan of a trip that depends on the clock, with the departures that are held as far as they can be; `None` for one that
/// does not.
async fn plan_by_clock(app: &App, id: i32, ask: &Ask) -> Result<Option<String>, WebError> {
    let AskedTrip { question, controls, .. } = AskedTrip::new(app, id, ask).await?;
    app.run_while_waiting(move |_, stop| {
        let Some(own) = question.solved.kept.to_plan.as_ref().filter(|to_plan| to_plan.needs_clock()) else {
            return Ok(None);
        };
        let mut held = own.clone();
        controls.held().iter().for_each(|(site, soc)| held.wishes.hold(site, *soc));
        let weigh = |to_plan| TradedTrip::of_plan(to_plan, false, stop).ok();
        let traded = weigh(&held).or_else(|| weigh(own)).map(|traded| traded.proven(None, stop));
        Ok(traded.as_ref().and_then(|traded| traded.report(false)).map(|report| trade_json(&report)))
    })
    .await
}

/// The road or the sites of a trip as a list.
pub(crate) async fn list_file(
    State(app): State<App>,
    Path((id, file)): Path<(i32, String)>,
) -> Result<Response, WebError> {
    let about = app.run(move |store| Ok(store.trip(id)?)).await?.about;
    if let Ok(format) = list_format(&file, "road") {
        let text = write_road(&about.road.stretches, format);
        return Ok(list_download(&format!("road-{id}"), format, text));
    }
    let format = list_format(&file, "sites")?;
    Ok(list_download(&format!("sites-{id}"), format, write_sites(&about.sites, format)))
}
