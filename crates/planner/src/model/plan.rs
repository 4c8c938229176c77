//! A plan: the stops, what they add up to, and how good it is proven to be.

use spare_hour_core::quantity::{Energy, Minutes, Soc};
use spare_hour_core::trip::SiteIndex;
/// One stop of a plan.
#[derive(Clone, Debug, PartialEq)]
pub struct Stop {
    /// Which of the trip's sites.
    pub site: SiteIndex,
    /// Drive to the stall, from the stall before or the start.
    pub drive: Minutes,
    /// SoC at the stall on arrival.
    pub arrive: Soc,
    /// SoC at the stall on leaving.
    pub depart: Soc,
    /// Time that current flows.
    pub charge: Minutes,
    /// Fixed minutes of the stop.
    pub overhead: Minutes,
    /// Energy that leaves the plug.
    pub plug: Energy,
    /// What the stop costs, in the trip's currency.
    pub cost: f64,
}

/// A plan: the stops in driving order and what they add up to.
#[derive(Clone, Debug, PartialEq)]
pub struct Plan {
    /// The stops.
    pub stops: Vec<Stop>,
    /// Drive from the last stop, or the start, to the destination.
    pub last_drive: Minutes,
    /// Driving, ways off the route included.
    pub drive: Minutes,
    /// Charging.
    pub charge: Minutes,
    /// Fixed minutes of all stops.
    pub overhead: Minutes,
    /// Door to door.
    pub total: Minutes,
    /// Money, in the trip's currency.
    pub cost: f64,
    /// SoC at the destination.
    pub arrival: Soc,
    /// The lowest SoC at any stall or at the destination.
    pub lowest: Soc,
}

/// A plan with the proof of how good it is.
#[derive(Clone, Debug)]
pub struct BestPlan {
    /// The plan.
    pub plan: Plan,
    /// No plan is better by more than this: minutes, or minutes' worth when an hour has a value.
    pub gap: Minutes,
}

/// How good a plan is proven to be, and of which model: the trip as solved may leave out what the trip as shown has.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Proof {
    /// In that model no plan is better by more than this: minutes, or minutes' worth when an hour has a value.
    pub gap: Minutes,
    /// Sites that were left out because a plan would come to them while they are closed.
    pub sites_left_out: usize,
    /// Whether one price for each site stood for prices that change with hour, power or length of the stop.
    pub one_price_a_day: bool,
}

/// A departure that the driver has fixed.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct FixedDeparture {
    /// Which of the trip's sites.
    pub site: SiteIndex,
    /// SoC on leaving it.
    pub depart: Soc,
}

/// A plan with departures fixed by the driver.
#[derive(Clone, Debug)]
pub struct AdjustedPlan {
    /// The plan, best apart from what is fixed.
    pub plan: Plan,
    /// The fixed departures that could not be kept: the stop is not in the plan, or the SoC is below the arrival,
    /// above the ceiling, or too low to reach anything.
    pub dropped: Vec<FixedDeparture>,
}
