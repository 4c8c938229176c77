//! Minutes and money whole: every plan that no other beats in both, by the trip's own clock, with the pauses, hours, prices by
//! hour, posts and bounds that a driver wishes.
//!
//! A coarse search finds plans, a fine one is cut short by them ([`search`]); then departures are moved on a continuous scale
//! and the trade is filled in ([`fill`]). What is kept is replayed with receipts ([`replay`]).

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
use crate::model::leg::Node;
use choices::Choices;
use clock_trip::ClockTrip;
use search::{Fineness, Search};

/// Minutes along which hours and prices are laid out: a week.
pub(crate) const HORIZON: f64 = 7.0 * 1440.0;
const COARSE: Fineness = Fineness { step: 5.0, slack: (2.0, 0.2) };
const FINE: Fineness = Fineness { step: 1.0, slack: (0.1, 0.01) };

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
    /// The whole trade of a trip.
    ///
    /// # Errors
    /// [`NoTrade`] when there is no plan, or nobody waits any more.
    pub fn new(trip: &TradeTrip, stop: &StopSign) -> Result<Self, NoTrade> {
        let clock =
            ClockTrip::new(trip, stop).ok_or(if stop.is_raised() { NoTrade::Stopped } else { NoTrade::Infeasible })?;
        let nothing = staircase::Staircase::default();
        let coarse = Search::run(&clock, COARSE, &nothing, stop).ok_or(NoTrade::Stopped)?;
        let coarse = fill::fill(&clock, coarse, stop);
        let known = fill::stairs(&coarse);
        let fine = Search::run(&clock, FINE, &known, stop).ok_or(NoTrade::Stopped)?;
        let fastest = clock.fastest_without_a_clock().map(|departures| Choices::without_a_clock(&departures));
        let all = fine.into_iter().chain(coarse.into_iter().map(|way| way.choices)).chain(fastest).collect();
        let ways = fill::fill(&clock, all, stop);
        if ways.is_empty() {
            return Err(NoTrade::Infeasible);
        }
        let kept = fill::thinned(ways).into_iter();
        let plans: Vec<ClockPlan> = kept.filter_map(|way| replay::replay(&clock, &way.choices, true)).collect();
        let start = clock.problem.trip.goal.start.get();
        Ok(Self {
            least_minutes: clock.bound_of_minutes(),
            least_money: clock.least_money(Node::Start, start),
            trip: Arc::clone(&clock.problem.trip),
            plans: unbeaten(plans),
        })
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
