//! Minutes and money whole: every plan that no other beats in both, by the trip's own clock, with the pauses, hours, prices by
//! hour, posts and bounds that a driver wishes.
//!
//! A coarse search finds plans, a fine one is cut short by them ([`search`]); then departures are moved on a continuous scale
//! and the trade is filled in ([`fill`]). What is kept is replayed with receipts ([`replay`]).

mod bounds;
mod charges;
mod choices;
mod clock_trip;
mod fill;
mod hull;
mod price_clock;
mod replay;
mod search;
mod staircase;

use std::sync::Arc;

use jiff::ZonedDateTime;
use spare_hour_core::money::tariff::Tariff;
use spare_hour_core::trip::Trip;
use spare_hour_core::trip::wishes::Wishes;

pub use clock_trip::plug_limit;
pub use hull::best_at_some_value;
pub use replay::{ClockPlan, ClockStop};

use crate::StopSign;
use crate::strategies::Strategy;
use bounds::Bounds;
use choices::Choices;
use clock_trip::ClockTrip;
use search::{Fineness, Limits, Search};

/// Minutes along which hours and prices are laid out: a week.
pub(crate) const HORIZON: f64 = 7.0 * 1440.0;
const COARSE: Fineness = Fineness { step: 5.0, slack: (2.0, 0.2), optimistic: false };
/// What a unit of money is worth in minutes where time alone counts: enough to choose among plans that are as fast.
const TIME_ALONE: f64 = 1e-3;
/// How far above the best plan of the coarse search a fine one looks, minutes' worth.
const NEAR_BEST: f64 = 0.05;
/// A strategy leaves little to choose, so nothing is merged.
const RULED: Fineness = Fineness { step: 1.0, slack: (0.0, 0.0), optimistic: false };
/// Steps of the searches that bound the best plan, points of SoC.
const BOUNDING_STEPS: [f64; 3] = [1.0, 0.3, 0.1];
/// A bound that is as close as this is close enough, minutes.
const CLOSE: f64 = 0.1;
/// Tolerances that are tried to be certified, minutes and money, each with the step of its search.
const CERTIFICATES: [((f64, f64), f64); 3] = [((5.0, 2.5), 1.0), ((2.0, 1.0), 0.5), ((1.0, 0.5), 0.25)];
/// Slopes of a trade at which what is still to come is bounded.
const SLOPES: usize = 4;
/// Most labels of all searches for a bound together.
const MOST_LABELS: usize = 12_000;
const FINE: Fineness = Fineness { step: 1.0, slack: (0.1, 0.01), optimistic: false };

/// A trip whose whole trade is asked for.
#[derive(Clone, Debug)]
pub struct TradeTrip {
    /// The trip.
    pub trip: Arc<Trip>,
    /// When it leaves, in the trip's zone.
    pub departure: ZonedDateTime,
    /// The tariffs that sites ask in place of their prices: site and tariff.
    pub tariffs: Vec<(String, Tariff)>,
    /// What is wished.
    pub wishes: Wishes,
}

/// The whole trade.
#[derive(Clone, Debug)]
pub struct Trade {
    /// The trip as it was planned: without the sites that are avoided or have no plug that fits.
    pub trip: Arc<Trip>,
    /// Plans that rise in minutes and fall in money.
    pub plans: Vec<ClockPlan>,
    /// No plan takes fewer minutes,
    pub least_minutes: f64,
    /// and none less money.
    pub least_money: f64,
    /// What a search that takes every step too well proves; `None` where it cannot be told: prices that depend on how a charge
    /// began, or a boost.
    pub certified: Option<Certified>,
}

/// What is proven of a trade.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Certified {
    /// No plan comes to less than the best by more than so many minutes, where a unit of money is worth so many.
    Best {
        /// What a unit of money is worth in minutes.
        worth: f64,
        /// By how much at most.
        gap: f64,
    },
    /// Every plan is matched by one of the trade that is at most so many minutes slower and so much dearer.
    Whole {
        /// Minutes slower.
        minutes: f64,
        /// Money dearer.
        money: f64,
    },
}

/// Why there is no trade.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NoTrade {
    /// No plan keeps every limit and wish.
    Infeasible,
    /// It was told to stop.
    Stopped,
}

impl Trade {
    /// The whole trade of a trip.
    ///
    /// # Errors
    /// [`NoTrade`] when there is no plan, or nobody waits any more.
    pub fn new(trip: &TradeTrip, stop: &StopSign) -> Result<Self, NoTrade> {
        Self::wanted(trip, None, stop)
    }

    /// The part of the trade around the plan that is best at a value of an hour, or by time alone where that is `None`: much
    /// sooner than the whole.
    ///
    /// # Errors
    /// [`NoTrade`] when there is no plan, or nobody waits any more.
    pub fn near_best(trip: &TradeTrip, value_of_time_per_hour: Option<f64>, stop: &StopSign) -> Result<Self, NoTrade> {
        let worth = value_of_time_per_hour.map_or(TIME_ALONE, |value| 60.0 / value);
        Self::wanted(trip, Some(worth), stop)
    }

