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
pub mod left_out;
mod model;
mod stop_sign;
mod strategies;
pub mod trade;
pub mod trip_timeline;

pub use explain::advice::{Advice, Because, IdleFee, PriceStep};
pub use explain::infeasible::{Infeasible, Place};
pub use explain::reasons::{Next, Reason, Why};
pub use model::plan::{AdjustedPlan, BestPlan, FixedDeparture, Plan, Proof, Stop};
pub use stop_sign::StopSign;
pub use strategies::{Numbers, STRATEGIES, Strategy, StrategyResult, USUAL};

use std::sync::Arc;

use exact::grid::FINE_STEP;
use exact::label_setting::Labels;
use exact::polish;
use explain::{infeasible, reasons};
use model::leg::Node;
use model::problem::Problem;
use model::replay;
use spare_hour_core::quantity::Minutes;
use spare_hour_core::trip::{SiteIndex, Trip};

/// Why a trip was not solved.
#[derive(Clone, Debug)]
pub enum Unsolved {
    /// No plan keeps the limits.
    Infeasible(Box<Infeasible>),
    /// It was told to stop.
    Stopped,
}

/// A solved trip, ready to answer questions. It owns its trip, so it can be kept while a person tries departures.
pub struct Planner {
    problem: Problem,
    labels: Labels,
    best: BestPlan,
}

impl Planner {
    /// Solves a trip.
    ///
    /// # Errors
    /// [`Infeasible`] when no plan keeps the limits.
    pub fn new(trip: impl Into<Arc<Trip>>) -> Result<Self, Box<Infeasible>> {
        Self::solve(trip.into(), &StopSign::default()).map_err(|unsolved| match unsolved {
            Unsolved::Infeasible(leg) => leg,
            Unsolved::Stopped => unreachable!("nobody else holds the sign"),
        })
    }

    /// Solves a trip unless it is told to stop.
    ///
    /// # Errors
    /// [`Unsolved`] when no plan keeps the limits, or nobody waits any more.
    pub fn solve(trip: Arc<Trip>, stop: &StopSign) -> Result<Self, Unsolved> {
        let problem = Problem::new(trip, stop).ok_or(Unsolved::Stopped)?;
        let labels = Labels::new(&problem, FINE_STEP, stop).ok_or(Unsolved::Stopped)?;
        let departures = labels.follow(&problem, Node::Start, problem.trip.goal.start.get());
        let polished = departures.and_then(|departures| polish::polish(&problem, departures, 0));
        let Some(plan) = polished.and_then(|departures| replay::replay(&problem, &departures)) else {
            return Err(Unsolved::Infeasible(Box::new(infeasible::explain(&problem))));
        };
        let gap = Minutes::new((problem.goal_of(&plan) - labels.lower_bound(&problem)).max(0.0));
        Ok(Self { problem, labels, best: BestPlan { plan, gap } })
    }

    /// The trip that was solved.
    pub fn trip(&self) -> &Arc<Trip> {
        &self.problem.trip
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

    /// The strategies on this trip.
    pub fn strategies(&self) -> Vec<StrategyResult> {
        STRATEGIES.iter().map(|&strategy| strategies::simulate(&self.problem, strategy)).collect()
    }

    /// What a strategy makes of a trip, without solving it.
    pub fn strategy_on(trip: Arc<Trip>, strategy: Strategy) -> StrategyResult {
        let problem = Problem::new(trip, &StopSign::default());
        problem.map_or(StrategyResult { strategy, plan: None }, |problem| strategies::simulate(&problem, strategy))
    }

    /// How much worse the best plan gets without one of the sites, in minutes (or minutes' worth); `None` when the
    /// trip cannot be driven without it.
    pub fn worth_of_site(&self, site: SiteIndex) -> Option<Minutes> {
        let id = &self.problem.trip.site(site).id;
        let without = Trip::clone(&self.problem.trip).without_sites(|other| other.id == *id);
        let other = Planner::new(without).ok()?;
        let worse = other.goal_of(&other.best.plan) - self.problem.goal_of(&self.best.plan);
        Some(Minutes::new(worse.max(0.0)))
    }
}
