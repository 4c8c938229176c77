//! The ledger: trips against their plans, money by month, and whether cars drift.

mod lists;
mod paid;
mod sites;
mod view;

use std::collections::BTreeMap;

use askama::Template;
use axum::extract::{Form, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use serde::Deserialize;
use spare_hour_core::driving::drive::Drive;
use spare_hour_core::trip::road_log::{Happened, RoadEvent};
use spare_hour_formats::write_road_event;
use spare_hour_planning::charge_money::{CarDrift, MonthOfCharges, by_month, drifts};
use spare_hour_planning::clock::Here;
use spare_hour_planning::ledger::{LedgerTrip, nearness};
use spare_hour_planning::read_charge::Reports;
use spare_hour_planning::receipts_paid::{PaidCharge, memberships_used, paid_charges};
use spare_hour_planning::site_records::{SiteRecord, site_changes, site_records};
use spare_hour_store::Store;
use spare_hour_wording::trips as words;

use crate::app::App;
use crate::http::address::Path;
use crate::http::error::{WebError, page};
use crate::layout::Frame;
pub(crate) use lists::{list, workbook};
use paid::PaidRow;
use sites::SiteRow;
use view::{DriftView, MoneyRow, StandRow, TripRow, TripView};

#[derive(Template)]
#[template(path = "ledger/list.html")]
struct ListPage {
    frame: Frame,
    trips: Vec<TripRow>,
    near: Option<String>,
    sites: Vec<SiteRow>,
    months: Vec<MoneyRow>,
    paid: Vec<PaidRow>,
    /// Whether memberships pay, in words.
    members: Vec<String>,
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

/// All that is in the ledger.
pub(super) struct Ledger {
    pub(super) trips: Vec<LedgerTrip>,
    pub(super) sites: Vec<SiteRecord>,
    pub(super) months: BTreeMap<String, MonthOfCharges>,
    pub(super) paid: Vec<PaidCharge>,
}

impl Ledger {
    pub(super) fn read(store: &Store, here: &Here, reports: &Reports) -> Result<Self, WebError> {
        let trips = every_trip(store, here)?;
        Ok(Self {
            sites: site_records(&trips, here),
            paid: paid_charges(store, here, reports, &trips)?,
            months: by_month(store)?,
            trips,
        })
    }
}

fn every_trip(store: &Store, here: &Here) -> Result<Vec<LedgerTrip>, WebError> {
    let outings = store.outings()?.into_iter();
    Ok(outings.map(|outing| LedgerTrip::read(store, here, outing)).collect::<Result<Vec<_>, _>>()?)
}

/// The whole ledger.
pub(crate) async fn show(State(app): State<App>) -> Result<Response, WebError> {
    let (settings, reports, here) = (app.settings().await?, app.reports(), app.here.clone());
    let (units, currency) = (settings.units, settings.currency);
    let (ledger, members, cars) = app
        .run(move |store| {
            let ledger = Ledger::read(store, &here, &reports)?;
            let members = memberships_used(store, &ledger.paid, here.today())?;
            let drift = |car: spare_hour_store::Car| Ok((car.about.name.clone(), drifts(store, &car, &reports)?));
            let cars = store.cars()?.into_iter().map(drift).collect::<Result<Vec<_>, WebError>>()?;
            Ok((ledger, members, cars))
        })
        .await?;
    let of_car =
        |drifts: &[CarDrift]| drifts.iter().filter_map(|drift| DriftView::new(drift, units)).collect::<Vec<_>>();
    let cars = cars.into_iter().map(|(name, drifts)| (name, of_car(&drifts)));
    Ok(page(
        StatusCode::OK,
        &ListPage {
            frame: Frame::new(&app, "ledger", "Ledger"),
            near: nearness(&ledger.trips).map(|near| words::near(near.minutes, near.points, near.trips)),
            trips: ledger.trips.iter().map(TripRow::new).collect(),
            sites: ledger.sites.iter().map(SiteRow::new).collect(),
            months: view::money_rows(&ledger.months, units),
            paid: ledger.paid.iter().map(PaidRow::new).collect(),
            members: members.iter().map(|used| paid::membership(used, &currency)).collect(),
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
    let view = app
        .run(move |store| {
            let trip = LedgerTrip::read(store, &here, store.outing(id)?)?;
            let drives = trip.outing.about.car.map(|car| store.drives_of(car)).transpose()?.unwrap_or_default();
            let logged = drives.iter().any(|kept| kept.drive.note.as_deref() == Some(note(&trip).as_str()));
            let changes = site_changes(store, &trip, &site_records(&every_trip(store, &here)?, &here))?;
            let sessions = store.sessions()?.into_iter().filter(|line| line.car == trip.outing.about.car);
            let sessions: Vec<(i32, String)> =
                sessions.map(|line| (line.id, format!("{}, {}", line.name, line.day))).collect();
            let changes = changes.iter().map(sites::change).collect();
            let stands = trip.stands.iter().filter(|_| !sessions.is_empty());
            let stands = stands.map(|stand| StandRow::new(stand, &sessions)).collect();
            Ok(TripView { changes, stands, ..TripView::new(&trip, logged, units) })
        })
        .await?;
    let frame = Frame::new(app, "ledger", view.name.clone());
    Ok(page(StatusCode::OK, &TripPage { frame, trip: view, done }))
}

/// Which charge was measured at a stop.
#[derive(Debug, Deserialize)]
pub(crate) struct ChargeForm {
    /// When one came there, in milliseconds since 1970.
    came: i64,
    /// The number of the charge; nothing for none of them.
    #[serde(default)]
    session: String,
}

/// Says which charge was measured at a stop.
pub(crate) async fn match_charge(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<ChargeForm>,
) -> Result<Redirect, WebError> {
    let at_ms = app.here.now().as_millisecond();
    let session = match form.session.trim() {
        "" => None,
        number => Some(number.parse().map_err(|_| WebError::Refused("Expected the number of a charge.".into()))?),
    };
    app.change(move |store| {
        if let Some(session) = session {
            store.session(session)?;
        }
        let event = RoadEvent { id: format!("measured-{at_ms}"), at_ms, what: Happened::Measured(form.came, session) };
        Ok(store.add_outing_events(id, &[(event.id.clone(), write_road_event(&event))])?)
    })
    .await?;
    Ok(Redirect::to(&format!("/ledger/{id}")))
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
        for change in site_changes(store, &trip, &site_records(&every_trip(store, &here)?, &here))? {
            let changed = change.applied();
            if let Some(site) = sites.iter_mut().find(|site| site.id == changed.id) {
                *site = changed;
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
