//! The planner: at which sites to stop, and at which SoC to leave each, so that the trip costs least.
//!
//! The cost is minutes door to door or, when an hour has a value, minutes + 60 · money / value. The method is exact
//! label-setting over (site, SoC) ([`label_setting`]), then a polish of the departures on a continuous scale
//! ([`polish`]). The same sweep yields a bound that no plan can beat, so every plan says how far from the best
//! possible it can be at most. Nothing assumes that a curve only falls: dips, steps and boosts are fine.
//!
//! [`Planner::with_departures`] replans the rest of a trip after a driver has fixed when to leave a stop;
//! [`schools`] runs the common rules of thumb on the same trip with the same physics; [`reasons`] says why each stop
//! is left when it is.

mod cell_bound;
mod charge_cost;
mod departures;
mod grid;
mod infeasible;
mod label_setting;
mod polish;
mod problem;
mod reasons;
mod replay;
mod schools;

pub use infeasible::{Infeasible, Place};
pub use reasons::{Next, Reason, Why};
pub use schools::{SCHOOLS, School, SchoolResult};

use crate::quantity::{Energy, Minutes, Soc};
use crate::trip::{Trip, TripError};
use label_setting::Labels;
use problem::{Node, Problem};
use thiserror::Error;

/// One stop of a plan.
#[derive(Clone, Debug, PartialEq)]
pub struct Stop {
    /// Which of the trip's sites.
    pub site: usize,
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

/// Why there is no plan.
#[derive(Clone, Debug, Error)]
pub enum PlanError {
    /// The trip holds a number that cannot be.
    #[error(transparent)]
    Trip(#[from] TripError),
    /// The trip cannot be driven.
    #[error("{0}")]
    Infeasible(Box<Infeasible>),
}

/// A departure that the driver has fixed.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct FixedDeparture {
    /// Which of the trip's sites.
    pub site: usize,
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

/// A solved trip, ready to answer questions.
pub struct Planner<'a> {
    problem: Problem<'a>,
    labels: Labels,
    best: BestPlan,
}

impl<'a> Planner<'a> {
    /// Solves a trip.
    ///
    /// # Errors
    /// [`PlanError::Trip`] when [`Trip::check`] fails, [`PlanError::Infeasible`] when no plan keeps the limits.
    pub fn new(trip: &'a Trip) -> Result<Self, PlanError> {
        trip.check()?;
        let problem = Problem::new(trip);
        let labels = Labels::new(&problem);
        let departures = labels.follow(&problem, Node::Start, trip.goal.start.get());
        let polished = departures.and_then(|departures| polish::polish(&problem, departures, 0));
        let Some(plan) = polished.and_then(|departures| replay::replay(&problem, &departures)) else {
            return Err(PlanError::Infeasible(Box::new(infeasible::explain(&problem))));
        };
        let gap = Minutes::new((problem.goal_of(&plan) - labels.lower_bound(&problem)).max(0.0));
        Ok(Self { problem, labels, best: BestPlan { plan, gap } })
    }

    /// The best plan.
    pub fn best(&self) -> &BestPlan {
        &self.best
    }

    /// The best plan's cost in minutes: total minutes plus the minutes that its money is worth.
    pub fn goal_of(&self, plan: &Plan) -> f64 {
        self.problem.goal_of(plan)
    }

    /// The best plan that leaves the named sites as told; what follows each is planned anew.
    pub fn with_departures(&self, fixed: &[FixedDeparture]) -> AdjustedPlan {
        let mut plan = self.best.plan.clone();
        let mut dropped = Vec::new();
        let mut first_free = 0;
        for &departure in fixed {
            match self.fix(&plan, departure, first_free) {
                Some((adjusted, position)) => {
                    plan = adjusted;
                    first_free = position + 1;
                }
                None => dropped.push(departure),
            }
        }
        AdjustedPlan { plan, dropped }
    }

    /// The plan with one more departure fixed, and which stop it is.
    fn fix(&self, plan: &Plan, fixed: FixedDeparture, first_free: usize) -> Option<(Plan, usize)> {
        let position = plan.stops.iter().position(|stop| stop.site == fixed.site)?;
        let stop = &plan.stops[position];
        if position < first_free || fixed.depart < stop.arrive || fixed.depart > self.problem.trip.goal.ceiling {
            return None;
        }
        let node = self.problem.node_of(fixed.site)?;
        let mut departures: Vec<_> = plan.stops[..position]
            .iter()
            .filter_map(|stop| Some((self.problem.node_of(stop.site)?, stop.depart.get())))
            .collect();
        departures.push((node, fixed.depart.get()));
        departures.extend(self.labels.follow(&self.problem, Node::Site(node), fixed.depart.get())?);
        let departures = polish::polish(&self.problem, departures, position + 1)?;
        Some((replay::replay(&self.problem, &departures)?, position))
    }

    /// Why each stop of a plan is left when it is.
    pub fn reasons(&self, plan: &Plan) -> Vec<Reason> {
        reasons::reasons(&self.problem, plan)
    }

    /// The schools of thumb on this trip.
    pub fn schools(&self) -> Vec<SchoolResult> {
        SCHOOLS.iter().map(|&school| schools::simulate(&self.problem, school)).collect()
    }

    /// How much worse the best plan gets without one of the sites, in minutes (or minutes' worth); `None` when the
    /// trip cannot be driven without it.
    pub fn worth_of_site(&self, site: usize) -> Option<Minutes> {
        let mut without = self.problem.trip.clone();
        without.sites.remove(site);
        let other = Planner::new(&without).ok()?;
        let worse = other.goal_of(&other.best.plan) - self.problem.goal_of(&self.best.plan);
        Some(Minutes::new(worse.max(0.0)))
    }
}
