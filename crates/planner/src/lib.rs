//! The planner: at which sites to stop, and at which SoC to leave each, so that the trip costs least.
//!
//! The cost is minutes door to door or, when an hour has a value, minutes + 60 · money / value. The method is exact
//! label-setting over (site, SoC) ([`label_setting`]), then a polish of the departures on a continuous scale
//! ([`polish`]). The same sweep yields a bound that no plan can beat, so every plan says how far from the best
//! possible it can be at most. Nothing assumes that a curve only falls: dips, steps and boosts are fine.
//!
//! [`Planner::with_departures`] replans the rest of a trip after a driver has fixed when to leave a stop;
//! [`strategies`] runs the common rules of thumb on the same trip with the same physics; [`reasons`] says why each stop
//! is left when it is.

mod exact;
mod explain;
mod model;
pub mod open_sites;
mod strategies;
pub mod trip_timeline;

pub use explain::infeasible::{Infeasible, Place};
pub use explain::reasons::{Next, Reason, Why};
pub use model::plan::{AdjustedPlan, BestPlan, FixedDeparture, Plan, PlanError, Stop};
pub use strategies::{STRATEGIES, Strategy, StrategyResult};

use exact::label_setting::Labels;
use exact::polish;
use explain::{infeasible, reasons};
use model::problem::{Node, Problem};
use model::replay;
use spare_hour_core::quantity::Minutes;
use spare_hour_core::trip::Trip;

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

    /// The strategies of thumb on this trip.
    pub fn strategies(&self) -> Vec<StrategyResult> {
        STRATEGIES.iter().map(|&strategy| strategies::simulate(&self.problem, strategy)).collect()
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
