//! A trip by its clock: the plan of its goal with all that is wished, stop by stop, and minutes against money: every plan that no
//! other beats, drawn, and those that are best at some value of an hour.

use std::sync::{Arc, Mutex, PoisonError};

use askama::Template;
use axum::extract::{Query, State};
use axum::http::StatusCode;
use axum::response::Response;
use spare_hour_core::quantity::Minutes;
use spare_hour_core::quantity::units::Units;
use spare_hour_planner::trade::certificate::{AllWithin, Attempt, BestWithin};
use spare_hour_planner::trade::{ClockPlan, ClockStop, NoTrade, best_at_some_value};
use spare_hour_planner::{Numbers, StopSign, Strategy, USUAL};
use spare_hour_planning::drive_trip::{KeptTrip, kept_wishes};
use spare_hour_planning::trade_trip::TradedTrip;
use spare_hour_store::Store;
use spare_hour_wording::{figures, trips};

use super::ask::Controls;
use super::wishes::WishForm;
use crate::app::App;
use crate::by_clock::day_and_time;
use crate::charts::{Line, Plot, path, ticks, ticks_between, x_scale, y_scale};
use crate::forms::control::Ask;
use crate::forms::field::Field;
use crate::http::address::Path;
use crate::http::error::{WebError, page};
use crate::layout::Frame;

/// How much longer than the fastest a plan may be to be drawn.
const DRAWN_TO: f64 = 1.4;
/// Share of the fastest plan's money that a plan has to save against the one before to be told.
const WORTH_TELLING: f64 = 0.02;
/// What an address asks of this page alone.
const OWN: [&str; 6] = ["pick", "whole", "kept", "ten_to", "half", "power_floor"];
/// Labels that one attempt at a proof may take: about two seconds.
const LABELS_OF_AN_ATTEMPT: usize = 200_000;
/// Share of the day that is told of beside the fastest plan.
const OF_THE_DAY: f64 = 0.01;

#[derive(Template)]
#[template(path = "trips/trade.html")]
struct TradePage {
    frame: Frame,
    id: i32,
    name: String,
    query: String,
    kept: bool,
    /// Which plan of the trade is shown, where it is not the best.
    pick: Option<usize>,
    /// Why there is no plan.
    none: Option<&'static str>,
    plan: Option<PlanCards>,
    /// The whole trade, where it was asked for at once.
    whole: Option<WholeTrade>,
    strategies: Vec<StrategyRow>,
    numbers: Vec<(&'static str, &'static str, Field)>,
    /// What else the address asks.
    asked: Vec<(String, String)>,
    left_out: Vec<String>,
    form: WishForm,
    has_wishes: bool,
}

/// A plan, stop by stop.
struct PlanCards {
    headline: String,
    stops: Vec<StopCard>,
    roadside: Vec<String>,
}

struct StopCard {
    id: String,
    name: String,
    times: String,
    socs: String,
    minutes: String,
    cost: String,
    pause: Option<String>,
    /// The SoC that it leaves with, to be held on to.
    depart: String,
    wished: bool,
}

/// A strategy of thumb by the same clock.
struct StrategyRow {
    name: String,
    rule: String,
    told: String,
}

