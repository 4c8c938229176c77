//! A plan as its page shows it: in minutes, with the reasons.

use spare_hour_core::charging::stall::Stall;
use spare_hour_core::money::receipt::Receipt;
use spare_hour_core::money::tariff::Tariff;
use spare_hour_core::quantity::Minutes;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::trip::{Site, Trip};
use spare_hour_planner::open_sites::{Closed, without_closed};
use spare_hour_planner::{
    AdjustedPlan, FixedDeparture, Infeasible, Place, Plan, PlanError, Planner, Reason, Stop, StrategyResult, Why,
};

use super::ask::Controls;
use super::day_line::{DayLine, NUDGE};
use super::{Loaded, beginning, receipts, site_details};
use crate::say;
use crate::tariffs::receipt_view::ReceiptView;

/// Trips with more sites than this do not say what each stop is worth: that takes a plan without each.
const WORTH_SITES: usize = 24;

/// Everything that changes when a control does.
pub(crate) struct PlanView {
    pub(crate) faults: Vec<(&'static str, String)>,
    /// Sites that were left out because they would be closed.
    pub(crate) closed: Vec<String>,
    pub(crate) outcome: Outcome,
}

/// What came of planning.
#[expect(clippy::large_enum_variant, reason = "one of them exists for the time of one page")]
pub(crate) enum Outcome {
    /// A plan.
    Planned(Planned),
    /// There is none: why, and the changes that would make one.
    Stranded { why: String, remedies: Vec<Remedy> },
    /// The car has no curve.
    NoCurve { car: i32 },
}

/// A change that would make a trip possible.
pub(crate) struct Remedy {
    pub(crate) words: String,
    pub(crate) address: String,
}

/// A plan.
pub(crate) struct Planned {
    pub(crate) total: String,
    pub(crate) arrives: String,
    pub(crate) arrival: String,
    pub(crate) sum: String,
    pub(crate) cost: String,
    /// What memberships would save.
    pub(crate) savings: Vec<String>,
    pub(crate) gap: String,
    /// What the driver's own departures cost against the best plan.
    pub(crate) against_best: Option<AgainstBest>,
    pub(crate) dropped: Vec<String>,
    /// A stop of the driver's own that would be closed.
    pub(crate) closed_stop: Option<String>,
    pub(crate) day_line: DayLine,
    pub(crate) stops: Vec<StopRow>,
    pub(crate) strategies: Vec<StrategyRow>,
    pub(crate) verdict: String,
    pub(crate) sites: Vec<SiteRow>,
    /// The unit of distances.
    pub(crate) unit: &'static str,
    pub(crate) warning: Option<String>,
    /// Address of the trip, and the query of its files.
    pub(crate) base: String,
    pub(crate) files: String,
}

/// What fixed departures cost.
pub(crate) struct AgainstBest {
    pub(crate) minutes: String,
    pub(crate) money: String,
    pub(crate) let_go: String,
}

/// A stop in the table.
pub(crate) struct StopRow {
    pub(crate) number: usize,
    pub(crate) name: String,
    pub(crate) place: String,
    /// What is known of the site.
    pub(crate) details: Vec<String>,
    pub(crate) clock: String,
    pub(crate) arrive: String,
    pub(crate) depart: String,
    pub(crate) charge: String,
    pub(crate) overhead: String,
    pub(crate) plug: String,
    pub(crate) cost: String,
    /// Where the site asks a tariff.
    pub(crate) receipt: Option<ReceiptView>,
    pub(crate) why: String,
    pub(crate) worth: Option<String>,
    pub(crate) less: Option<String>,
    pub(crate) more: Option<String>,
    pub(crate) let_go: Option<String>,
}

/// A strategy beside the plan.
pub(crate) struct StrategyRow {
    pub(crate) name: String,
    pub(crate) rule: &'static str,
    pub(crate) total: String,
    pub(crate) more: String,
    pub(crate) money: String,
    pub(crate) stops: String,
    pub(crate) lowest: String,
    /// Width of its bar, 0 to 100.
    pub(crate) bar: f64,
}

/// A site of the road.
pub(crate) struct SiteRow {
    pub(crate) name: String,
    pub(crate) at: String,
    pub(crate) off_route: String,
    pub(crate) power: String,
    pub(crate) price: String,
    pub(crate) overhead: String,
    pub(crate) details: String,
    pub(crate) used: bool,
}

impl PlanView {
    /// The plan of a trip as asked. `whole` pages also say what each stop is worth.
    pub(crate) fn new(loaded: &Loaded, whole: bool) -> Self {
        let faults = loaded.controls.faults().map(|(name, fault)| (name, fault.to_string())).collect();
        let (outcome, closed) = match &loaded.trip {
            None => (Outcome::NoCurve { car: loaded.controls.car }, Vec::new()),
            Some(trip) => open_outcome(loaded, trip, whole),
        };
        let told = |closed: &Closed| is_closed(loaded, closed, "it is left out of this plan");
        Self { faults, closed: closed.iter().map(told).collect(), outcome }
    }
}

/// What comes of planning with the sites that are open then, and those that are not.
fn open_outcome(loaded: &Loaded, trip: &Trip, whole: bool) -> (Outcome, Vec<Closed>) {
    let begins = beginning(&loaded.controls);
    let planner = Planner::new(trip);
    if planner.as_ref().is_ok_and(|planner| begins.first_closed(trip, &planner.best().plan).is_some()) {
        let (open, closed) = without_closed(trip.clone(), begins);
        return (outcome(loaded, &open, Planner::new(&open), whole), closed);
    }
    (outcome(loaded, trip, planner, whole), Vec::new())
}

fn outcome(loaded: &Loaded, trip: &Trip, planner: Result<Planner, PlanError>, whole: bool) -> Outcome {
    match planner {
        Ok(planner) => Outcome::Planned(planned(loaded, trip, &planner, whole)),
        Err(PlanError::Infeasible(gap)) => Outcome::Stranded {
            why: stranded(loaded.units, trip, &gap),
            remedies: remedies(trip, &loaded.controls, &gap),
        },
        Err(PlanError::Trip(error)) => Outcome::Stranded { why: error.to_string(), remedies: Vec::new() },
    }
}

fn stranded(units: Units, trip: &Trip, gap: &Infeasible) -> String {
    let [from, to] = [&gap.from, &gap.to].map(|place| match place {
        Place::Start => "the start".to_string(),
        Place::End => "the end".to_string(),
        Place::Site(index) => {
            let site = &trip.sites[*index];
            format!("{} (at {})", site.name, say::distance(units, site.at))
        }
    });
    format!(
        "From {from} to {to} is {}. That takes leaving with {:.1} % to keep {:.0} % on arrival, and at most {:.0} % is \
         possible: {:.1} points too little, about {}.",
        say::distance(units, gap.length),
        gap.needed.get(),
        gap.floor.get(),
        gap.available.get(),
        gap.short.get(),
        say::distance(units, gap.short_distance),
    )
}

/// That a site would be closed, when, and what of it.
fn is_closed(loaded: &Loaded, closed: &Closed, so: &str) -> String {
    let at = |minutes: f64| say::time_of_day(loaded.units, loaded.controls.departure, minutes);
    let reached = closed.reached.get();
    let when = match closed.opens_after.map(Minutes::get) {
        Some(wait) if wait > 0.0 => format!("is closed at {} and opens at {}", at(reached), at(reached + wait)),
        Some(_) => format!("closes during a charge from {}", at(reached)),
        None => format!("is closed at {}", at(reached)),
    };
    let hours = closed.site.details.hours.as_ref().map(|hours| hours.told(loaded.units.clock)).unwrap_or_default();
    format!("{} {when}: {so}. Its hours: {hours}.", closed.site.name)
}

fn remedies(trip: &Trip, controls: &Controls, gap: &Infeasible) -> Vec<Remedy> {
    let mut remedies = Vec::new();
    let mut offer = |words: String, name: &'static str, value: f64| {
        let address = controls.address_with(&[], Some((name, say::field(value))));
        remedies.push(Remedy { words, address: format!("?{address}") });
    };
    let less = (gap.floor.get() - gap.short.get()).floor();
    if less >= 0.0 {
        let (name, what) = if gap.to == Place::End { ("wish", "Arrive with") } else { ("floor", "Lower the floor to") };
        offer(format!("{what} {less:.0} %"), name, less);
    }
    if gap.from == Place::Start && trip.goal.start.get() < 100.0 {
        let more = (trip.goal.start.get() + gap.short.get()).ceil();
        if more <= 100.0 {
            offer(format!("Start with {more:.0} %"), "start", more);
        }
    }
    if gap.from != Place::Start && trip.goal.ceiling.get() < 100.0 {
        offer("Charge up to 100 %".into(), "ceiling", 100.0);
    }
    remedies
}