    /// The plan that is best at a value of an hour, or by time alone where that is `None`, by the coarse search alone: within about
    /// a minute of the best.
    ///
    /// # Errors
    /// [`NoTrade`] when there is no plan, or nobody waits any more.
    pub fn coarse_best(
        trip: &TradeTrip,
        value_of_time_per_hour: Option<f64>,
        stop: &StopSign,
    ) -> Result<ClockPlan, NoTrade> {
        let worth = value_of_time_per_hour.map_or(TIME_ALONE, |value| 60.0 / value);
        let clock =
            ClockTrip::new(trip, stop).ok_or(if stop.is_raised() { NoTrade::Stopped } else { NoTrade::Infeasible })?;
        let mut found = Search::run(&clock, COARSE, &Limits::default(), stop).ok_or(NoTrade::Stopped)?;
        found.extend(clock.fastest_without_a_clock().map(|departures| Choices::without_a_clock(&departures)));
        let ways = fill::fill(&clock, found, Some(worth), stop);
        let of = |way: &fill::Way| way.minutes + worth * way.money;
        let best = ways.iter().min_by(|a, b| of(a).total_cmp(&of(b))).ok_or(NoTrade::Infeasible)?;
        replay::replay(&clock, &best.choices, true).ok_or(NoTrade::Infeasible)
    }

    /// The trade, or its part around the plan that is best where a unit of money is worth so many minutes.
    fn wanted(trip: &TradeTrip, worth: Option<f64>, stop: &StopSign) -> Result<Self, NoTrade> {
        let clock =
            ClockTrip::new(trip, stop).ok_or(if stop.is_raised() { NoTrade::Stopped } else { NoTrade::Infeasible })?;
        let unlimited = Limits::default();
        let coarse = Search::run(&clock, COARSE, &unlimited, stop).ok_or(NoTrade::Stopped)?;
        let coarse = fill::fill(&clock, coarse, worth, stop);
        let fastest = clock.fastest_without_a_clock().map(|departures| Choices::without_a_clock(&departures));
        let fastest: Vec<fill::Way> = fastest.and_then(|choices| fill::way(&clock, choices)).into_iter().collect();
        let best = |worth: f64| {
            let of = |way: &fill::Way| way.minutes + worth * way.money;
            coarse.iter().chain(&fastest).map(of).fold(f64::INFINITY, f64::min)
        };
        let worths = worth.map_or_else(|| slopes(&coarse), |worth| vec![worth]);
        let bounds = Bounds::new(&clock, &worths, stop).ok_or(NoTrade::Stopped)?;
        let limits = Limits {
            bounds: Some(&bounds),
            known: fill::stairs(&coarse),
            best: worth.map(|worth| (worth, best(worth) + NEAR_BEST)),
            ..Limits::default()
        };
        let fine = Search::run(&clock, FINE, &limits, stop).ok_or(NoTrade::Stopped)?;
        let found = coarse.into_iter().chain(fastest).map(|way| way.choices);
        let ways = fill::fill(&clock, fine.into_iter().chain(found).collect(), worth, stop);
        if ways.is_empty() {
            return Err(NoTrade::Infeasible);
        }
        let kept = if worth.is_none() { fill::thinned(ways) } else { ways };
        let replayed = kept.into_iter().filter_map(|way| replay::replay(&clock, &way.choices, true));
        let plans = unbeaten(replayed.collect());
        let certified = certificate(&clock, &bounds, &plans, worth, stop);
        Ok(Self {
            least_minutes: clock.bound_of_minutes(),
            least_money: bounds.least_money(&clock),
            trip: Arc::clone(&clock.problem.trip),
            plans,
            certified,
        })
    }

    /// What strategies of thumb make of a trip by the same clock, prices, hours and pauses: the fastest plan of each, or at a
    /// value of an hour the best; `None` where its rule does not get there.
    ///
    /// # Errors
    /// [`NoTrade`] when no plan at all can be driven, or nobody waits any more.
    pub fn strategies(
        trip: &TradeTrip,
        strategies: &[Strategy],
        value_of_time_per_hour: Option<f64>,
        stop: &StopSign,
    ) -> Result<Vec<Option<ClockPlan>>, NoTrade> {
        let clock =
            ClockTrip::new(trip, stop).ok_or(if stop.is_raised() { NoTrade::Stopped } else { NoTrade::Infeasible })?;
        let worth = |plan: &ClockPlan| match value_of_time_per_hour {
            Some(value) => plan.total.get() + 60.0 * plan.cost / value,
            None => plan.total.get() + 1e-6 * plan.cost,
        };
        let best = |&strategy: &Strategy| {
            let limits = Limits { rule: Some(strategy), ..Limits::default() };
            let ways = Search::run(&clock, RULED, &limits, stop).ok_or(NoTrade::Stopped)?;
            let plans = ways.iter().filter_map(|way| replay::replay(&clock, way, true));
            Ok(plans.min_by(|a, b| worth(a).total_cmp(&worth(b))))
        };
        strategies.iter().map(best).collect()
    }

