//! Minutes and money whole: every plan that no other beats in both, by the trip's own clock, with the pauses, hours, prices by
//! hour, posts and bounds that a driver wishes.
//!
//! A rough search tells how good plans are, a thorough one finds every sequence of stops that counts and is cut short by them
//! ([`search`]); then departures are moved on a continuous scale, in combination ([`nearby`]), and the trade is filled in ([`fill`]).
//! What is kept is replayed with receipts ([`replay`]).

mod beginnings;
mod bounds;
mod by_the_hour;
pub mod certificate;
mod charge_walk;
mod charges;
mod choices;
mod clock_plan;
mod clock_trip;
mod fill;
mod hull;
mod labels;
mod meeting;
mod nearby;
mod occasion;
mod optimistic;
mod optimistic_charges;
mod order;
mod parts;
mod price_clock;
mod rates;
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
use fill::Effort;
use parts::in_parts;
use search::{Fineness, Limits, Search};

/// Minutes along which hours and prices are laid out: a week.
pub(crate) const HORIZON: f64 = 7.0 * 1440.0;
/// The whole trade is looked for twice: roughly, which tells how good the rest has to be, and well enough to find every sequence of
/// stops that counts.
const ROUGH: Fineness = Fineness { step: 20.0, slack: (4.0, 0.4), optimistic: false };
const THOROUGH: Fineness = Fineness { step: 4.0, slack: (0.3, 0.03), optimistic: false };
/// The same of few sites where nothing but the clock and money counts: to look closer costs little there.
const THOROUGH_OF_FEW: Fineness = Fineness { step: 2.0, slack: (0.15, 0.015), optimistic: false };
const FEW_SITES: usize = 24;
/// A way that is beaten by no more than this may still become a plan of the trade when its departures are moved.
const MAY_BECOME: (f64, f64) = (2.0, 0.3);
/// The steps by which departures are moved after each.
const ROUGH_STEPS: [f64; 1] = [4.0];
const THOROUGH_STEPS: [f64; 4] = [2.5, 1.2, 0.6, 0.3];
/// The best plan alone is looked for coarsely first.
const COARSE: Fineness = Fineness { step: 5.0, slack: (2.0, 0.2), optimistic: false };
/// The soonest alone, whatever it costs.
const SOONEST: Fineness = Fineness { step: 5.0, slack: (2.0, f64::INFINITY), optimistic: false };
const FINE: Fineness = Fineness { step: 1.0, slack: (0.2, 0.02), optimistic: false };
/// What a unit of money is worth in minutes where time alone counts: enough to choose among plans that are as fast.
const TIME_ALONE: f64 = 1e-3;
/// A second, in minutes.
const A_SECOND: f64 = 1.0 / 60.0;
/// How far above the best plan of the coarse search a fine one looks, minutes' worth.
const NEAR_BEST: f64 = 0.05;
/// How far the best plans of the coarse search are brought, and those of the fine one.
const ROUGHLY: Effort = Effort { hopeless: 3.0, finest: 0.1 };
const WHOLLY: Effort = Effort { hopeless: 0.5, finest: 0.0 };

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
        let (trade, bounds) =
            if whole { Self::whole(&clock, worth, stop)? } else { Self::around_best(&clock, worth, stop)? };
        let ruled = strategies.iter().map(|&strategy| rules::best(&clock, &bounds, worth, strategy, stop));
        Ok((trade, ruled.collect::<Result<_, _>>()?))
    }

    /// The whole trade, with the best plans for time alone and for a worth of money as they are found when nothing else is looked
    /// for: the whole looks at so much that it comes less near to each.
    fn whole(clock: &ClockTrip, worth: f64, stop: &StopSign) -> Result<(Self, Bounds), NoTrade> {
        let mut goals = vec![TIME_ALONE, worth];
        goals.dedup();
        let (ways, bounds) = whole_trade(clock, &goals, stop).ok_or(NoTrade::Stopped)?;
        if ways.is_empty() {
            return Err(NoTrade::Infeasible);
        }
        let near = goals.iter().map(|&worth| {
            let goal = |way: &fill::Way| way.minutes + worth * way.money;
            let best = ways.iter().map(goal).fold(f64::INFINITY, f64::min);
            let known = ways.iter().filter(|way| goal(way) <= best + WHOLLY.hopeless).cloned().collect();
            Self::near(clock, worth, known, &bounds, stop)
        });
        let near = near.collect::<Result<Vec<_>, _>>()?;
        let mut trade = Self::replayed(clock, &bounds, fill::thinned(ways));
        trade.plans.extend(near.into_iter().flat_map(|near| near.plans));
        trade.plans = unbeaten(trade.plans);
        Ok((trade, bounds))
    }

    /// The plans around the one that is best where a unit of money is worth so many minutes.
    fn around_best(clock: &ClockTrip, worth: f64, stop: &StopSign) -> Result<(Self, Bounds), NoTrade> {
        let (known, bounds) = known(clock, worth, stop).ok_or(NoTrade::Stopped)?;
        Ok((Self::near(clock, worth, known, &bounds, stop)?, bounds))
    }

    /// The plans around the best of some ways where a unit of money is worth so many minutes.
    fn near(
        clock: &ClockTrip,
        worth: f64,
        known: Vec<fill::Way>,
        bounds: &Bounds,
        stop: &StopSign,
    ) -> Result<Self, NoTrade> {
        let best = known.iter().map(|way| way.minutes + worth * way.money).fold(f64::INFINITY, f64::min);
        let limits = Limits {
            bounds: Some(bounds),
            known: fill::stairs(&known),
            best: Some((worth, best + NEAR_BEST)),
            ..Limits::default()
        };
        let fine = Search::run(clock, FINE, &limits, stop).ok_or(NoTrade::Stopped)?;
        let found = fill::ways(clock, fine).into_iter().chain(known).collect();
        let ways = fill::best(clock, found, worth, WHOLLY, stop);
        if ways.is_empty() {
            return Err(NoTrade::Infeasible);
        }
        Ok(Self::replayed(clock, bounds, ways))
    }

    /// The plans of ways, with receipts.
    fn replayed(clock: &ClockTrip, bounds: &Bounds, ways: Vec<fill::Way>) -> Self {
        let replayed = |part: Vec<fill::Way>| {
            part.into_iter().filter_map(|way| replay::replay(clock, &way.choices)).collect::<Vec<_>>()
        };
        Self {
            plans: unbeaten(in_parts(ways, replayed).into_iter().flatten().collect()),
            least_minutes: clock.bound_of_minutes(),
            least_money: bounds.least_money(clock),
            trip: Arc::clone(&clock.problem.trip),
        }
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
        let mut found = Search::run(&clock, coarsely(worth), &Limits::default(), stop).ok_or(NoTrade::Stopped)?;
        found.extend(clock.fastest_without_a_clock().map(|departures| Choices::without_a_clock(&departures)));
        let ways = fill::best(&clock, fill::ways(&clock, found), worth, ROUGHLY, stop);
        let of = |way: &fill::Way| way.minutes + worth * way.money;
        let best = ways.iter().min_by(|a, b| of(a).total_cmp(&of(b))).ok_or(NoTrade::Infeasible)?;
        replay::replay(&clock, &best.choices).ok_or(NoTrade::Infeasible)
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

/// The ways of the whole trade, and what is still to come at least from anywhere, for these worths of money too. `None` when told
/// to stop.
fn whole_trade(clock: &ClockTrip, goals: &[f64], stop: &StopSign) -> Option<(Vec<fill::Way>, Bounds)> {
    let fastest = clock.fastest_without_a_clock().map(|departures| Choices::without_a_clock(&departures));
    let rough = Search::run(clock, ROUGH, &Limits::default(), stop)?.into_iter().chain(fastest);
    let rough = fill::trade(clock, fill::ways(clock, rough), &ROUGH_STEPS, stop);
    let mut worths = slopes(rough.iter().map(|way| (way.minutes, way.money)));
    worths.extend(goals);
    let bounds = Bounds::new(clock, &worths, stop)?;
    let but = (-MAY_BECOME.0, -clock.money(MAY_BECOME.1));
    let limits = Limits { bounds: Some(&bounds), known: fill::stairs(&rough), but, ..Limits::default() };
    let thorough = if is_small(clock) { THOROUGH_OF_FEW } else { THOROUGH };
    let found = Search::run(clock, thorough, &limits, stop)?;
    let found = fill::ways(clock, found).into_iter().chain(rough).collect();
    Some((fill::trade(clock, found, &THOROUGH_STEPS, stop), bounds))
}

/// Whether it costs little to look closer.
fn is_small(clock: &ClockTrip) -> bool {
    clock.problem.sites() <= FEW_SITES && clock.is_plain()
}

/// Ways by a coarse search near the best where a unit of money is worth so many minutes, and what is still to come at least from
/// anywhere. `None` when told to stop.
fn known(clock: &ClockTrip, worth: f64, stop: &StopSign) -> Option<(Vec<fill::Way>, Bounds)> {
    let fastest = clock.fastest_without_a_clock().map(|departures| Choices::without_a_clock(&departures));
    let fastest = fastest.and_then(|choices| fill::way(clock, choices));
    let bounds = Bounds::new(clock, &[worth], stop)?;
    // Where the fastest by the road keeps no pause, the soonest that does, whatever it costs, tells how good the best has to be.
    let soonest = || Search::run(clock, SOONEST, &Limits { bounds: Some(&bounds), ..Limits::default() }, stop);
    let soonest = if fastest.is_none() {
        fill::best(clock, fill::ways(clock, soonest()?), worth, ROUGHLY, stop)
    } else {
        Vec::new()
    };
    let goal = |way: &fill::Way| way.minutes + worth * way.money;
    let most = fastest.iter().chain(&soonest).map(goal).reduce(f64::min).map(|most| (worth, most + NEAR_BEST));
    let limits = Limits { bounds: Some(&bounds), best: most, ..Limits::default() };
    let coarse = Search::run(clock, coarsely(worth), &limits, stop)?;
    let coarse = fill::best(clock, fill::ways(clock, coarse), worth, ROUGHLY, stop);
    Some((coarse.into_iter().chain(fastest).chain(soonest).collect(), bounds))
}

/// How finely the best plan is looked for first where a unit of money is worth so many minutes: what is dearer by a second's worth is
/// no worse.
fn coarsely(worth: f64) -> Fineness {
    let (minutes, money) = COARSE.slack;
    Fineness { slack: (minutes, money.max(A_SECOND / worth)), ..COARSE }
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