/// The whole trade, as it comes after the plan.
#[derive(Template)]
#[template(path = "trips/trade_whole.html")]
struct WholeTrade {
    id: i32,
    query: String,
    currency: String,
    none: Option<&'static str>,
    buys: String,
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

/// A trip that is weighed, with what its page needs beside.
pub(super) struct Weighed {
    pub(super) kept: KeptTrip,
    units: Units,
    members: Vec<String>,
    pub(super) traded: Option<Result<Arc<TradedTrip>, NoTrade>>,
}

/// Weighs a trip as an address asks: its whole trade, or what lies around its best plan. What was weighed a while ago is asked
/// again.
pub(super) async fn weighed(app: &App, id: i32, ask: &Ask, whole: bool) -> Result<Weighed, WebError> {
    let key = format!("{id} {whole} {} {} {}", app.changes(), app.here.today(), ask.without_all(&OWN));
    let (here, ask, known) = (app.here.clone(), ask.clone(), app.traded.get(&key));
    let weigh = move |store: &Store, stop: &StopSign| {
        let units = store.settings()?.units;
        let asked = |stored: &_, clock: &_| Controls::new(&ask, stored, clock, units, here.today()).asked();
        let kept = KeptTrip::read(store, &here, id, asked)?;
        let members = kept.to_plan.iter().flat_map(|to_plan| to_plan.prices.memberships());
        let mut members: Vec<String> = members.map(|membership| membership.name.clone()).collect();
        members.sort();
        members.dedup();
        let weigh = |to_plan| TradedTrip::of_plan(to_plan, whole, stop).map(Arc::new);
        let traded = match known {
            Some(known) => Some(Ok(known)),
            None => kept.to_plan.as_ref().map(weigh),
        };
        Ok(Weighed { kept, units, members, traded })
    };
    let weighed = app.run_while_waiting(weigh).await?;
    if let Some(Ok(traded)) = &weighed.traded {
        app.traded.put(key, Arc::clone(traded));
    }
    Ok(weighed)
}

/// A trip by its clock, with its controls as an address asks.
pub(crate) async fn show(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let pick: Option<usize> = ask.get("pick").and_then(|pick| pick.parse().ok());
    let wanted = pick.is_some() || ask.get("whole").is_some();
    let weighed = weighed(&app, id, &ask, wanted).await?;
    let Weighed { kept, units, members, traded } = weighed;
    let about = &kept.stored.about;
    let wishes = kept_wishes(&kept.clock, id)?;
    let none = nothing(traded.as_ref());
    let traded = traded.and_then(Result::ok);
    let own = RuleNumbers::of(&ask);
    let rules = match &traded {
        Some(traded) if own.own => {
            let (traded, numbers) = (Arc::clone(traded), own.numbers);
            app.run_while_waiting(move |_, stop| Ok(traded.strategies_with(numbers, stop).unwrap_or_default())).await?
        }
        Some(traded) => traded.strategies.clone(),
        None => Vec::new(),
    };
    let plan = traded.as_ref().and_then(|traded| match pick {
        Some(place) => traded.trade.plans.get(place),
        None => traded.best(),
    });
    let currency = about.currency.clone();
    let query = ask.without_all(&OWN);
    let empty = WholeTrade::empty(id, query.clone(), currency.clone());
    let shown = TradePage {
        frame: Frame::new(&app, "trips", format!("{}: by the clock", about.name)),
        id,
        name: about.name.clone(),
        query,
        kept: ask.kept(),
        pick,
        none,
        plan: traded.as_ref().zip(plan).map(|(traded, plan)| cards(traded, plan, &wishes, (&currency, units))),
        whole: traded.as_ref().filter(|_| wanted).map(|traded| of_trade(traded, empty, units)),
        strategies: strategies(&rules, plan, &currency),
        numbers: own.fields,
        asked: ask.pairs_without(&OWN),
        left_out: traded.as_ref().map(|traded| left_out(traded, &kept)).unwrap_or_default(),
        form: WishForm::of(&kept.clock, &wishes, &about.sites, &members, units.clock),
        has_wishes: kept.clock.wishes.is_some(),
    };
    Ok(page(StatusCode::OK, &shown))
}

/// The whole trade of a trip, which takes longer than its plan.
pub(crate) async fn whole(
    State(app): State<App>,
    Path(id): Path<i32>,
    Query(ask): Query<Ask>,
) -> Result<Response, WebError> {
    let Weighed { kept, units, traded, .. } = weighed(&app, id, &ask, true).await?;
    let empty = WholeTrade {
        none: nothing(traded.as_ref()),
        ..WholeTrade::empty(id, ask.without_all(&OWN), kept.stored.about.currency.clone())
    };
    let shown = match traded {
        Some(Ok(traded)) => of_trade(&traded, empty, units),
        _ => empty,
    };
    Ok(page(StatusCode::OK, &shown))
}

impl WholeTrade {
    fn empty(id: i32, query: String, currency: String) -> Self {
        Self { id, query, currency, none: None, buys: String::new(), plot: None, rows: Vec::new(), plans: 0 }
    }
}

/// Why there is no plan, where there is none.
fn nothing(traded: Option<&Result<Arc<TradedTrip>, NoTrade>>) -> Option<&'static str> {
    match traded {
        None => Some("The car of this trip has no charge curve yet."),
        Some(Err(NoTrade::Infeasible)) => Some(
            "No plan keeps all of this. Take back one of the wishes below: a pause that no site on the way allows, a site to \
             stop at, a bound; or see on the trip’s page whether the road itself is in the way.",
        ),
        Some(Err(NoTrade::Stopped)) => Some("The search was stopped; load the page again."),
        Some(Ok(_)) => None,
    }
}