    /// The plan that a goal asks for: fewest minutes, or fewest with money at a value of an hour; under the bounds of the wishes the
    /// least of the other.
    pub fn best(&self, value_of_time_per_hour: Option<f64>, most_time: bool) -> Option<&ClockPlan> {
        let worth = |plan: &ClockPlan| match value_of_time_per_hour {
            Some(value) => plan.total.get() + 60.0 * plan.cost / value,
            None if most_time => plan.cost + 1e-6 * plan.total.get(),
            None => plan.total.get() + 1e-6 * plan.cost,
        };
        self.plans.iter().min_by(|a, b| worth(a).total_cmp(&worth(b)))
    }
}

/// What a unit of money is worth in minutes along a trade: at some of its corners.
fn slopes(ways: &[fill::Way]) -> Vec<f64> {
    let mut hull: Vec<(f64, f64)> = Vec::new();
    for way in ways {
        let at = (way.minutes, way.money);
        while let [.., before, last] = hull[..]
            && slope(before, last) >= slope(last, at)
        {
            hull.pop();
        }
        hull.push(at);
    }
    let all: Vec<f64> = hull.windows(2).map(|pair| slope(pair[0], pair[1])).collect();
    let mut some: Vec<f64> = (0..SLOPES).filter_map(|index| all.get((2 * index + 1) * all.len() / (2 * SLOPES))).copied().collect();
    some.dedup();
    some
}

/// Minutes that a unit of money costs from one plan to a cheaper.
fn slope(fast: (f64, f64), cheap: (f64, f64)) -> f64 {
    (cheap.0 - fast.0) / (fast.1 - cheap.1).max(1e-9)
}

/// What is proven of plans: from coarse steps to fine ones, as long as the labels last.
fn certificate(
    clock: &ClockTrip,
    bounds: &Bounds,
    plans: &[ClockPlan],
    worth: Option<f64>,
    stop: &StopSign,
) -> Option<Certified> {
    if plans.is_empty() || !clock.can_be_bounded() {
        return None;
    }
    match worth {
        Some(worth) => best_certified(clock, bounds, plans, worth, stop),
        None => whole_certified(clock, bounds, plans, stop),
    }
}

fn best_certified(
    clock: &ClockTrip,
    bounds: &Bounds,
    plans: &[ClockPlan],
    worth: f64,
    stop: &StopSign,
) -> Option<Certified> {
    // Where time alone counts, money is no part of what is bounded.
    let counted = if worth <= TIME_ALONE { 0.0 } else { worth };
    let best = plans.iter().map(|plan| plan.total.get() + counted * plan.cost).fold(f64::INFINITY, f64::min);
    let mut gap = if counted == 0.0 { best - clock.bound_of_minutes() } else { f64::INFINITY };
    let mut labels = MOST_LABELS;
    for step in BOUNDING_STEPS {
        if gap <= CLOSE {
            break;
        }
        let limits = Limits { bounds: Some(bounds), best: Some((counted, best)), labels: Some(labels), ..Limits::default() };
        let Some((least, used)) = Search::least(clock, step, &limits, counted, stop) else { break };
        labels = labels.saturating_sub(used);
        gap = gap.min((best - least).max(0.0));
    }
    gap.is_finite().then_some(Certified::Best { worth: counted, gap })
}

fn whole_certified(clock: &ClockTrip, bounds: &Bounds, plans: &[ClockPlan], stop: &StopSign) -> Option<Certified> {
    let mut known = staircase::Staircase::default();
    for plan in plans {
        known.add(plan.total.get(), plan.cost, (0.0, 0.0));
    }
    let (mut certified, mut labels) = (None, MOST_LABELS);
    for (but, step) in CERTIFICATES {
        let limits = Limits { bounds: Some(bounds), known: known.clone(), but, labels: Some(labels), ..Limits::default() };
        let Some((least, used)) = Search::least(clock, step, &limits, 0.0, stop) else { break };
        if least.is_finite() {
            break;
        }
        labels = labels.saturating_sub(used);
        certified = Some(Certified::Whole { minutes: but.0, money: but.1 });
    }
    certified
}

/// Plans that no other beats, by their receipts, rising in minutes.
fn unbeaten(mut plans: Vec<ClockPlan>) -> Vec<ClockPlan> {
    plans.sort_by(|a, b| a.total.get().total_cmp(&b.total.get()).then(a.cost.total_cmp(&b.cost)));
    let mut least = f64::INFINITY;
    plans.retain(|plan| {
        let better = plan.cost < least - 1e-9;
        least = least.min(plan.cost);
        better
    });
    plans
}
