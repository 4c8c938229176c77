//! Minutes against money: every plan that no other beats, drawn, and those that are best at some value of an hour; and what is
//! proven of the best and of them all.

use std::sync::{Arc, Mutex, PoisonError};

use askama::Template;
use axum::extract::{Query, State};
use axum::http::StatusCode;
use axum::response::{Redirect, Response};
use spare_hour_core::quantity::Minutes;
use spare_hour_core::quantity::units::Units;
use spare_hour_planner::StopSign;
use spare_hour_planner::trade::certificate::{AllWithin, Attempt, BestWithin};
use spare_hour_planner::trade::{ClockPlan, ClockStop, best_at_some_value};
use spare_hour_planning::trade_trip::TradedTrip;
use spare_hour_store::Store;
use spare_hour_wording::figures;

use super::{AskedTrip, BESIDE};
use crate::app::App;
use crate::charts::{BOTTOM, Dot, Line, Plot, Scale, TOP, path, ticks_between, x_scale};
use crate::forms::control::Ask;
use crate::http::address::Path;
use crate::http::error::{WebError, page};
use crate::http::lanes;

/// How much longer than the fastest a plan may be to be drawn.
const DRAWN_TO: f64 = 1.4;
/// Share of the fastest plan's money that a plan has to save against the one before to be told.
const WORTH_TELLING: f64 = 0.02;
/// Steps that one attempt at a proof may take: some eight seconds, and 150 MB meanwhile.
const STEPS_OF_AN_ATTEMPT: usize = 8_000_000;
/// Share of the day that is told of beside the fastest plan.
const OF_THE_DAY: f64 = 0.01;
/// Share of the fastest plan's money that a chip of its own saves.
const A_TENTH: f64 = 0.1;

/// The whole trade, as it comes after the plan.
#[derive(Template)]
#[template(path = "trips/trade_whole.html")]
struct WholeTrade {
    id: i32,
    query: String,
    currency: String,
    none: bool,
    buys: String,
    /// The plan that costs a tenth less: its place, and what it takes.
    tenth_less: Option<(usize, String)>,
    plot: Option<Plot>,
    rows: Vec<TradeRow>,
    plans: usize,
}

/// A plan that is best at some value of an hour.
struct TradeRow {
    /// Its place among the plans.
    place: usize,
    total: String,
    more: String,
    cost: String,
    saved: String,
    /// It is best while an hour is worth less than this.
    worth: String,
    arrives: String,
    stops: String,
}

/// Where the page of the trade was: it is a part of the trip's own now.
pub(crate) async fn moved(Path(id): Path<i32>, Query(ask): Query<Ask>) -> Redirect {
    Redirect::permanent(&format!("/trips/{id}?{}", ask.without_all(&["whole"])))
}

/// The whole trade of a trip, which takes longer than its plan.
pub(crate) async fn whole(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let asked = AskedTrip::new(&app, id, &ask).await?;
    let kept = &asked.solved().kept;
    let (query, currency) = (ask.without_all(&BESIDE), kept.stored.about.currency.clone());
    let shown = match asked.question.weigh(&app, true).await? {
        Some(Ok(traded)) => WholeTrade::new(id, (query, currency), &traded, asked.solved().settings.units),
        _ => WholeTrade::none(id, query, currency),
    };
    Ok(page(StatusCode::OK, &shown))
}

impl WholeTrade {
    fn none(id: i32, query: String, currency: String) -> Self {
        let (buys, rows) = (String::new(), Vec::new());
        Self { id, query, currency, none: true, buys, tenth_less: None, plot: None, rows, plans: 0 }
    }

    fn new(id: i32, (query, currency): (String, String), traded: &TradedTrip, units: Units) -> Self {
        let plans = &traded.trade.plans;
        let best = worth_telling(plans);
        Self {
            none: false,
            buys: buys(plans, &currency),
            tenth_less: tenth_less(plans, &currency),
            plot: Some(plot(plans, &best, (id, &query, &currency))),
            rows: best.iter().enumerate().map(|(index, _)| row(traded, plans, &best, (index, units))).collect(),
            plans: plans.len(),
            ..Self::none(id, query, currency)
        }
    }
}

/// The first plan that costs a tenth less than the fastest: its place, and what it takes.
fn tenth_less(plans: &[ClockPlan], currency: &str) -> Option<(usize, String)> {
    let fastest = plans.first()?;
    let place = plans.iter().position(|plan| plan.cost <= (1.0 - A_TENTH) * fastest.cost).filter(|&place| place > 0)?;
    let (more, saved) = (plans[place].total - fastest.total, fastest.cost - plans[place].cost);
    Some((place, format!("a tenth less: +{} min, −{saved:.2} {currency}", figures::minutes(more.get()))))
}

/// What is proven of the best plan.
#[derive(Template)]
#[template(path = "trips/trade_best_proof.html")]
struct BestProofPart {
    told: String,
}

