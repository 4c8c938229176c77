//! What the strategies of thumb make of a trip, beside its plan: by the same clock, prices and pauses where it goes by it.

use askama::Template;
use axum::extract::{Query, State};
use axum::http::StatusCode;
use axum::response::Response;
use spare_hour_planner::trade::ClockPlan;
use spare_hour_planner::{Numbers, Strategy, USUAL};
use spare_hour_planning::shown_plan::ShownPlan;
use spare_hour_wording::{figures, trips};

use super::AskedTrip;
use crate::app::{App, off_thread};
use crate::forms::control::Ask;
use crate::forms::field::Field;
use crate::http::address::Path;
use crate::http::error::{WebError, page};

/// The part of the page that holds them.
#[derive(Template)]
#[template(path = "trips/strategies.html")]
struct StrategiesPart {
    id: i32,
    verdict: String,
    rows: Vec<StrategyRow>,
    /// Name, label and field of each number that is the driver's own; none where the trip does not go by the clock.
    numbers: Vec<(&'static str, &'static str, Field)>,
    /// What else the address asks.
    asked: Vec<(String, String)>,
}

/// A strategy beside the plan.
struct StrategyRow {
    name: String,
    rule: String,
    total: String,
    more: String,
    money: String,
    stops: String,
    /// Width of its bar, 0 to 100.
    bar: f64,
}

/// The strategies of a trip.
pub(crate) async fn show(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let asked = AskedTrip::new(&app, id, &ask).await?;
    let (shown, traded) = asked.shown(&app).await?;
    let own = RuleNumbers::of(&ask);
    let by_clock = traded.is_some();
    let strategies = match traded {
        Some(traded) if own.own => {
            let numbers = own.numbers;
            app.run_while_waiting(move |_, stop| Ok(traded.strategies_with(numbers, stop).unwrap_or_default())).await?
        }
        Some(traded) => traded.strategies.clone(),
        None => {
            let planned = asked.solved().planned().cloned();
            off_thread(move || planned.map(|planned| planned.strategies_with_costs()).unwrap_or_default()).await?
        }
    };
    let currency = &asked.solved().kept.stored.about.currency;
    let totals = strategies.iter().filter_map(|(strategy, plan)| Some((*strategy, plan.as_ref()?.total)));
    let part = StrategiesPart {
        id,
        verdict: trips::nearest_strategy(shown.best.total, totals),
        rows: rows(&shown, &strategies, currency),
        numbers: if by_clock { own.fields } else { Vec::new() },
        asked: ask.pairs_without(&["ten_to", "half", "power_floor", "kept"]),
    };
    Ok(page(StatusCode::OK, &part))
}

fn rows(shown: &ShownPlan, strategies: &[(Strategy, Option<ClockPlan>)], currency: &str) -> Vec<StrategyRow> {
    let best = &shown.best;
    let more = |plan: &ClockPlan| plan.total.get() - best.total.get();
    let most = strategies.iter().filter_map(|one| one.1.as_ref()).map(more).fold(1.0, f64::max);
    let row = |(strategy, plan): &(Strategy, Option<ClockPlan>)| {
        let text = |text: fn(&ClockPlan) -> String| plan.as_ref().map(text).unwrap_or_default();
        StrategyRow {
            name: strategy.name(),
            rule: trips::rule(*strategy),
            total: plan.as_ref().map_or_else(|| "does not get there".into(), |plan| figures::duration(plan.total)),
            more: plan.as_ref().map(|plan| figures::more_minutes(more(plan))).unwrap_or_default(),
            money: plan.as_ref().map(|plan| figures::more_money(plan.cost - best.cost, currency)).unwrap_or_default(),
            stops: text(|plan| plan.stops.len().to_string()),
            bar: plan.as_ref().map_or(0.0, |plan| (100.0 * more(plan) / most).clamp(0.0, 100.0)),
        }
    };
    strategies.iter().map(row).collect()
}

/// The strategies' numbers as an address asks, as typed, and what is wrong with them.
struct RuleNumbers {
    numbers: Numbers,
    /// Name, label and unit of each.
    fields: Vec<(&'static str, &'static str, Field)>,
    own: bool,
}

impl RuleNumbers {
    fn of(ask: &Ask) -> Self {
        let mut numbers = USUAL;
        let rows = [
            ("ten_to", "Ten to, %", &mut numbers.ten_to, (20.0, 100.0), "%"),
            ("half", "Half and go, %", &mut numbers.half, (15.0, 100.0), "%"),
            ("power_floor", "Power floor, kW", &mut numbers.power_floor, (1.0, 1_000.0), "kW"),
        ];
        let read = |(name, label, number, (low, high), unit): (_, _, &mut f64, (f64, f64), &str)| {
            let mut field = Field::new(ask.get(name).map_or_else(|| figures::field(*number), Into::into));
            *number = field.number(low, high, unit).unwrap_or(*number);
            (name, label, field)
        };
        let fields = rows.map(read).into();
        Self { numbers, fields, own: numbers != USUAL }
    }
}
