//! A plan as it is taken along: the shown plan of a kept trip, by the clock or by the road, with its stops' hours.

use spare_hour_core::money::receipt::Receipt;
use spare_hour_core::money::tariff::Tariff;
use spare_hour_core::quantity::Minutes;
use spare_hour_formats::{PlanAlong, StopAlong};
use spare_hour_planner::trade::{ClockPlan, ClockStop};
use spare_hour_planner::{Plan, Stop};

use crate::plan_trip::PlannedTrip;
use crate::trade_trip::TradedTrip;

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

/// A plan by the road; `None` where its hours cannot be told.
pub fn by_road(whose: Whose, planned: &PlannedTrip, plan: &Plan) -> Option<PlanAlong> {
    let (trip, mut minute) = (planned.trip(), 0.0);
    let stop = |(stop, receipt): (&Stop, Option<(&Tariff, Receipt)>)| {
        let reached = minute + stop.drive.get();
        minute = reached + (stop.overhead + stop.charge).get();
        let site = trip.site(stop.site);
        Some(StopAlong {
            name: site.name.clone(),
            at: site.at,
            times: (planned.moment(reached)?, planned.moment(minute)?),
            socs: (stop.arrive, stop.depart),
            charge: stop.charge,
            plug: stop.plug,
            cost: planned.cost_of(stop, receipt.as_ref().map(|(_, receipt)| receipt)),
            pause: None,
        })
    };
    let stops = plan.stops.iter().zip(planned.receipts(plan)).map(stop).collect::<Option<_>>()?;
    Some(PlanAlong {
        name: whose.name,
        id: whose.id,
        times: (planned.departure().clone(), planned.moment(plan.total.get())?),
        arrival: plan.arrival,
        length: trip.route.length(),
        currency: whose.currency,
        stops,
    })
}

/// A plan by the clock; `None` where its hours cannot be told.
pub fn by_clock(whose: Whose, traded: &TradedTrip, plan: &ClockPlan) -> Option<PlanAlong> {
    let trip = &traded.trade.trip;
    let at = |minutes: Minutes| traded.moment(minutes.get());
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
            pause: stop.pause.and_then(|pause| traded.pauses.get(pause).cloned()),
        })
    };
    Some(PlanAlong {
        name: whose.name,
        id: whose.id,
        times: (traded.departure.clone(), at(plan.total)?),
        arrival: plan.arrival,
        length: trip.route.length(),
        currency: whose.currency,
        stops: plan.stops.iter().map(stop).collect::<Option<_>>()?,
    })
}
