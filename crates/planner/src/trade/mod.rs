//! Minutes and money whole: every plan that no other beats in both, by the trip's own clock, with the pauses, hours, prices by
//! hour, posts and bounds that a driver wishes.
//!
//! A coarse search finds plans, a fine one looks around them and is cut short by them ([`search`], [`corridor`]); then departures are moved on a continuous scale
//! and the trade is filled in ([`fill`]). What is kept is replayed with receipts ([`replay`]).

mod bounds;
pub mod certificate;
mod charges;
mod choices;
mod clock_plan;
mod clock_trip;
mod corridor;
mod fill;
mod hull;
mod optimistic;
mod price_clock;
mod replay;
mod rules;
mod search;
mod staircase;
pub mod why;

use std::sync::Arc;

use jiff::ZonedDateTime;
use spare_hour_core::money::tariff::Tariff;
use spare_hour_core::trip::Trip;
use spare_hour_core::trip::wishes::Wishes;

pub use clock_plan::{ClockPlan, ClockStop};
pub use clock_trip::{plug_limit, post_stall};
pub use hull::best_at_some_value;

use crate::StopSign;
use crate::strategies::Strategy;
use bounds::{Bounds, slopes};
use choices::Choices;
use clock_trip::ClockTrip;
use corridor::Corridor;
use fill::Effort;
use search::{Fineness, Limits, Search};

