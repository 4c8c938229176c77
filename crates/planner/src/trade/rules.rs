//! What a strategy of thumb makes of a trip by its clock.

use super::bounds::Bounds;
use super::clock_trip::ClockTrip;
use super::search::{Fineness, Limits, Search};
use super::{ClockPlan, NoTrade, replay};
use crate::StopSign;
use crate::strategies::Strategy;

/// A strategy leaves little to choose, so nothing is merged,
const RULED: Fineness = Fineness { step: 1.0, slack: (0.0, 0.0), optimistic: false };
/// but where only the soonest is looked for, than which others have to be better.
const SOONEST: Fineness = Fineness { step: 1.0, slack: (0.0, f64::INFINITY), optimistic: false };
/// How much worse than the soonest, in minutes, what is better may be: rounding alone.
const NO_WORSE: f64 = 1e-6;

/// The best plan by a rule where a unit of money is worth so many minutes; `None` where the rule does not get there.
pub(super) fn best(
    clock: &ClockTrip,
    bounds: &Bounds,
    worth: f64,
    rule: Strategy,
    stop: &StopSign,
) -> Result<Option<ClockPlan>, NoTrade> {
    let goal = |plan: &ClockPlan| plan.total.get() + worth * plan.cost;
    let best = |fineness: Fineness, most: Option<f64>| {
        let best = most.map(|most| (worth, most));
        let limits = Limits { rule: Some(rule), bounds: Some(bounds), best, ..Limits::default() };
        let ways = Search::run(clock, fineness, &limits, stop).ok_or(NoTrade::Stopped)?;
        let plans = ways.iter().filter_map(|way| replay::replay(clock, way));
        Ok(plans.min_by(|a, b| goal(a).total_cmp(&goal(b))))
    };
    let soonest = best(SOONEST, None)?;
    let most = soonest.as_ref().map(|soonest| goal(soonest) + NO_WORSE);
    Ok(best(RULED, most)?.or(soonest))
}