fn planned(loaded: &Loaded, trip: &Trip, planner: &Planner, whole: bool) -> Planned {
    let controls = &loaded.controls;
    let currency = &loaded.stored.about.currency;
    let fixed = controls.fixed(trip);
    let AdjustedPlan { plan, dropped } = planner.with_departures(&fixed);
    let best = &planner.best().plan;
    let kept: Vec<usize> = fixed.iter().filter(|one| !dropped.contains(one)).map(|one| one.site).collect();
    let strategies = planner.strategies();
    let of_stops = loaded.tariffs.receipts(trip, &plan);
    Planned {
        total: say::duration(plan.total),
        arrives: say::time_of_day(loaded.units, controls.departure, plan.total.get()),
        arrival: say::percent(plan.arrival),
        sum: sum(&plan),
        cost: format!("{:.2} {currency}", receipts::cost(&plan, &of_stops)),
        savings: loaded.tariffs.savings(trip, &plan),
        gap: gap(planner.best().gap, trip.goal.value_of_time_per_hour.is_some()),
        against_best: (!kept.is_empty()).then(|| AgainstBest {
            minutes: say::more_minutes(plan.total.get() - best.total.get()),
            money: say::more_money(plan.cost - best.cost, currency),
            let_go: format!("?{}", controls.address_with(&[], None)),
        }),
        dropped: dropped.iter().map(|one| not_kept(trip, *one)).collect(),
        closed_stop: (beginning(controls).first_closed(trip, &plan))
            .map(|closed| is_closed(loaded, &closed, "your own departures lead there then")),
        day_line: DayLine::new(trip, &plan, &kept, controls.departure, loaded.units),
        stops: with_receipts(stop_rows(loaded, trip, planner, &plan, &kept, whole), &of_stops),
        verdict: verdict(best, &strategies),
        strategies: strategy_rows(best, &strategies, currency),
        sites: site_rows(loaded, trip, &plan),
        unit: loaded.units.distance.name(),
        warning: warning(loaded, &plan),
        base: format!("/trips/{}", loaded.stored.id),
        files: controls.address_with(&controls.leave, None),
    }
}

