//! Minutes against money of one trip: every plan that no other beats, drawn, and those that are best at some value of an hour.

use askama::Template;
use axum::extract::{Query, State};
use axum::http::StatusCode;
use axum::response::Response;
use spare_hour_core::quantity::Minutes;
use spare_hour_planner::trade::{ClockPlan, ClockStop, NoTrade, best_at_some_value};
use spare_hour_planning::drive_trip::KeptTrip;
use spare_hour_planning::trade_trip::TradedTrip;
use spare_hour_wording::figures;

use super::ask::Controls;
use crate::app::App;
use crate::charts::{Line, Plot, path, ticks, ticks_between, x_scale, y_scale};
use crate::forms::control::Ask;
use crate::http::address::Path;
use crate::http::error::{WebError, page};
use crate::layout::Frame;

/// How much longer than the fastest a plan may be to be drawn.
const DRAWN_TO: f64 = 1.4;
/// Share of the fastest plan's money that a plan has to save against the one before to be told.
const WORTH_TELLING: f64 = 0.02;
/// Share of the day that is told of beside the fastest plan.
const OF_THE_DAY: f64 = 0.01;

#[derive(Template)]
#[template(path = "trips/trade.html")]
struct TradePage {
    frame: Frame,
    id: i32,
    name: String,
    query: String,
    currency: String,
    /// Why there is none.
    none: Option<&'static str>,
    /// What 1 % of the day buys.
    buys: String,
    plot: Option<Plot>,
    rows: Vec<TradeRow>,
    plans: usize,
}

/// A plan that is best at some value of an hour.
struct TradeRow {
    total: String,
    more: String,
    cost: String,
    saved: String,
    /// It is best while an hour is worth less than this.
    worth: String,
    arrives: String,
    stops: String,
}

/// The trade of a trip, with its controls as an address asks.
pub(crate) async fn show(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let here = app.here.clone();
    let query = ask.without("leave");
    let (name, currency, traded) = app
        .run_while_waiting(move |store, stop| {
            let units = store.settings()?.units;
            let kept = KeptTrip::read(store, &here, id, |stored, clock| {
                Controls::new(&ask, stored, clock, units, here.today()).asked()
            })?;
            let about = &kept.stored.about;
            let (name, currency) = (about.name.clone(), about.currency.clone());
            let traded = kept.to_plan.map(|to_plan| TradedTrip::of_plan(&to_plan, true, stop));
            Ok((name, currency, traded))
        })
        .await?;
    let frame = Frame::new(&app, "trips", format!("{name}: minutes against money"));
    let empty = TradePage {
        frame,
        id,
        name,
        query,
        currency,
        none: None,
        buys: String::new(),
        plot: None,
        rows: Vec::new(),
        plans: 0,
    };
    let shown = match traded {
        None => TradePage { none: Some("The car of this trip has no charge curve yet."), ..empty },
        Some(Err(NoTrade::Infeasible)) => {
            TradePage { none: Some("No plan keeps the limits; the trip’s page says what is in the way."), ..empty }
        }
        Some(Err(NoTrade::Stopped)) => {
            TradePage { none: Some("The search was stopped; load the page again."), ..empty }
        }
        Some(Ok(traded)) => of_trade(&traded, empty),
    };
    Ok(page(StatusCode::OK, &shown))
}

fn of_trade(traded: &TradedTrip, empty: TradePage) -> TradePage {
    let plans = &traded.trade.plans;
    let best = worth_telling(plans);
    TradePage {
        buys: buys(plans, &empty.currency),
        plot: Some(plot(plans, &best, &empty.currency)),
        rows: best.iter().enumerate().map(|(index, plan)| row(traded, plans, &best, index, plan)).collect(),
        plans: plans.len(),
        ..empty
    }
}

/// What 1 % of the day buys beside the fastest plan.
fn buys(plans: &[ClockPlan], currency: &str) -> String {
    let fastest = &plans[0];
    let within = (1.0 + OF_THE_DAY) * fastest.total.get();
    let cheapest = plans.iter().rev().find(|plan| plan.total.get() <= within).unwrap_or(fastest);
    let (more, saved) = (cheapest.total.get() - fastest.total.get(), fastest.cost - cheapest.cost);
    if saved < 0.005 {
        return format!(
            "The fastest plan takes {} and costs {:.2} {currency}; 1 % more of the day saves nothing.",
            figures::duration(fastest.total),
            fastest.cost
        );
    }
    format!(
        "The fastest plan takes {} and costs {:.2} {currency}. {more:.1} min more save {saved:.2} {currency}, {:.0} % of it.",
        figures::duration(fastest.total),
        fastest.cost,
        100.0 * saved / fastest.cost
    )
}

