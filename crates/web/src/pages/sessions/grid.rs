//! The start × end grid that people keep in the car: what each round start and end costs, and one cell that explains itself.

use askama::Template;
use axum::extract::{Query, State};
use axum::http::StatusCode;
use axum::response::Response;
use serde::Deserialize;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Energy, Soc};
use spare_hour_core::session::analysis::{Analysis, Window};
use spare_hour_formats::clock;

use super::Loaded;
use crate::app::App;
use crate::forms::distance_base::{base_name, bases, parse_base};
use crate::http::address::Path;
use crate::http::error::{WebError, page};
use crate::layout::Frame;
use spare_hour_wording::figures;

#[derive(Template)]
#[template(path = "sessions/grid.html")]
struct GridPage {
    frame: Frame,
    id: i32,
    name: String,
    ends: Vec<u32>,
    rows: Vec<(u32, Vec<Option<Cell>>)>,
    chosen: Option<String>,
    base: Option<String>,
    bases: Vec<(&'static str, String, bool)>,
    conditions: String,
}

/// What one start and end cost.
struct Cell {
    /// As in addresses: `10-80`.
    key: String,
    told: String,
    minutes: String,
    points: String,
    distance: String,
    average: String,
    energy: String,
    is_chosen: bool,
}

/// What an address asks of the grid.
#[derive(Debug, Default, Deserialize)]
pub(crate) struct Ask {
    cell: Option<String>,
    base: Option<String>,
}

/// The grid of a session.
pub(crate) async fn show(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let (frame, reports) = (Frame::new(&app, "sessions", "Grid"), app.reports());
    let shown = app
        .run(move |store| {
            let loaded = Loaded::new(store, id, reports)?;
            let report = loaded.report(parse_base(ask.base.as_deref()));
            let report = report.map_err(|error| WebError::Refused(error.to_string()))?;
            let used = report.analysis.basis().base;
            let (cell, units) = (ask.cell.as_deref(), loaded.units);
            Ok(GridPage {
                frame,
                id,
                name: loaded.stored.about.name.clone(),
                ends: tens(10, 100).collect(),
                rows: tens(0, 90).map(|start| (start, row(&report.analysis, start, cell, units))).collect(),
                chosen: cell.and_then(|cell| explained(&report.analysis, cell, units)),
                base: report.analysis.basis().range.map(|_| base_name(&loaded, used, units)),
                bases: bases(&loaded, used, units),
                conditions: conditions(&loaded),
            })
        })
        .await?;
    Ok(page(StatusCode::OK, &shown))
}

fn tens(from: u32, to: u32) -> impl Iterator<Item = u32> {
    (from..=to).step_by(10)
}

fn row(analysis: &Analysis, start: u32, chosen: Option<&str>, units: Units) -> Vec<Option<Cell>> {
    let cell = |end: u32| {
        let window = analysis.window(Soc::percent(f64::from(start)), Soc::percent(f64::from(end)))?;
        Some(Cell::new(&window, chosen, units))
    };
    tens(10, 100).map(cell).collect()
}

impl Cell {
    fn new(window: &Window, chosen: Option<&str>, units: Units) -> Self {
        let (from, to) = (window.from.get(), window.to.get());
        let key = format!("{from:.0}-{to:.0}");
        Self {
            told: format!("{from:.0} to {to:.0} %"),
            minutes: clock(window.minutes),
            points: format!("{:.0} pt", to - from),
            distance: window.added.map(|added| figures::distance(units, added)).unwrap_or_default(),
            average: format!("{:.0} kW", window.average.get()),
            energy: window.plug.map(|plug| format!("{:.1} kWh", plug.get())).unwrap_or_default(),
            is_chosen: chosen == Some(key.as_str()),
            key,
        }
    }
}

/// A chosen cell in a sentence.
fn explained(analysis: &Analysis, cell: &str, units: Units) -> Option<String> {
    let (from, to) = cell.split_once('-')?;
    let soc = |text: &str| text.parse::<f64>().ok().filter(|soc| (0.0..=100.0).contains(soc)).map(Soc::percent);
    let window = analysis.window(soc(from)?, soc(to)?)?;
    let error = analysis.window_error(window.from, window.to)?;
    let pace = window.added.map(|added| {
        let (number, unit) = (units.distance.of(added), units.distance.name());
        format!(", {number:.0} {unit} added, {:.1} {unit} a minute", number / window.minutes.get())
    });
    let plug = window.plug.map(|plug| format!(", {:.1} kWh from the plug", plug.get()));
    let stored = analysis.basis().usable * ((window.to - window.from).get() / 100.0);
    Some(format!(
        "From {:.0} to {:.0} %: {} min (±{:.0} s), {:.1} kWh stored at {:.0} kW on average ({:.2} C){}{}.",
        window.from.get(),
        window.to.get(),
        clock(window.minutes),
        60.0 * error.get(),
        Energy::get(stored),
        window.average.get(),
        window.c_rate,
        plug.unwrap_or_default(),
        pace.unwrap_or_default(),
    ))
}

/// What the card has to say beside its numbers: they hold for these conditions only.
fn conditions(loaded: &Loaded) -> String {
    let session = loaded.session();
    let noted = &session.conditions;
    let parts = [
        session
            .battery_at_start()
            .map(|battery| format!("pack {} at the start", figures::temperature(loaded.units, battery))),
        noted.ambient.map(|ambient| format!("air {}", figures::temperature(loaded.units, ambient))),
        noted.site_power.map(|power| format!("site of {:.0} kW", power.get())),
        noted.software.as_ref().map(|software| format!("software {software}")),
    ];
    let known: Vec<String> = parts.into_iter().flatten().collect();
    if known.is_empty() { "Conditions were not noted.".into() } else { format!("Measured with {}.", known.join(", ")) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::quantity::Distance;
    use spare_hour_core::session::analysis::Basis;
    use spare_hour_core::session::distance_base::DistanceBase;

    #[test]
    fn cells_are_inside_the_session_and_explain_themselves() {
        let session = spare_hour_formats::read_session("0:00 10 150 0\n4:00 30 160 13\n10:00 50 110 26.5\n").unwrap();
        let basis = Basis {
            usable: Energy::kwh(60.0),
            range: Some(Distance::km(400.0)),
            base: DistanceBase::Rated,
            loss_percent: None,
        };
        let analysis = Analysis::new(&session, basis).unwrap();
        let from_ten = row(&analysis, 10, Some("10-50"), Units::default());
        let keys: Vec<Option<&str>> = from_ten.iter().map(|cell| cell.as_ref().map(|cell| cell.key.as_str())).collect();
        assert_eq!(keys[..6], [None, Some("10-20"), Some("10-30"), Some("10-40"), Some("10-50"), None]);
        let chosen = from_ten[4].as_ref().unwrap();
        assert!(
            chosen.is_chosen && chosen.minutes == "10:00" && chosen.points == "40 pt" && chosen.energy == "26.5 kWh"
        );
        assert!(row(&analysis, 60, None, Units::default()).iter().all(Option::is_none));
        // By hand: 40 points of 60 kWh are 24, of 400 km 160; in ten minutes 16 km a minute.
        let told = explained(&analysis, "10-50", Units::default()).unwrap();
        assert!(told.contains("24.0 kWh stored") && told.contains("160 km added, 16.0 km a minute"), "{told}");
        assert!(
            ["10", "50-10", "0-50", "a-b", "10-500"]
                .iter()
                .all(|cell| explained(&analysis, cell, Units::default()).is_none())
        );
    }
}
