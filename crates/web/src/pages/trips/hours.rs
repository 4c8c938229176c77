//! The best hour to leave: minutes and money of the best plan over a span of departures.

use askama::Template;
use axum::extract::{Query, State};
use axum::http::StatusCode;
use axum::response::Response;
use spare_hour_core::quantity::units::Units;
use spare_hour_planning::best_hour::{Leaving, hours};
use spare_hour_planning::drive_trip::KeptTrip;
use spare_hour_wording::figures;

use super::ask::Controls;
use crate::app::App;
use crate::charts::{Line, Plot, path, ticks, x_scale, y_scale};
use crate::forms::control::Ask;
use crate::forms::field::Field;
use crate::http::address::Path;
use crate::http::error::{WebError, page};
use crate::layout::Frame;

/// Most departures that are weighed.
const MOST: usize = 49;

#[derive(Template)]
#[template(path = "trips/hours.html")]
struct HoursPage {
    frame: Frame,
    id: i32,
    name: String,
    query: String,
    currency: String,
    span: Field,
    apart: Field,
    told: String,
    plots: Vec<(&'static str, Plot)>,
    rows: Vec<HourRow>,
}

struct HourRow {
    at: String,
    /// The same trip leaving then.
    address: String,
    total: String,
    there: String,
    cost: String,
    best: bool,
}

/// The hours of a trip.
pub(crate) async fn show(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let here = app.here.clone();
    let mut span = Field::new(ask.get("span").unwrap_or("12"));
    let mut apart = Field::new(ask.get("apart").unwrap_or("60"));
    let (hours_long, minutes) = (span.required(1.0, 48.0, "hours"), apart.required(15.0, 360.0, "minutes"));
    let query = ask.without_all(&["span", "apart", "leave"]);
    let (name, currency, units, leavings) = app
        .run_while_waiting(move |store, stop| {
            let units = store.settings()?.units;
            let asked = |stored: &_, clock: &_| Controls::new(&ask, stored, clock, units, here.today()).asked();
            let kept = KeptTrip::read(store, &here, id, asked)?;
            let about = &kept.stored.about;
            let leavings = match (&kept.to_plan, hours_long.zip(minutes)) {
                (Some(to_plan), Some((long, apart))) => {
                    let count = ((60.0 * long / apart).floor() as usize + 1).min(MOST);
                    hours(to_plan, count, apart, stop)
                }
                _ => Vec::new(),
            };
            Ok((about.name.clone(), about.currency.clone(), units, leavings))
        })
        .await?;
    let best = best(&leavings);
    let shown = HoursPage {
        frame: Frame::new(&app, "trips", format!("{name}: the best hour to leave")),
        id,
        told: told(&leavings, best, &currency, units),
        plots: plots(&leavings, &currency, units),
        rows: leavings
            .iter()
            .enumerate()
            .map(|(index, one)| row(id, one, best == Some(index), (&currency, units)))
            .collect(),
        name,
        query,
        currency,
        span,
        apart,
    };
    Ok(page(StatusCode::OK, &shown))
}

/// The departure with the fewest minutes; of those within a minute, the cheapest.
fn best(leavings: &[Leaving]) -> Option<usize> {
    let least = leavings.iter().filter_map(|one| one.plan).map(|plan| plan.0).fold(f64::INFINITY, f64::min);
    let near = leavings.iter().enumerate().filter_map(|(index, one)| Some((index, one.plan?)));
    let near = near.filter(|(_, plan)| plan.0 <= least + 1.0);
    near.min_by(|a, b| a.1.1.total_cmp(&b.1.1)).map(|(index, _)| index)
}

fn told(leavings: &[Leaving], best: Option<usize>, currency: &str, units: Units) -> String {
    let Some((best, plan)) = best.and_then(|best| Some((&leavings[best], leavings[best].plan?))) else {
        return "No departure of this span has a plan.".into();
    };
    let now = leavings.first().and_then(|first| first.plan);
    let against = now.map(|now| {
        format!(
            ": {} less and {:.2} {currency} less than leaving first",
            figures::duration(spare_hour_core::quantity::Minutes::new((now.0 - plan.0).max(0.0))),
            now.1 - plan.1
        )
    });
    format!("Leave {}{}.", figures::day_and_time(units, &best.at), against.unwrap_or_default()).replace(" -", " −")
}

fn row(id: i32, one: &Leaving, best: bool, (currency, units): (&str, Units)) -> HourRow {
    let minutes = |minutes: f64| figures::duration(spare_hour_core::quantity::Minutes::new(minutes));
    let there = one.plan.and_then(|plan| spare_hour_planning::clock::after(&one.at, plan.0));
    HourRow {
        at: figures::day_and_time(units, &one.at),
        address: format!("/trips/{id}?day={}&depart={}", one.at.date(), one.at.strftime("%H:%M")),
        total: one.plan.map_or_else(|| "no plan".into(), |plan| minutes(plan.0)),
        there: there.map(|there| figures::day_and_time(units, &there)).unwrap_or_default(),
        cost: one.plan.map(|plan| format!("{:.2} {currency}", plan.1)).unwrap_or_default(),
        best,
    }
}

/// Minutes over the hour of departure, and money over it.
fn plots(leavings: &[Leaving], currency: &str, units: Units) -> Vec<(&'static str, Plot)> {
    let known: Vec<(f64, (f64, f64))> =
        leavings.iter().enumerate().filter_map(|(index, one)| Some((index as f64, one.plan?))).collect();
    let (Some(first), true) = (leavings.first(), known.len() > 1) else { return Vec::new() };
    let last = (leavings.len() - 1) as f64;
    let x = x_scale(0.0, last);
    let label = |index: f64| {
        let at = leavings.get(index.round() as usize).unwrap_or(first);
        units.clock.time(60 * at.at.hour() as u32 + at.at.minute() as u32)
    };
    let plot = |key: &'static str, name: String, of: fn((f64, f64)) -> f64| {
        let most = 1.06 * known.iter().map(|one| of(one.1)).fold(0.01, f64::max);
        let y = y_scale(most);
        let points: Vec<(f64, f64)> = known.iter().map(|one| (one.0, of(one.1))).collect();
        // An hour without a plan breaks the line.
        let runs = points.chunk_by(|a, b| b.0 - a.0 < 1.5);
        let line =
            |run: &[(f64, f64)]| Line { class: "series-1", path: path(run.iter().copied(), &x, &y), label: None };
        let mut x_ticks = ticks(last, 6.0, &x);
        for tick in &mut x_ticks {
            tick.label = tick.label.parse().map_or_else(|_| tick.label.clone(), label);
        }
        Plot {
            told: format!("{name} over the hour of departure."),
            lines: runs.map(line).collect(),
            points: points.iter().map(|&(at, value)| (x.at(at), y.at(value))).collect(),
            x_ticks,
            y_ticks: ticks(most, 5.0, &y),
            ..Plot::new(key, "leaves at", name)
        }
    };
    vec![
        ("Minutes", plot("minutes", "minutes door to door".into(), |plan| plan.0)),
        ("Money", plot("money", currency.into(), |plan| plan.1)),
    ]
}
