//! The ledger: trips against their plans, money by month, and whether cars drift.

mod lists;
mod view;

use askama::Template;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use spare_hour_core::driving::drive::Drive;
use spare_hour_core::trip::road_log::StallState;
use spare_hour_planning::charge_money::{by_month, drifts};
use spare_hour_planning::ledger::{LedgerTrip, nearness};
use spare_hour_wording::trips as words;

use crate::app::App;
use crate::http::address::Path;
use crate::http::error::{WebError, page};
use crate::layout::Frame;
pub(crate) use lists::{months as list_months, trips as list_trips, workbook};
use view::{DriftView, MoneyRow, TripRow, TripView};

#[derive(Template)]
#[template(path = "ledger/list.html")]
struct ListPage {
    frame: Frame,
    trips: Vec<TripRow>,
    near: Option<String>,
    months: Vec<MoneyRow>,
    currency: String,
    cars: Vec<(String, Vec<DriftView>)>,
}

#[derive(Template)]
#[template(path = "ledger/trip.html")]
struct TripPage {
    frame: Frame,
    trip: TripView,
    /// What was done just now.
    done: bool,
}

/// The whole ledger.
pub(crate) async fn show(State(app): State<App>) -> Result<Response, WebError> {
    let (settings, reports, here) = (app.settings().await?, app.reports(), app.here.clone());
    let (units, currency) = (settings.units, settings.currency);
    let (trips, months, cars) = app
        .run(move |store| {
            let outings = store.outings()?.into_iter();
            let trips = outings.map(|outing| LedgerTrip::read(store, &here, outing)).collect::<Result<Vec<_>, _>>()?;
            let drift = |car: spare_hour_store::Car| Ok((car.about.name.clone(), drifts(store, &car, &reports)?));
            let cars = store.cars()?.into_iter().map(drift).collect::<Result<Vec<_>, WebError>>()?;
            Ok((trips, by_month(store)?, cars))
        })
        .await?;
    let cars =
        cars.into_iter().map(|(name, drifts)| (name, drifts.iter().filter_map(DriftView::new).collect::<Vec<_>>()));
    Ok(page(
        StatusCode::OK,
        &ListPage {
            frame: Frame::new(&app, "ledger", "Ledger"),
            near: nearness(&trips).map(|near| words::near(near.minutes, near.points, near.trips)),
            trips: trips.iter().map(TripRow::new).collect(),
            months: view::money_rows(&months, units),
            currency,
            cars: cars.filter(|(_, drifts)| !drifts.is_empty()).collect(),
        },
    ))
}

/// One trip against its plan.
pub(crate) async fn show_trip(State(app): State<App>, Path(id): Path<i32>) -> Result<Response, WebError> {
    trip_page(&app, id, false).await
}

async fn trip_page(app: &App, id: i32, done: bool) -> Result<Response, WebError> {
    let (units, here) = (app.units().await?, app.here.clone());
    let (trip, logged) = app
        .run(move |store| {
            let trip = LedgerTrip::read(store, &here, store.outing(id)?)?;
            let drives = trip.outing.about.car.map(|car| store.drives_of(car)).transpose()?.unwrap_or_default();
            let logged = drives.iter().any(|kept| kept.drive.note.as_deref() == Some(note(&trip).as_str()));
            Ok((trip, logged))
        })
        .await?;
    let frame = Frame::new(app, "ledger", trip.outing.about.name.clone());
    Ok(page(StatusCode::OK, &TripPage { frame, trip: TripView::new(&trip, logged, units), done }))
}

/// How the drives of a trip are noted in the log.
fn note(trip: &LedgerTrip) -> String {
    format!("{}, begun {}", trip.outing.about.name, trip.outing.begun_at)
}

/// The legs of a trip become drives of the log, once.
pub(crate) async fn keep_drives(State(app): State<App>, Path(id): Path<i32>) -> Result<Response, WebError> {
    let here = app.here.clone();
    app.change(move |store| {
        let trip = LedgerTrip::read(store, &here, store.outing(id)?)?;
        let car = trip.outing.about.car.ok_or_else(|| WebError::Refused("The trip has no car.".into()))?;
        let note = note(&trip);
        let known = store.drives_of(car)?.iter().any(|kept| kept.drive.note.as_ref() == Some(&note));
        let drives = trip.legs.iter().filter_map(|leg| leg.drive.clone());
        let drives: Vec<Drive> = drives.map(|drive| Drive { note: Some(note.clone()), ..drive }).collect();
        if !known {
            store.add_drives(car, &drives)?;
        }
        Ok(())
    })
    .await?;
    Ok(Redirect::to(&format!("/ledger/{id}")).into_response())
}

/// What was found at sites goes into their records.
pub(crate) async fn keep_sites(State(app): State<App>, Path(id): Path<i32>) -> Result<Response, WebError> {
    let here = app.here.clone();
    app.change(move |store| {
        let trip = LedgerTrip::read(store, &here, store.outing(id)?)?;
        let mut sites = store.trip(trip.outing.about.trip)?.about.sites;
        for (id, state) in &trip.found {
            let Some(site) = sites.iter_mut().find(|site| site.id == *id) else { continue };
            match state {
                StallState::OutOfOrder => {
                    let stalls = *site.details.stalls.get_or_insert(1);
                    site.details.out_of_order = Some(stalls);
                }
                StallState::Occupied(wait) => {
                    site.overhead = site.overhead - site.details.wait + *wait;
                    site.details.wait = *wait;
                }
                StallState::Slow(power) => site.max_power = *power,
                StallState::Fine => {}
            }
        }
        Ok(store.change_sites(trip.outing.about.trip, &sites)?)
    })
    .await?;
    trip_page(&app, id, true).await
}

/// A trip leaves the ledger.
pub(crate) async fn remove(State(app): State<App>, Path(id): Path<i32>) -> Result<Redirect, WebError> {
    app.change(move |store| Ok(store.forget_outing(id)?)).await?;
    Ok(Redirect::to("/ledger"))
}