/// Minutes along which hours and prices are laid out: a week.
pub(crate) const HORIZON: f64 = 7.0 * 1440.0;
const COARSE: Fineness = Fineness { step: 5.0, slack: (2.0, 0.2), optimistic: false, ahead: (0.0, 0.0) };
/// The soonest alone, whatever it costs.
const SOONEST: Fineness = Fineness { step: 5.0, slack: (2.0, f64::INFINITY), optimistic: false, ahead: (0.0, 0.0) };
/// What a unit of money is worth in minutes where time alone counts: enough to choose among plans that are as fast.
const TIME_ALONE: f64 = 1e-3;
/// How far above the best plan of the coarse search a fine one looks, minutes' worth.
const NEAR_BEST: f64 = 0.05;
/// How far the plans of the coarse search are brought, and those of the fine one.
const ROUGHLY: Effort = Effort { hopeless: (3.0, 0.6), corners: 8, finest: 0.1 };
const WHOLLY: Effort = Effort { hopeless: (0.5, 0.1), corners: 60, finest: 0.0 };
const FINE: Fineness = Fineness { step: 1.0, slack: (0.2, 0.02), optimistic: false, ahead: (0.0, 0.0) };

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
    /// The whole trade of a trip, whose goal is best at a value of an hour, or by time alone where that is `None`.
    ///
    /// # Errors
    /// [`NoTrade`] when there is no plan, or nobody waits any more.
    pub fn new(trip: &TradeTrip, value_of_time_per_hour: Option<f64>, stop: &StopSign) -> Result<Self, NoTrade> {
        Self::beside(trip, value_of_time_per_hour, true, &[], stop).map(|(trade, _)| trade)
    }

    /// The part of the trade around the plan that is best at a value of an hour, or by time alone where that is `None`: much
    /// sooner than the whole.
    ///
    /// # Errors
    /// [`NoTrade`] when there is no plan, or nobody waits any more.
    pub fn near_best(trip: &TradeTrip, value_of_time_per_hour: Option<f64>, stop: &StopSign) -> Result<Self, NoTrade> {
        Self::beside(trip, value_of_time_per_hour, false, &[], stop).map(|(trade, _)| trade)
    }

    /// The trade, whole or around the best plan, and beside it what strategies of thumb make of the trip: the best plan of each by
    /// the same clock, prices, hours and pauses; `None` where its rule does not get there.
    ///
    /// # Errors
    /// [`NoTrade`] when there is no plan, or nobody waits any more.
    pub fn beside(
        trip: &TradeTrip,
        value_of_time_per_hour: Option<f64>,
        whole: bool,
        strategies: &[Strategy],
        stop: &StopSign,
    ) -> Result<(Self, Vec<Option<ClockPlan>>), NoTrade> {
        let (clock, worth) = (laid_out(trip, stop)?, worth(value_of_time_per_hour));
        let (known, bounds) = known(&clock, worth, whole, stop).ok_or(NoTrade::Stopped)?;
        let mut trade = Self::wanted(&clock, (known, &bounds), worth, whole, stop)?;
        if whole {
            trade.take_in_the_best(&clock, worth, stop)?;
        }
        let ruled = strategies.iter().map(|&strategy| rules::best(&clock, &bounds, worth, strategy, stop));
        Ok((trade, ruled.collect::<Result<_, _>>()?))
    }

    /// Takes in the best plans for time alone and for a worth of money, as they are found when nothing else is looked for: the whole
    /// trade looks at so much that it comes less near to each.
    fn take_in_the_best(&mut self, clock: &ClockTrip, worth: f64, stop: &StopSign) -> Result<(), NoTrade> {
        let goals = [TIME_ALONE, worth].into_iter().take(if worth == TIME_ALONE { 1 } else { 2 });
        for worth in goals {
            let (known, bounds) = known(clock, worth, false, stop).ok_or(NoTrade::Stopped)?;
            let near = Self::wanted(clock, (known, &bounds), worth, false, stop)?;
            self.plans.extend(near.plans);
        }
        self.plans = unbeaten(std::mem::take(&mut self.plans));
        Ok(())
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
        let (clock, worth) = (laid_out(trip, stop)?, worth(value_of_time_per_hour));
        let mut found = Search::run(&clock, COARSE, &Limits::default(), stop).ok_or(NoTrade::Stopped)?;
        found.extend(clock.fastest_without_a_clock().map(|departures| Choices::without_a_clock(&departures)));
        let ways = fill::fill(&clock, found, Some(worth), ROUGHLY, stop);
        let of = |way: &fill::Way| way.minutes + worth * way.money;
        let best = ways.iter().min_by(|a, b| of(a).total_cmp(&of(b))).ok_or(NoTrade::Infeasible)?;
        replay::replay(&clock, &best.choices).ok_or(NoTrade::Infeasible)
    }

    /// The whole trade, or its part around the plan that is best where a unit of money is worth so many minutes.
    fn wanted(
        clock: &ClockTrip,
        (known, bounds): (Vec<fill::Way>, &Bounds),
        worth: f64,
        whole: bool,
        stop: &StopSign,
    ) -> Result<Self, NoTrade> {
        let at = (!whole).then_some(worth);
        let best = known.iter().map(|way| way.minutes + worth * way.money).fold(f64::INFINITY, f64::min);
        let start = clock.problem.trip.goal.start.get();
        let around = || Corridor::around(known.iter().map(|way| &way.choices), start);
        let limits = Limits {
            bounds: Some(bounds),
            known: fill::stairs(&known),
            best: at.map(|worth| (worth, best + NEAR_BEST)),
            corridor: (whole && !known.is_empty()).then(around),
            ..Limits::default()
        };
        let fine = Search::run(clock, FINE, &limits, stop).ok_or(NoTrade::Stopped)?;
        let found = known.into_iter().map(|way| way.choices);
        let ways = fill::fill(clock, fine.into_iter().chain(found).collect(), at, WHOLLY, stop);
        if ways.is_empty() {
            return Err(NoTrade::Infeasible);
        }
        let kept = if whole { fill::thinned(ways) } else { ways };
        let replayed = kept.into_iter().filter_map(|way| replay::replay(clock, &way.choices));
        let plans = unbeaten(replayed.collect());
        Ok(Self {
            least_minutes: clock.bound_of_minutes(),
            least_money: bounds.least_money(clock),
            trip: Arc::clone(&clock.problem.trip),
            plans,
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
        let (clock, worth) = (laid_out(trip, stop)?, worth(value_of_time_per_hour));
        let bounds = Bounds::new(&clock, &[worth], stop).ok_or(NoTrade::Stopped)?;
        strategies.iter().map(|&strategy| rules::best(&clock, &bounds, worth, strategy, stop)).collect()
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

/// Ways by a coarse search, and what is still to come at least from anywhere: along the whole trade, or where a unit of money is
/// worth so many minutes. `None` when told to stop.
fn known(clock: &ClockTrip, worth: f64, whole: bool, stop: &StopSign) -> Option<(Vec<fill::Way>, Bounds)> {
    let fastest = clock.fastest_without_a_clock().map(|departures| Choices::without_a_clock(&departures));
    let fastest = fastest.and_then(|choices| fill::way(clock, choices));
    if whole {
        let coarse = Search::run(clock, COARSE, &Limits::default(), stop)?;
        let coarse = fill::fill(clock, coarse, None, ROUGHLY, stop);
        let mut worths = slopes(coarse.iter().map(|way| (way.minutes, way.money)));
        worths.push(worth);
        let bounds = Bounds::new(clock, &worths, stop)?;
        return Some((coarse.into_iter().chain(fastest).collect(), bounds));
    }
    let bounds = Bounds::new(clock, &[worth], stop)?;
    // Where the fastest by the road keeps no pause, the soonest that does, whatever it costs, tells how good the best has to be.
    let soonest = || Search::run(clock, SOONEST, &Limits { bounds: Some(&bounds), ..Limits::default() }, stop);
    let soonest =
        if fastest.is_none() { fill::fill(clock, soonest()?, Some(worth), ROUGHLY, stop) } else { Vec::new() };
    let goal = |way: &fill::Way| way.minutes + worth * way.money;
    let most = fastest.iter().chain(&soonest).map(goal).reduce(f64::min).map(|most| (worth, most + NEAR_BEST));
    let limits = Limits { bounds: Some(&bounds), best: most, ..Limits::default() };
    let coarse = Search::run(clock, COARSE, &limits, stop)?;
    let coarse = fill::fill(clock, coarse, Some(worth), ROUGHLY, stop);
    Some((coarse.into_iter().chain(fastest).chain(soonest).collect(), bounds))
}

/// A trip laid out by its clock.
fn laid_out(trip: &TradeTrip, stop: &StopSign) -> Result<ClockTrip, NoTrade> {
    ClockTrip::new(trip, stop).ok_or(if stop.is_raised() { NoTrade::Stopped } else { NoTrade::Infeasible })
}

/// What a unit of money is worth in minutes where an hour has a value.
fn worth(value_of_time_per_hour: Option<f64>) -> f64 {
    value_of_time_per_hour.map_or(TIME_ALONE, |value| 60.0 / value)
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