fn sum(plan: &Plan) -> String {
    let stops = match plan.stops.len() {
        0 => "no stop".to_string(),
        1 => "1 stop".to_string(),
        count => format!("{count} stops"),
    };
    format!(
        "{} driving, {stops} of {} in all: {} charging and {} fixed",
        say::duration(plan.drive),
        say::duration(plan.charge + plan.overhead),
        say::duration(plan.charge),
        say::duration(plan.overhead),
    )
}

fn gap(gap: Minutes, money: bool) -> String {
    let counted = if money { ", money counted as time" } else { "" };
    let seconds = (gap.get() * 60.0).ceil().max(1.0);
    let most = if seconds <= 90.0 { format!("{seconds:.0} s") } else { format!("{:.1} min", gap.get()) };
    format!("Proven: no plan for this trip is better by more than {most}{counted}.")
}

fn not_kept(trip: &Trip, fixed: FixedDeparture) -> String {
    let name = &trip.sites[fixed.site].name;
    format!(
        "Leaving {name} with {} could not be kept: the plan does not stop there any more, or nothing is in reach then.",
        say::percent(fixed.depart)
    )
}

/// A plan that leaves the measured part of the curve says so.
fn warning(loaded: &Loaded, plan: &Plan) -> Option<String> {
    let (from, to) = loaded.curve()?.about.measured?;
    let above = plan.stops.iter().any(|stop| stop.depart.get() > to.get() + 0.5);
    let below = plan.stops.iter().any(|stop| stop.arrive.get() < from.get() - 0.5);
    (above || below).then(|| {
        format!(
            "This curve was measured from {} to {}; outside it the plan rests on an assumption.",
            say::percent(from),
            say::percent(to),
        )
    })
}

