//! Drives and charges a list of departures step by step and adds up what it takes.

use crate::model::leg::{Leg, Node, SAME};
use crate::model::plan::{Plan, Stop};
use crate::model::problem::Problem;
use crate::model::road_index::RoadIndex;
use crate::model::stop_cost::{money, plug_energy};
use spare_hour_core::quantity::{Minutes, Soc};

/// The plan that leaves the given sites (in driving order) at the given SoC; `None` when it breaks a limit.
pub(crate) fn replay(problem: &Problem, departures: &[(RoadIndex, f64)]) -> Option<Plan> {
    let mut stops = Vec::with_capacity(departures.len());
    let mut from = Node::Start;
    let mut soc = problem.trip.goal.start.get();
    for &(node, depart) in departures {
        let leg = drivable(problem, from, Node::Site(node), soc)?;
        let arrive = leg.arrive(soc);
        if depart < arrive - SAME || depart > problem.ceiling + SAME {
            return None;
        }
        stops.push(stop(problem, node, leg, arrive, depart.max(arrive)));
        from = Node::Site(node);
        soc = depart.max(arrive);
    }
    let last = drivable(problem, from, Node::End, soc)?;
    Some(add_up(stops, last, last.arrive(soc)))
}

/// The leg, if it keeps every limit when left at `soc`.
fn drivable(problem: &Problem, from: Node, to: Node, soc: f64) -> Option<&Leg> {
    problem.leg(from, to).filter(|leg| leg.allows(soc))
}

/// One stop, priced.
pub(crate) fn stop(problem: &Problem, node: RoadIndex, leg: &Leg, arrive: f64, depart: f64) -> Stop {
    let site = problem.site(node);
    let (arrive, depart) = (Soc::percent(arrive), Soc::percent(depart));
    let charge = problem.stalls[node].minutes(arrive, depart);
    Stop {
        site: problem.order[node],
        drive: Minutes::new(leg.minutes),
        arrive,
        depart,
        charge,
        overhead: site.overhead,
        plug: plug_energy(&problem.trip, depart - arrive),
        cost: money(&problem.trip, site.price, arrive, depart, charge),
    }
}

/// A plan of stops and a last drive.
pub(crate) fn add_up(stops: Vec<Stop>, last: &Leg, arrival: f64) -> Plan {
    let sum = |of: fn(&Stop) -> Minutes| stops.iter().map(of).fold(Minutes::new(0.0), |a, b| a + b);
    let drive = sum(|stop| stop.drive) + Minutes::new(last.minutes);
    let (charge, overhead) = (sum(|stop| stop.charge), sum(|stop| stop.overhead));
    let lowest = stops.iter().map(|stop| stop.arrive.get()).fold(arrival, f64::min);
    Plan {
        last_drive: Minutes::new(last.minutes),
        drive,
        charge,
        overhead,
        total: drive + charge + overhead,
        cost: stops.iter().map(|stop| stop.cost).sum(),
        arrival: Soc::percent(arrival),
        lowest: Soc::percent(lowest),
        stops,
    }
}
