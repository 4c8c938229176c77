//! A planned trip as its file tells it: one report for the command and the page.

use spare_hour_formats::{PlanReport, StopReport, StrategyReport};

use crate::plan_trip::PlannedTrip;

/// The report of the best plan, with the strategies beside it.
pub fn plan_report(planned: &PlannedTrip) -> PlanReport<'_> {
    let plan = planned.best();
    let mut minute = 0.0;
    let stops = plan.stops.iter().zip(planned.receipts(plan)).map(|(stop, receipt)| {
        let reached = minute + stop.drive.get();
        minute = reached + stop.overhead.get() + stop.charge.get();
        let receipt = receipt.map(|(_, receipt)| receipt);
        StopReport {
            times: planned.moment(reached).zip(planned.moment(minute)),
            cost: planned.cost_of(stop, receipt.as_ref()),
            receipt,
            beside_a_neighbour: planned.beside_a_neighbour(stop),
        }
    });
    let stops: Vec<StopReport> = stops.collect();
    let strategy = |one| {
        let one: &crate::plan_trip::StrategyOutcome = one;
        StrategyReport {
            strategy: one.strategy,
            plan: one.plan.as_ref().map(|plan| (one.trip.as_ref(), plan)),
            cost: one.cost,
        }
    };
    PlanReport {
        trip: planned.trip(),
        plan,
        proof: planned.proof(),
        cost: stops.iter().map(|stop| stop.cost).sum(),
        departure: planned.departure(),
        stops,
        lowest: planned.lowest(plan),
        left_out: planned.left_out(),
        strategies: planned.strategies().iter().map(strategy).collect(),
    }
}
