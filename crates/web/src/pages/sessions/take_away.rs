//! Sessions to take away: what they were made from, CSV, JSON, a workbook, the analysis, and every chart.

use std::io::Seek;
use std::sync::Arc;

use askama::Template;
use axum::extract::State;
use axum::response::Response;
use spare_hour_core::quantity::Minutes;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::session::report::Report;
use spare_hour_formats::{write_analysis_json, write_session_csv, write_session_json, write_session_xlsx};

use super::Loaded;
use super::charts::{power_over_soc, soc_over_minutes};
use crate::app::App;
use crate::charts::bricks::{Brick, minute_bricks};
use crate::charts::{Kind, drawing_file, parse_file};
use crate::http::address::Path;
use crate::http::download::{XLSX, download, download_file, unnamed_file};
use crate::http::error::WebError;
use spare_hour_planning::read_charge::Reports;

/// What a session was made from, as it came.
pub(crate) async fn source(State(app): State<App>, Path(id): Path<i32>) -> Result<Response, WebError> {
    let stored = app.run(move |store| Ok(store.session(id)?)).await?;
    Ok(download(&format!("session-{id}-source.txt"), "text/plain; charset=utf-8", stored.about.source_text))
}

/// A session as CSV.
pub(crate) async fn csv(State(app): State<App>, Path(id): Path<i32>) -> Result<Response, WebError> {
    let text = app.run(move |store| Ok(write_session_csv(&store.session(id)?.about.session))).await?;
    Ok(download(&format!("session-{id}.csv"), "text/csv; charset=utf-8", text))
}

/// A session as JSON.
pub(crate) async fn json(State(app): State<App>, Path(id): Path<i32>) -> Result<Response, WebError> {
    let text = app.run(move |store| Ok(write_session_json(&store.session(id)?.about.session))).await?;
    Ok(download(&format!("session-{id}.json"), "application/json", text))
}

/// A session with what is read off it.
fn reported(store: &spare_hour_store::Store, id: i32, reports: Reports) -> Result<(Loaded, Arc<Report>), WebError> {
    let loaded = Loaded::new(store, id, reports)?;
    let report = loaded.report(None).map_err(|error| WebError::Refused(error.to_string()))?;
    Ok((loaded, report))
}

/// A session as a workbook.
pub(crate) async fn xlsx(State(app): State<App>, Path(id): Path<i32>) -> Result<Response, WebError> {
    let reports = app.reports();
    let book = app
        .run(move |store| {
            let (loaded, report) = reported(store, id, reports)?;
            write_session_xlsx(loaded.session(), &report).map_err(|error| WebError::Refused(error.to_string()))
        })
        .await?;
    Ok(download(&format!("session-{id}.xlsx"), XLSX, book))
}

/// Everything read off a session, as JSON.
pub(crate) async fn analysis(State(app): State<App>, Path(id): Path<i32>) -> Result<Response, WebError> {
    let reports = app.reports();
    let file = app
        .run(move |store| {
            let (loaded, report) = reported(store, id, reports)?;
            let mut file = unnamed_file(store)?;
            let written = write_analysis_json(loaded.session(), &report, &mut file).and_then(|()| file.rewind());
            written.map_err(WebError::of_file)?;
            Ok(file)
        })
        .await?;
    Ok(download_file(&format!("session-{id}-analysis.json"), "application/json", file))
}

/// A chart as SVG, PNG or CSV.
pub(crate) async fn chart(State(app): State<App>, Path((id, file)): Path<(i32, String)>) -> Result<Response, WebError> {
    let reports = app.reports();
    app.run(move |store| {
        let (name, kind) = parse_file(&file)?;
        let (loaded, report) = reported(store, id, reports)?;
        let file_name = format!("session-{id}-{name}");
        if kind == Kind::Csv {
            let table = table(&report, name).ok_or(WebError::NotFound)?;
            return Ok(download(&format!("{file_name}.csv"), "text/csv; charset=utf-8", table));
        }
        let drawing = match name {
            "power" => power_over_soc(&report, loaded.units).render(),
            "soc" => soc_over_minutes(&report).render(),
            "bricks" => minute_bricks(&report.analysis, loaded.units).render(),
            _ => return Err(WebError::NotFound),
        };
        drawing_file(&drawing.map_err(|_| WebError::Failed)?, kind, &file_name)
    })
    .await
}

/// The numbers behind a chart.
fn table(report: &Report, name: &str) -> Option<String> {
    let analysis = &report.analysis;
    let rows: Vec<String> = match name {
        "power" => {
            let row = |point: &spare_hour_core::charging::curve_band::BandPoint| {
                let soc = point.soc.get();
                let kw = report.curve.power.at(soc);
                format!("{soc},{kw:.2},{:.2},{:.2}", point.low.get(), point.high.get())
            };
            let head = "soc,kw_into_battery,low_kw,high_kw".to_string();
            std::iter::once(head).chain(report.band.iter().map(row)).collect()
        }
        "soc" => {
            let start = analysis.timeline.start();
            let moments = analysis.timeline.moments().iter();
            let row = |moment: &spare_hour_core::session::soc_timeline::Moment| {
                format!("{:.4},{:.3}", (Minutes::new(moment.minute) - start).get(), moment.soc)
            };
            std::iter::once("minutes,soc".to_string()).chain(moments.map(row)).collect()
        }
        "bricks" => {
            let bricks = minute_bricks(analysis, Units::default());
            let head = format!("from_soc,to_soc,minutes,{}", bricks.unit.replace('/', "_per_"));
            let row = |brick: &Brick| format!("{},{},{},{}", brick.from, brick.to, brick.minutes, brick.rate);
            std::iter::once(head).chain(bricks.bricks.iter().map(row)).collect()
        }
        _ => return None,
    };
    Some(rows.join("\n") + "\n")
}