fn stop_rows(
    loaded: &Loaded,
    trip: &Trip,
    planner: &Planner,
    plan: &Plan,
    kept: &[usize],
    whole: bool,
) -> Vec<StopRow> {
    let reasons = planner.reasons(plan);
    let worth = whole && kept.is_empty() && trip.sites.len() <= WORTH_SITES;
    let mut minute = 0.0;
    let mut rows = Vec::with_capacity(plan.stops.len());
    for (index, (stop, reason)) in plan.stops.iter().zip(&reasons).enumerate() {
        minute += stop.drive.get();
        let site = &trip.sites[stop.site];
        let nudges = Nudges::new(loaded, trip, plan, index, kept);
        rows.push(StopRow {
            number: index + 1,
            name: site.name.clone(),
            place: format!("at {}, {:.0} kW", say::distance(loaded.units, site.at), site.max_power.get()),
            details: stop_details(loaded, trip, site, stop),
            clock: say::time_of_day(loaded.units, loaded.controls.departure, minute),
            arrive: say::percent(stop.arrive),
            depart: say::percent(stop.depart),
            charge: say::minutes(stop.charge.get()),
            overhead: say::minutes(stop.overhead.get()),
            plug: format!("{:.1}", stop.plug.get()),
            cost: format!("{:.2}", stop.cost),
            receipt: None,
            why: why(trip, reason, kept.contains(&stop.site)),
            worth: worth.then(|| worth_of(planner, stop.site)),
            less: nudges.less,
            more: nudges.more,
            let_go: nudges.let_go,
        });
        minute += stop.charge.get() + stop.overhead.get();
    }
    rows
}

/// What is known of a stop's site, and what a neighbour at its cabinet may cost.
fn stop_details(loaded: &Loaded, trip: &Trip, site: &Site, stop: &Stop) -> Vec<String> {
    let mut details = site_details::in_words(site, loaded.units.clock);
    if site.details.is_shared() {
        let shared = Stall::beside_a_neighbour(&trip.vehicle, site).minutes(stop.arrive, stop.depart) - stop.charge;
        if shared.get() >= 0.5 {
            let more = say::more_minutes(shared.get());
            details.push(format!("{more} if a neighbour at the same cabinet charges all the while"));
        }
    }
    details
}

/// The stops with the receipts of those that have one, which is then what they cost.
fn with_receipts(mut rows: Vec<StopRow>, receipts: &[Option<(&Tariff, Receipt)>]) -> Vec<StopRow> {
    for (row, receipt) in rows.iter_mut().zip(receipts) {
        if let Some((tariff, receipt)) = receipt {
            row.cost = format!("{:.2}", receipt.total_with_vat);
            row.receipt = Some(ReceiptView::new(receipt, tariff));
        }
    }
    rows
}

/// The addresses of the same plan with one departure nudged.
struct Nudges {
    less: Option<String>,
    more: Option<String>,
    let_go: Option<String>,
}

impl Nudges {
    fn new(loaded: &Loaded, trip: &Trip, plan: &Plan, index: usize, kept: &[usize]) -> Self {
        let stop = &plan.stops[index];
        let site = &trip.sites[stop.site].id;
        let others: Vec<(String, f64)> = loaded.controls.leave.iter().filter(|one| one.0 != *site).cloned().collect();
        let with = |soc: f64| {
            let mut leave = others.clone();
            leave.push((site.clone(), (soc * 10.0).round() / 10.0));
            format!("?{}", loaded.controls.address_with(&leave, None))
        };
        let (low, high) = (stop.depart - NUDGE, stop.depart + NUDGE);
        Self {
            less: (low > stop.arrive).then(|| with(low.get())),
            more: (high <= trip.goal.ceiling).then(|| with(high.get())),
            let_go: kept.contains(&stop.site).then(|| format!("?{}", loaded.controls.address_with(&others, None))),
        }
    }
}

fn worth_of(planner: &Planner, site: usize) -> String {
    match planner.worth_of_site(site) {
        Some(minutes) if minutes.get() < 0.05 => "Without this site the plan is as good.".into(),
        Some(minutes) => format!("Without this site the best plan takes {} min more.", say::minutes(minutes.get())),
        None => "Without this site the trip cannot be driven.".into(),
    }
}

