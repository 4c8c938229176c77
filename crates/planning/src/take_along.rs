//! A plan as it is taken along: the shown plan of a kept trip, by the clock or by the road, with its stops' hours.

use spare_hour_core::quantity::Minutes;
use spare_hour_formats::{PlanAlong, StopAlong};
use spare_hour_planner::trade::ClockStop;

use crate::shown_plan::ShownPlan;

/// Whose plan it is.
#[derive(Clone, Debug)]
pub struct Whose {
    /// The trip's number,
    pub id: i32,
    /// its name
    pub name: String,
    /// and the money it is counted in.
    pub currency: String,
}

/// The plan that is shown; `None` where its hours cannot be told.
pub fn along(whose: Whose, shown: &ShownPlan) -> Option<PlanAlong> {
    let (trip, plan) = (&shown.trip, &shown.plan);
    let at = |minutes: Minutes| shown.moment(minutes.get());
    let stop = |stop: &ClockStop| {
        let site = trip.site(stop.site);
        Some(StopAlong {
            name: site.name.clone(),
            at: site.at,
            times: (at(stop.reached)?, at(stop.leaves)?),
            socs: (stop.arrive, stop.depart),
            charge: stop.charge,
            plug: stop.plug,
            cost: stop.cost,
            pause: stop.pause.and_then(|pause| shown.pauses.get(pause).cloned()),
        })
    };
    Some(PlanAlong {
        name: whose.name,
        id: whose.id,
        times: (shown.departure.clone(), at(plan.total)?),
        arrival: plan.arrival,
        length: trip.route.length(),
        currency: whose.currency,
        stops: plan.stops.iter().map(stop).collect::<Option<_>>()?,
    })
}
