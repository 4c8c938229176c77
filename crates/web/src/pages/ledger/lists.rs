//! The ledger as lists to take away.

use axum::extract::State;
use axum::response::Response;
use spare_hour_formats::{LedgerSheet, ListFormat, write_ledger_workbook, write_table};
use spare_hour_planning::charge_money::{MonthOfCharges, Sum};
use spare_hour_planning::ledger::LedgerTrip;
use spare_hour_planning::receipts_paid::PaidCharge;
use spare_hour_planning::site_records::SiteRecord;

use super::Ledger;
use super::sites::named;
use super::view::{bare, sums};
use crate::app::{App, off_thread};
use crate::http::address::Path;
use crate::http::download::{download, list_file};
use crate::http::error::WebError;

const TRIPS: [&str; 7] = ["trip", "begun", "planned_min", "minutes", "planned_arrival_soc", "arrival_soc", "is_over"];
const MONTHS: [&str; 7] = ["month", "kind", "charges", "with_price", "kwh", "paid", "per_100km"];
const SITES: [&str; 7] = ["site", "day", "hour", "stops", "out_of_order", "occupied", "waited_min"];
const PAID: [&str; 8] = ["day", "site", "charge", "plug_kwh", "tariff", "asked", "paid", "asked_least_as_member"];

/// One list of the ledger, as CSV.
pub(crate) async fn list(State(app): State<App>, Path(name): Path<String>) -> Result<Response, WebError> {
    let sheets = sheets(&app).await?;
    let wanted = name.strip_suffix(".csv").and_then(|name| sheets.iter().find(|sheet| sheet.0 == name));
    let (name, columns, rows) = wanted.ok_or(WebError::NotFound)?;
    Ok(list_file(name, ListFormat::Csv, write_table(columns, rows)))
}

/// All of them as a workbook.
pub(crate) async fn workbook(State(app): State<App>) -> Result<Response, WebError> {
    let sheets = sheets(&app).await?;
    let written = off_thread(move || write_ledger_workbook(&sheets));
    let bytes = written.await?.map_err(|error| {
        tracing::error!("the ledger as a workbook: {error}");
        WebError::Failed
    })?;
    Ok(download("ledger.xlsx", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", bytes))
}

async fn sheets(app: &App) -> Result<Vec<LedgerSheet<'static>>, WebError> {
    let (here, reports) = (app.here.clone(), app.reports());
    let ledger = app.run(move |store| Ledger::read(store, &here, &reports)).await?;
    Ok(vec![
        ("trips", &TRIPS, ledger.trips.iter().map(trip_row).collect()),
        ("months", &MONTHS, ledger.months.iter().flat_map(|(month, sum)| month_rows(month, sum)).collect()),
        ("sites", &SITES, ledger.sites.iter().flat_map(site_rows).collect()),
        ("paid", &PAID, ledger.paid.iter().map(paid_row).collect()),
    ])
}

fn trip_row(trip: &LedgerTrip) -> Vec<String> {
    vec![
        trip.outing.about.name.clone(),
        trip.outing.begun_at.clone(),
        bare(trip.minutes.planned),
        bare(trip.minutes.happened),
        bare(trip.arrival.planned),
        bare(trip.arrival.happened),
        trip.outing.is_over.to_string(),
    ]
}

fn month_rows(month: &str, sum: &MonthOfCharges) -> Vec<Vec<String>> {
    let row = |(kind, sum): (&'static str, Sum)| {
        vec![
            month.to_string(),
            kind.to_string(),
            sum.charges.to_string(),
            sum.paid_known.to_string(),
            cents(sum.kwh),
            cents(sum.paid),
            sum.per_100_km().map(cents).unwrap_or_default(),
        ]
    };
    sums(sum).into_iter().map(row).collect()
}

fn site_rows(record: &SiteRecord) -> Vec<Vec<String>> {
    let row = |((day, hour), looks): &((jiff::civil::Weekday, i8), spare_hour_planning::site_records::Looks)| {
        vec![
            record.name.clone(),
            named(*day).to_string(),
            hour.to_string(),
            looks.looks.to_string(),
            looks.out_of_order.to_string(),
            looks.occupied.to_string(),
            bare(Some(looks.waited.get())),
        ]
    };
    record.hours.iter().map(row).collect()
}

fn paid_row(charge: &PaidCharge) -> Vec<String> {
    let as_member = charge.as_member.iter().map(|(_, asked)| *asked).reduce(f64::min);
    vec![
        charge.day.to_string(),
        charge.site.clone(),
        charge.session.1.clone(),
        cents(charge.plug.get()),
        charge.tariff.clone().unwrap_or_default(),
        charge.asked.map(cents).unwrap_or_default(),
        charge.paid.map(cents).unwrap_or_default(),
        as_member.map(cents).unwrap_or_default(),
    ]
}

fn cents(number: f64) -> String {
    format!("{number:.2}")
}
