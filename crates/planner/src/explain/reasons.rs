//! Why a stop is left when it is: the next 5 % here against the same 5 % at the next stop.
//!
//! At an interior optimum a further percent costs the same at every stop that no floor, ceiling or wish pins. Seen in
//! steps of 5 % the steps below the departure are cheaper here and the steps above it dearer than at the next stop.

use crate::model::plan::Plan;
use crate::model::problem::Problem;
use spare_hour_core::quantity::{Minutes, Soc, SocSpan};
use spare_hour_core::trip::SiteIndex;

/// The step that is compared, %.
const STEP: f64 = 5.0;
/// A departure nearer than this to a limit is pinned by it, %.
const PINNED: f64 = 0.02;

/// What decides a departure.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Why {
    /// A further percent costs as much here as at the next stop.
    Balanced,
    /// The next stop is reached with just the floor, and charging there is cheaper.
    NextNeedsIt,
    /// The destination is reached with just what was wished.
    EndNeedsIt,
    /// The driver's ceiling.
    Ceiling,
    /// None of these: the departure was fixed by the driver, or more is left at the end than was wished.
    Chosen,
}

/// The same charge at the next stop.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Next {
    /// Which of the trip's sites.
    pub site: SiteIndex,
    /// What the first of those percents cost there, in minutes (or minutes' worth when an hour has a value).
    pub step: Minutes,
}

/// Why one stop is left when it is. Costs are minutes, or minutes' worth when an hour has a value.
#[derive(Clone, Debug, PartialEq)]
pub struct Reason {
    /// What decides.
    pub why: Why,
    /// The size of the steps compared, %; less than 5 near the top.
    pub points: SocSpan,
    /// What the last step before leaving cost here, where that much was charged.
    pub last_here: Option<Minutes>,
    /// What the next step would cost here; `None` at 100 %.
    pub next_here: Option<Minutes>,
    /// What the step costs at the next stop; `None` at the last stop.
    pub next_there: Option<Next>,
}

/// The reasons of a plan's stops, in order.
pub(crate) fn reasons(problem: &Problem, plan: &Plan) -> Vec<Reason> {
    (0..plan.stops.len()).map(|position| reason(problem, plan, position)).collect()
}

fn reason(problem: &Problem, plan: &Plan, position: usize) -> Reason {
    let stop = &plan.stops[position];
    let (arrive, depart) = (stop.arrive.get(), stop.depart.get());
    let points = STEP.min(100.0 - depart);
    let cost_here = |from: f64, to: f64| step_cost(problem, stop.site, arrive, from, to);
    let next = plan.stops.get(position + 1);
    let next_there = next.map(|next| {
        let from = next.arrive.get();
        Next { site: next.site, step: step_cost(problem, next.site, from, from, from + points.max(0.0)) }
    });
    Reason {
        why: why(problem, plan, position),
        points: SocSpan::points(points),
        last_here: (depart - arrive >= STEP).then(|| cost_here(depart - STEP, depart)),
        next_here: (points > 0.0).then(|| cost_here(depart, depart + points)).filter(|cost| cost.get().is_finite()),
        next_there,
    }
}

fn why(problem: &Problem, plan: &Plan, position: usize) -> Why {
    let depart = plan.stops[position].depart.get();
    let goal = &problem.trip.goal;
    match plan.stops.get(position + 1) {
        _ if depart >= problem.ceiling - PINNED => Why::Ceiling,
        None if plan.arrival.get() <= goal.arrival.get() + PINNED => Why::EndNeedsIt,
        Some(next) if next.arrive.get() <= goal.floor.get() + PINNED => Why::NextNeedsIt,
        Some(_) if balanced(problem, plan, position) => Why::Balanced,
        _ => Why::Chosen,
    }
}

/// Whether a small step costs about as much here as at the next stop, or turns from cheaper to dearer here.
fn balanced(problem: &Problem, plan: &Plan, position: usize) -> bool {
    let (stop, next) = (&plan.stops[position], &plan.stops[position + 1]);
    let depart = stop.depart.get();
    let step = 0.5;
    let here = |from: f64, to: f64| step_cost(problem, stop.site, stop.arrive.get(), from, to).get();
    let there = |from: f64, to: f64| step_cost(problem, next.site, from.min(next.arrive.get()), from, to).get();
    let arrive = next.arrive.get();
    here(depart - step, depart) <= there((arrive - step).max(0.0), arrive) * 1.05
        && here(depart, (depart + step).min(100.0)) >= there(arrive, arrive + step) * 0.95
}

/// What a step of a charge that began at `start` costs at a site: minutes, or minutes' worth.
fn step_cost(problem: &Problem, site: SiteIndex, start: f64, from: f64, to: f64) -> Minutes {
    let Some(node) = problem.node_of(site) else {
        return Minutes::new(f64::INFINITY);
    };
    let stall = &problem.stalls[node];
    let begun = |soc: f64| stall.minutes(Soc::percent(start), Soc::percent(soc)).get();
    let minutes = begun(to) - begun(from);
    Minutes::new(problem.pure_cost(node).charge(minutes, to - from))
}
