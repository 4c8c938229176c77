//! Drives and charges a list of departures step by step and adds up what it takes.

use crate::model::plan::{Plan, Stop};
use crate::model::problem::{Hop, Node, Problem, SAME};
use spare_hour_core::quantity::{Minutes, Soc};

/// The plan that leaves the given sites (in driving order) at the given SoC; `None` when it breaks a limit.
pub(crate) fn replay(problem: &Problem, departures: &[(usize, f64)]) -> Option<Plan> {
    let mut stops = Vec::with_capacity(departures.len());
    let mut from = Node::Start;
    let mut soc = problem.trip.goal.start.get();
    for &(node, depart) in departures {
        let hop = drivable(problem, from, Node::Site(node), soc)?;
        let arrive = soc - hop.net;
        if depart < arrive - SAME || depart > problem.ceiling + SAME {
            return None;
        }
        stops.push(stop(problem, node, hop, arrive, depart.max(arrive)));
        from = Node::Site(node);
        soc = depart.max(arrive);
    }
    let last = drivable(problem, from, Node::End, soc)?;
    Some(add_up(stops, last, soc - last.net))
}

/// The hop, if it keeps every limit when left at `soc`.
fn drivable<'p>(problem: &'p Problem, from: Node, to: Node, soc: f64) -> Option<&'p Hop> {
    problem.hop(from, to).filter(|hop| soc >= hop.least - SAME && soc <= hop.most + SAME)
}

/// One stop, priced.
pub(crate) fn stop(problem: &Problem, node: usize, hop: &Hop, arrive: f64, depart: f64) -> Stop {
    let site = problem.site(node);
    let charge = problem.stalls[node].minutes(Soc::percent(arrive), Soc::percent(depart));
    let plug = problem.plug_energy(depart - arrive);
    Stop {
        site: problem.order[node],
        drive: Minutes::new(hop.minutes),
        arrive: Soc::percent(arrive),
        depart: Soc::percent(depart),
        charge,
        overhead: site.overhead,
        plug,
        cost: site.price.per_kwh * plug.get() + site.price.per_min * charge.get() + site.price.per_session,
    }
}

/// A plan of stops and a last drive.
pub(crate) fn add_up(stops: Vec<Stop>, last: &Hop, arrival: f64) -> Plan {
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
