//! Why a trip cannot be driven: the leg that is too long, by how much, and what would close it.

use crate::model::leg::Node;
use crate::model::problem::Problem;
use crate::model::road_index::RoadIndex;
use spare_hour_core::quantity::{Distance, Soc, SocSpan};
use spare_hour_core::trip::SiteIndex;

/// One end of a leg.
#[derive(Clone, Debug, PartialEq)]
pub enum Place {
    /// The start of the trip.
    Start,
    /// One of the trip's sites, by index.
    Site(SiteIndex),
    /// The destination.
    End,
}

/// The shortest leg that cannot be driven among those that stand in the way.
#[derive(Clone, Debug, PartialEq)]
pub struct Infeasible {
    /// Where it begins.
    pub from: Place,
    /// Where it ends.
    pub to: Place,
    /// Its length on the route.
    pub length: Distance,
    /// SoC needed on leaving `from`.
    pub needed: Soc,
    /// The most SoC there can be on leaving `from`.
    pub available: Soc,
    /// How many points are missing.
    pub short: SocSpan,
    /// How many kilometres that is, at the consumption where the leg ends.
    pub short_distance: Distance,
    /// The SoC that must be left at `to`.
    pub floor: Soc,
}

/// The leg in the way of a trip that has no plan.
pub(crate) fn explain(problem: &Problem) -> Infeasible {
    let reached = reached(problem);
    let mut nearest: Option<(f64, Node, Node)> = None;
    for &from in &reached {
        for to in later(problem, from).filter(|to| !reached.contains(to)) {
            // A leg is short by at least what the road alone takes beyond a full battery.
            let too_far = |least: f64| problem.on_route_percent(from, to) - 100.0 > least;
            if nearest.is_some_and(|(least, ..)| too_far(least)) {
                continue;
            }
            let leg = problem.drive(from, to);
            let short = leg.least - leg.most;
            if short > 0.0 && nearest.is_none_or(|(least, ..)| short < least) {
                nearest = Some((short, from, to));
            }
        }
    }
    let (short, from, to) = nearest.unwrap_or((0.0, Node::Start, Node::End));
    describe(problem, from, to, short.max(0.0))
}

/// The nodes that can be driven to, the start first.
fn reached(problem: &Problem) -> Vec<Node> {
    let mut reached = vec![Node::Start];
    let mut next = 0;
    while next < reached.len() {
        for leg in problem.legs(reached[next]) {
            if !reached.contains(&leg.to) {
                reached.push(leg.to);
            }
        }
        next += 1;
    }
    reached.retain(|&node| node != Node::End);
    reached
}

/// The nodes that lie further along.
fn later(problem: &Problem, from: Node) -> impl Iterator<Item = Node> {
    let first = match from {
        Node::Start => 0,
        Node::Site(RoadIndex(node)) => node + 1,
        Node::End => problem.sites(),
    };
    (first..problem.sites()).map(|node| Node::Site(RoadIndex(node))).chain([Node::End])
}

fn describe(problem: &Problem, from: Node, to: Node, short: f64) -> Infeasible {
    let leg = problem.drive(from, to);
    let vehicle = &problem.trip.vehicle;
    let end = problem.place(to);
    let consumption = problem.trip.route.segment_at(end).map_or(0.0, |segment| segment.consumption.get());
    let missing = vehicle.stored(SocSpan::points(short)).get();
    Infeasible {
        from: place(problem, from),
        to: place(problem, to),
        length: end - problem.place(from),
        needed: Soc::percent(leg.least),
        available: Soc::percent(leg.most),
        short: SocSpan::points(short),
        short_distance: Distance::km(if consumption > 0.0 { 100.0 * missing / consumption } else { 0.0 }),
        floor: Soc::percent(problem.floor(to)),
    }
}

fn place(problem: &Problem, node: Node) -> Place {
    match node {
        Node::Start => Place::Start,
        Node::Site(node) => Place::Site(problem.order[node]),
        Node::End => Place::End,
    }
}