/// Why a stop is left when it is, in one sentence with the two numbers it compares.
fn why(trip: &Trip, reason: &Reason, fixed: bool) -> String {
    let points = say::percent(reason.points);
    let name = |site: usize| &trip.sites[site].name;
    let here = reason.next_here.map(|minutes| say::minutes(minutes.get()));
    let compared = match (here, reason.next_there) {
        (Some(here), Some(there)) => {
            let step = say::minutes(there.step.get());
            format!("the next {points} cost {here} min here, the same {points} cost {step} min at {}", name(there.site))
        }
        (Some(here), None) => format!("the next {points} would cost {here} min"),
        (None, _) => "the battery is full".into(),
    };
    let why = match reason.why {
        _ if fixed => "Your choice",
        Why::Balanced => "Leave: from here on it charges faster there",
        Why::NextNeedsIt => "Leave as soon as the next stop is in reach with the floor",
        Why::EndNeedsIt => "Leave as soon as the end is in reach with what you wish",
        Why::Ceiling => "Your ceiling",
        Why::Chosen => "More than is needed",
    };
    format!("{why}: {compared}.")
}

fn verdict(best: &Plan, strategies: &[StrategyResult]) -> String {
    let plans = strategies.iter().filter_map(|strategy| Some((strategy.strategy.name(), strategy.plan.as_ref()?)));
    let nearest = plans.min_by(|a, b| a.1.total.get().total_cmp(&b.1.total.get()));
    match nearest {
        Some((name, plan)) => {
            let more = plan.total.get() - best.total.get();
            if more < 0.05 {
                format!("“{name}” does as well as the plan here.")
            } else if more < 0.0 {
                format!("“{name}” is faster but dearer: {}.", say::more_minutes(more))
            } else {
                format!("The nearest rule of thumb, “{name}”, takes {} min longer.", say::minutes(more))
            }
        }
        None => "None of the rules of thumb gets there.".into(),
    }
}

fn strategy_rows(best: &Plan, strategies: &[StrategyResult], currency: &str) -> Vec<StrategyRow> {
    let more = |plan: &Plan| plan.total.get() - best.total.get();
    let most = strategies.iter().filter_map(|strategy| strategy.plan.as_ref()).map(more).fold(1.0, f64::max);
    let row = |result: &StrategyResult| {
        let (name, rule) = (result.strategy.name(), result.strategy.rule());
        let Some(plan) = &result.plan else {
            return StrategyRow {
                name,
                rule,
                total: "does not get there".into(),
                more: String::new(),
                money: String::new(),
                stops: String::new(),
                lowest: String::new(),
                bar: 0.0,
            };
        };
        StrategyRow {
            name,
            rule,
            total: say::duration(plan.total),
            more: say::more_minutes(more(plan)),
            money: say::more_money(plan.cost - best.cost, currency),
            stops: plan.stops.len().to_string(),
            lowest: say::percent(plan.lowest),
            bar: (100.0 * more(plan) / most).clamp(0.0, 100.0),
        }
    };
    strategies.iter().map(row).collect()
}

fn site_rows(loaded: &Loaded, trip: &Trip, plan: &Plan) -> Vec<SiteRow> {
    let (currency, distance) = (&loaded.stored.about.currency, loaded.units.distance);
    let mut rows: Vec<(usize, SiteRow)> = trip
        .sites
        .iter()
        .enumerate()
        .map(|(index, site)| {
            let row = SiteRow {
                name: site.name.clone(),
                at: format!("{:.0}", distance.of(site.at)),
                off_route: say::field((distance.of(site.off_route) * 10.0).round() / 10.0),
                power: format!("{:.0}", site.max_power.get()),
                price: site_details::price_in_words(site, currency),
                overhead: say::minutes(site.overhead.get()),
                details: site_details::in_words(site, loaded.units.clock).join(", "),
                used: plan.stops.iter().any(|stop| stop.site == index),
            };
            (index, row)
        })
        .collect();
    rows.sort_by(|a, b| trip.sites[a.0].at.get().total_cmp(&trip.sites[b.0].at.get()));
    rows.into_iter().map(|row| row.1).collect()
}