/// Proves how good the best plan of a trip is.
pub(crate) async fn prove_best(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let traded = AskedTrip::new(&app, id, &ask).await?.question.weigh(&app, false).await?;
    let prove =
        move |_: &Store, stop: &StopSign| Ok(traded.and_then(Result::ok).and_then(|traded| traded.prove_best(stop)));
    let told = match app.run_while_waiting(prove).await? {
        Some(BestWithin { worth: 0.0, gap }) => format!(
            "Proven: no plan by this clock, with these pauses, hours and waits, is faster than the fastest by more than {:.2} min.",
            gap.max(0.005)
        ),
        Some(BestWithin { worth, gap }) => format!(
            "Proven: no plan by this clock comes to {:.2} min less than the best, where an hour is worth {:.2}.",
            gap.max(0.005),
            60.0 / worth
        ),
        None => {
            "Searched on a grid of 1 % and refined; not proven: a boost, or a price that depends on how a charge began."
                .into()
        }
    };
    Ok(page(StatusCode::OK, &BestProofPart { told }))
}

/// What is proven of the whole trade, which goes on as long as somebody looks.
#[derive(Template)]
#[template(path = "trips/trade_proof.html")]
struct ProofPart {
    reached: Option<AllWithin>,
    currency: String,
    /// Where the next attempt is asked for.
    next: Option<String>,
}

/// Tries a closer proof of the whole trade than the one before.
pub(crate) async fn prove(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let asked = AskedTrip::new(&app, id, &ask).await?;
    let currency = asked.solved().kept.stored.about.currency.clone();
    let none = || ProofPart { reached: None, currency: currency.clone(), next: None };
    let Some(Ok(traded)) = asked.question.weigh(&app, true).await? else { return Ok(page(StatusCode::OK, &none())) };
    let query = ask.without_all(&BESIDE);
    let key = format!("{id} {} {} {query}", app.changes(), app.here.today());
    let known = app.proving.get(&key);
    let begin = move |_: &Store, stop: &StopSign| {
        let begun = known.or_else(|| traded.proving(stop).map(|proving| Arc::new(Mutex::new(proving))));
        Ok(begun.map(|begun| {
            let mut proving = begun.lock().unwrap_or_else(PoisonError::into_inner);
            let mut steps = STEPS_OF_AN_ATTEMPT;
            let attempt = proving.attempt(&mut steps, stop);
            let reached = proving.reached;
            drop(proving);
            (begun, attempt, reached)
        }))
    };
    let Some((begun, attempt, reached)) = app.run_while_waiting_in(&lanes::PROVING, begin).await? else {
        return Ok(page(StatusCode::OK, &none()));
    };
    app.proving.put(key, begun);
    let next = (attempt == Attempt::GoesOn).then(|| format!("/trips/{id}/trade/proof?{query}"));
    Ok(page(StatusCode::OK, &ProofPart { reached, next, ..none() }))
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

fn row(traded: &TradedTrip, plans: &[ClockPlan], best: &[&ClockPlan], (index, units): (usize, Units)) -> TradeRow {
    let plan = best[index];
    let fastest = &plans[0];
    let before = index.checked_sub(1).map(|before| best[before]);
    let worth = before.map(|before| 60.0 * (before.cost - plan.cost) / (plan.total.get() - before.total.get()));
    let stop = |stop: &ClockStop| {
        let name = &traded.trade.trip.site(stop.site).name;
        let wait = stop.wait.get();
        let waits = if wait >= 1.0 { format!(", after {wait:.0} min of waiting") } else { String::new() };
        format!("{name} {:.0} to {:.0} %{waits}", stop.arrive.get(), stop.depart.get())
    };
    TradeRow {
        place: plans.iter().position(|one| std::ptr::eq(one, plan)).unwrap_or_default(),
        total: figures::duration(plan.total),
        more: format!("+{:.0}", (plan.total - fastest.total).get()),
        cost: format!("{:.2}", plan.cost),
        saved: format!("{:.2}", (fastest.cost - plan.cost).max(0.0)),
        worth: worth.map_or_else(|| "–".into(), |worth| format!("{worth:.2}")),
        arrives: traded.moment(plan.total.get()).map(|at| figures::day_and_time(units, &at)).unwrap_or_default(),
        stops: plan.stops.iter().map(stop).collect::<Vec<_>>().join("; "),
    }
}

fn plot(plans: &[ClockPlan], best: &[&ClockPlan], (id, query, currency): (i32, &str, &str)) -> Plot {
    let (first, last) = (plans[0].total.get(), plans[plans.len() - 1].total.get());
    let drawn_to = plans.iter().rev().map(|plan| plan.total.get()).find(|&minutes| minutes <= DRAWN_TO * first);
    let until = drawn_to.unwrap_or(last).max(first + 1.0);
    let drawn = || plans.iter().filter(|plan| plan.total.get() <= until);
    let least = drawn().map(|plan| plan.cost).fold(f64::INFINITY, f64::min);
    let margin = (0.1 * (plans[0].cost - least)).max(0.5);
    let money = ((least - margin).max(0.0), plans[0].cost + margin);
    let (x, y) = (x_scale(first, until), Scale::new(money, (BOTTOM, TOP)));
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
    let dot = |plan: &&ClockPlan| {
        let place = plans.iter().position(|one| std::ptr::eq(one, *plan)).unwrap_or_default();
        Dot {
            x: x.at(plan.total.get()),
            y: y.at(plan.cost),
            address: format!("/trips/{id}?{query}&pick={place}"),
            told: format!("{} for {:.2} {currency}", hours(plan.total.get()), plan.cost),
        }
    };
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
        dots: points.map(dot).collect(),
        x_ticks,
        y_ticks: ticks_between(money.0, money.1, 5.0, &y),
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