fn cards(
    traded: &TradedTrip,
    plan: &ClockPlan,
    wishes: &spare_hour_core::trip::wishes::Wishes,
    (currency, units): (&str, Units),
) -> PlanCards {
    let clock = |at: Minutes| day_and_time(traded, at, units);
    let name = |pause: usize| traded.pauses.get(pause).cloned();
    let card = |stop: &ClockStop| {
        let site = traded.trade.trip.site(stop.site);
        let stood = (stop.leaves - stop.reached - stop.overhead - stop.wait - stop.charge).get().max(0.0);
        let part = |minutes: f64, what: &str| (minutes >= 0.5).then(|| format!("{minutes:.0} min {what}"));
        let parts = [
            part(stop.overhead.get(), "to plug in"),
            part(stop.wait.get(), "of waiting"),
            part(stop.charge.get(), "of charging"),
            part(stood, "of standing on"),
        ];
        let held = wishes.leave.iter().any(|(id, _)| *id == site.id) || wishes.visit.contains(&site.id);
        StopCard {
            id: site.id.clone(),
            name: site.name.clone(),
            times: format!("{} to {}", clock(stop.reached), clock(stop.leaves)),
            socs: format!("{} to {}", figures::percent(stop.arrive), figures::percent(stop.depart)),
            minutes: parts.into_iter().flatten().collect::<Vec<_>>().join(", "),
            cost: format!("{:.1} kWh, {:.2} {currency}", stop.plug.get(), stop.cost),
            pause: stop.pause.and_then(name),
            depart: format!("{:.1}", stop.depart.get()),
            wished: held,
        }
    };
    PlanCards {
        headline: format!(
            "{}, there {} with {}; {:.2} {currency}",
            figures::duration(plan.total),
            clock(plan.total),
            figures::percent(plan.arrival),
            plan.cost
        ),
        stops: plan.stops.iter().map(card).collect(),
        roadside: plan.roadside.iter().filter_map(|&pause| name(pause)).collect(),
    }
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
    let weighed = weighed(&app, id, &ask, false).await?;
    let prove = move |_: &Store, stop: &StopSign| {
        Ok(weighed.traded.and_then(Result::ok).and_then(|traded| traded.prove_best(stop)))
    };
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
    let weighed = weighed(&app, id, &ask, true).await?;
    let currency = weighed.kept.stored.about.currency.clone();
    let none = || ProofPart { reached: None, currency: currency.clone(), next: None };
    let Some(Ok(traded)) = weighed.traded else { return Ok(page(StatusCode::OK, &none())) };
    let query = ask.without_all(&OWN);
    let key = format!("{id} {} {} {query}", app.changes(), app.here.today());
    let known = app.proving.get(&key);
    let begin = move |_: &Store, stop: &StopSign| {
        let begun = known.or_else(|| traded.proving(stop).map(|proving| Arc::new(Mutex::new(proving))));
        Ok(begun.map(|begun| {
            let mut proving = begun.lock().unwrap_or_else(PoisonError::into_inner);
            let mut labels = LABELS_OF_AN_ATTEMPT;
            let attempt = proving.attempt(&mut labels, stop);
            let reached = proving.reached;
            drop(proving);
            (begun, attempt, reached)
        }))
    };
    let Some((begun, attempt, reached)) = app.run_while_waiting(begin).await? else {
        return Ok(page(StatusCode::OK, &none()));
    };
    app.proving.put(key, begun);
    let next = (attempt == Attempt::GoesOn).then(|| format!("/trips/{id}/trade/proof?{query}"));
    Ok(page(StatusCode::OK, &ProofPart { reached, next, ..none() }))
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

fn strategies(rules: &[(Strategy, Option<ClockPlan>)], best: Option<&ClockPlan>, currency: &str) -> Vec<StrategyRow> {
    let told = |plan: &ClockPlan| {
        let more = best.map_or(0.0, |best| (plan.total - best.total).get());
        format!("{}, {more:+.0} min; {:.2} {currency}", figures::duration(plan.total), plan.cost).replace('-', "−")
    };
    let row = |(strategy, plan): &(Strategy, Option<ClockPlan>)| StrategyRow {
        name: strategy.name(),
        rule: trips::rule(*strategy),
        told: plan.as_ref().map_or_else(|| "does not get there".into(), told),
    };
    rules.iter().map(row).collect()
}

/// Sites that are not in the search, and why.
fn left_out(traded: &TradedTrip, kept: &KeptTrip) -> Vec<String> {
    let name = |id: &str| {
        let site = kept.stored.about.sites.iter().find(|site| site.id == id);
        site.map_or_else(|| id.to_string(), |site| site.name.clone())
    };
    let why = |reason: &str| match reason {
        "no-plug-fits" => "has no plug that fits the car",
        "avoided" => "is avoided",
        _ => "is out of order",
    };
    traded.left_out.iter().map(|(id, reason)| format!("{} {}.", name(id), why(reason))).collect()
}

fn of_trade(traded: &TradedTrip, empty: WholeTrade, units: Units) -> WholeTrade {
    let plans = &traded.trade.plans;
    let best = worth_telling(plans);
    WholeTrade {
        buys: buys(plans, &empty.currency),
        plot: Some(plot(plans, &best, &empty.currency)),
        rows: best.iter().enumerate().map(|(index, _)| row(traded, plans, &best, (index, units))).collect(),
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
        arrives: day_and_time(traded, plan.total, units),
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