/// The plans that are best at some value of an hour, without those that save next to nothing against the one before.
fn worth_telling(plans: &[ClockPlan]) -> Vec<&ClockPlan> {
    let least = WORTH_TELLING * plans[0].cost.max(0.01);
    let mut told: Vec<&ClockPlan> = Vec::new();
    for plan in best_at_some_value(plans) {
        if told.last().is_none_or(|last| last.cost - plan.cost >= least) {
            told.push(plan);
        }
    }
    told
}

fn row(traded: &TradedTrip, plans: &[ClockPlan], best: &[&ClockPlan], index: usize, plan: &ClockPlan) -> TradeRow {
    let fastest = &plans[0];
    let before = index.checked_sub(1).map(|before| best[before]);
    let worth = before.map(|before| 60.0 * (before.cost - plan.cost) / (plan.total.get() - before.total.get()));
    let stop = |stop: &ClockStop| {
        let name = &traded.trade.trip.site(stop.site).name;
        let wait = stop.wait.get();
        let waits = if wait >= 1.0 { format!(", after {wait:.0} min of waiting") } else { String::new() };
        format!("{name} {:.0} to {:.0} %{waits}", stop.arrive.get(), stop.depart.get())
    };
    let arrives = traded.moment(plan.total.get()).map(|at| at.strftime("%a %H:%M").to_string());
    TradeRow {
        total: figures::duration(plan.total),
        more: format!("+{:.0}", (plan.total - fastest.total).get()),
        cost: format!("{:.2}", plan.cost),
        saved: format!("{:.2}", (fastest.cost - plan.cost).max(0.0)),
        worth: worth.map_or_else(|| "–".into(), |worth| format!("{worth:.2}")),
        arrives: arrives.unwrap_or_default(),
        stops: plan.stops.iter().map(stop).collect::<Vec<_>>().join("; "),
    }
}

fn plot(plans: &[ClockPlan], best: &[&ClockPlan], currency: &str) -> Plot {
    let (first, last) = (plans[0].total.get(), plans[plans.len() - 1].total.get());
    let drawn_to = plans.iter().rev().map(|plan| plan.total.get()).find(|&minutes| minutes <= DRAWN_TO * first);
    let until = drawn_to.unwrap_or(last).max(first + 1.0);
    let most = 1.06 * plans[0].cost.max(0.01);
    let (x, y) = (x_scale(first, until), y_scale(most));
    let drawn = || plans.iter().filter(|plan| plan.total.get() <= until);
    // A plan holds until the next one is worth its minutes: steps.
    let mut steps: Vec<(f64, f64)> = Vec::new();
    for plan in drawn() {
        if let Some(&(_, money)) = steps.last() {
            steps.push((plan.total.get(), money));
        }
        steps.push((plan.total.get(), plan.cost));
    }
    let hours = |minutes: f64| figures::duration(Minutes::new(minutes));
    let points = best.iter().filter(|plan| plan.total.get() <= until);
    let mut x_ticks = ticks_between(first, until, 5.0, &x);
    for tick in &mut x_ticks {
        tick.label = tick.label.parse().map_or_else(|_| tick.label.clone(), hours);
    }
    Plot {
        told: format!(
            "{} plans, from {} for {:.2} to cheaper ones that take longer.",
            plans.len(),
            hours(first),
            plans[0].cost
        ),
        lines: vec![Line { class: "series-1", path: path(steps, &x, &y), label: None }],
        points: points.map(|plan| (x.at(plan.total.get()), y.at(plan.cost))).collect(),
        x_ticks,
        y_ticks: ticks(most, 5.0, &y),
        ..Plot::new("trade", "door to door", currency)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::quantity::Soc;

    fn plan(minutes: f64, cost: f64) -> ClockPlan {
        ClockPlan {
            stops: Vec::new(),
            last_drive: Minutes::new(minutes),
            total: Minutes::new(minutes),
            cost,
            arrival: Soc::percent(10.0),
            roadside: Vec::new(),
        }
    }

    #[test]
    fn what_saves_next_to_nothing_is_not_told_and_what_one_percent_buys_is() {
        // 2 % of 50 has to be saved: 45.00 to 44.50 is too little.
        let plans = [plan(100.0, 50.0), plan(110.0, 45.0), plan(120.0, 44.5), plan(200.0, 41.0)];
        let told: Vec<f64> = worth_telling(&plans).iter().map(|plan| plan.total.get()).collect();
        assert_eq!(told, [100.0, 110.0, 200.0]);
        assert!(buys(&plans, "cr").contains("1 % more of the day saves nothing"));
        let near = [plan(1000.0, 50.0), plan(1004.0, 41.5), plan(1300.0, 40.0)];
        assert!(buys(&near, "cr").contains("4.0 min more save 8.50 cr, 17 % of it"), "{}", buys(&near, "cr"));
    }
}
