//! The ledger as lists to take away.

use axum::extract::State;
use axum::response::Response;
use spare_hour_formats::{ListFormat, write_table};
use spare_hour_planning::charge_money::by_month;
use spare_hour_planning::ledger::LedgerTrip;

use super::view::{bare, sums};
use crate::app::App;
use crate::http::download::list_file;
use crate::http::error::WebError;

/// Trips against their plans, as CSV.
pub(crate) async fn trips(State(app): State<App>) -> Result<Response, WebError> {
    const COLUMNS: [&str; 7] =
        ["trip", "begun", "planned_min", "minutes", "planned_arrival_soc", "arrival_soc", "is_over"];
    let here = app.here.clone();
    let rows = app
        .run(move |store| {
            let outings = store.outings()?.into_iter();
            Ok(outings.map(|outing| LedgerTrip::read(store, &here, outing)).collect::<Result<Vec<_>, _>>()?)
        })
        .await?;
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
    let rows: Vec<Vec<String>> = rows.iter().map(row).collect();
    Ok(list_file("trips-against-plans", ListFormat::Csv, write_table(&COLUMNS, &rows)))
}

/// Money by month, as CSV.
pub(crate) async fn months(State(app): State<App>) -> Result<Response, WebError> {
    const COLUMNS: [&str; 7] = ["month", "kind", "charges", "with_price", "kwh", "paid", "per_100km"];
    let months = app.run(|store| Ok(by_month(store)?)).await?;
    let rows = months.iter().flat_map(|(month, sum)| {
        sums(sum).into_iter().map(move |(kind, sum)| {
            let number = |number: f64| format!("{number:.2}");
            let per = sum.per_100_km().map(number).unwrap_or_default();
            vec![
                month.clone(),
                kind.to_string(),
                sum.charges.to_string(),
                sum.paid_known.to_string(),
                number(sum.kwh),
                number(sum.paid),
                per,
            ]
        })
    });
    let rows: Vec<Vec<String>> = rows.collect();
    Ok(list_file("charging-by-month", ListFormat::Csv, write_table(&COLUMNS, &rows)))
}
