//! The ledger as lists to take away.

use axum::extract::State;
use axum::response::Response;
use spare_hour_formats::{ListFormat, write_ledger_workbook, write_table};
use spare_hour_planning::charge_money::{MonthOfCharges, by_month};
use spare_hour_planning::ledger::LedgerTrip;

use super::view::{bare, sums};
use crate::app::{App, off_thread};
use crate::http::download::{download, list_file};
use crate::http::error::WebError;

const TRIPS: [&str; 7] = ["trip", "begun", "planned_min", "minutes", "planned_arrival_soc", "arrival_soc", "is_over"];
const MONTHS: [&str; 7] = ["month", "kind", "charges", "with_price", "kwh", "paid", "per_100km"];

/// Trips against their plans, as CSV.
pub(crate) async fn trips(State(app): State<App>) -> Result<Response, WebError> {
    let text = write_table(&TRIPS, &trip_rows(&app).await?);
    Ok(list_file("trips-against-plans", ListFormat::Csv, text))
}

/// Money by month, as CSV.
pub(crate) async fn months(State(app): State<App>) -> Result<Response, WebError> {
    let text = write_table(&MONTHS, &month_rows(&app).await?);
    Ok(list_file("charging-by-month", ListFormat::Csv, text))
}

/// Both as a workbook.
pub(crate) async fn workbook(State(app): State<App>) -> Result<Response, WebError> {
    let (trips, months) = (trip_rows(&app).await?, month_rows(&app).await?);
    let written = off_thread(move || write_ledger_workbook(&[("trips", &TRIPS, trips), ("months", &MONTHS, months)]));
    let bytes = written.await?.map_err(|error| {
        tracing::error!("the ledger as a workbook: {error}");
        WebError::Failed
    })?;
    Ok(download("ledger.xlsx", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", bytes))
}

async fn trip_rows(app: &App) -> Result<Vec<Vec<String>>, WebError> {
    let here = app.here.clone();
    let trips = app.run(move |store| {
        let outings = store.outings()?.into_iter();
        Ok(outings.map(|outing| LedgerTrip::read(store, &here, outing)).collect::<Result<Vec<_>, _>>()?)
    });
    let row = |trip: &LedgerTrip| {
        vec![
            trip.outing.about.name.clone(),
            trip.outing.begun_at.clone(),
            bare(trip.minutes.planned),
            bare(trip.minutes.happened),
            bare(trip.arrival.planned),
            bare(trip.arrival.happened),
            trip.outing.is_over.to_string(),
        ]
    };
    Ok(trips.await?.iter().map(row).collect())
}

async fn month_rows(app: &App) -> Result<Vec<Vec<String>>, WebError> {
    let months = app.run(|store| Ok(by_month(store)?)).await?;
    Ok(months.iter().flat_map(|(month, sum)| rows_of(month, sum)).collect())
}

fn rows_of(month: &str, sum: &MonthOfCharges) -> Vec<Vec<String>> {
    let number = |number: f64| format!("{number:.2}");
    let row = |(kind, sum): (&'static str, spare_hour_planning::charge_money::Sum)| {
        vec![
            month.to_string(),
            kind.to_string(),
            sum.charges.to_string(),
            sum.paid_known.to_string(),
            number(sum.kwh),
            number(sum.paid),
            sum.per_100_km().map(number).unwrap_or_default(),
        ]
    };
    sums(sum).into_iter().map(row).collect()
}
