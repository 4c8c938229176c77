//! Why a trip cannot be driven: the gap that is too long, by how much, and what would close it.

use std::fmt;

use crate::model::problem::{Node, Problem};
use spare_hour_core::quantity::{Distance, Soc};

/// One end of a gap.
#[derive(Clone, Debug, PartialEq)]
pub enum Place {
    /// The start of the trip.
    Start,
    /// One of the trip's sites, by index.
    Site(usize),
    /// The destination.
    End,
}

/// The shortest gap that cannot be driven among those that stand in the way.
#[derive(Clone, Debug, PartialEq)]
pub struct Infeasible {
    /// Where it begins.
    pub from: Place,
    /// Where it ends.
    pub to: Place,
    /// The names of both, for people.
    pub names: (String, String),
    /// Its length on the route.
    pub length: Distance,
    /// SoC needed on leaving `from`.
    pub needed: Soc,
    /// The most SoC there can be on leaving `from`.
    pub available: Soc,
    /// How many points are missing.
    pub short: Soc,
    /// How many kilometres that is, at the consumption where the gap ends.
    pub short_distance: Distance,
    /// The SoC that must be left at `to`.
    pub floor: Soc,
}

impl fmt::Display for Infeasible {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (from, to) = &self.names;
        write!(
            f,
            "the trip cannot be driven: from {from} to {to} is {:.1} km and needs {:.1} % on leaving, with {:.1} % left on \
             arrival; at most {:.1} % is possible. It is {:.1} points short, about {:.0} km. A charging site on the way, \
             {:.1} points less on arrival, or less consumption would close it",
            self.length.get(),
            self.needed.get(),
            self.floor.get(),
            self.available.get(),
            self.short.get(),
            self.short_distance.get(),
            self.short.get(),
        )
    }
}

/// The gap in the way of a trip that has no plan.
pub(crate) fn explain(problem: &Problem) -> Infeasible {
    let reached = reached(problem);
    let mut nearest: Option<(f64, Node, Node)> = None;
    for &from in &reached {
        for to in later(problem, from).filter(|to| !reached.contains(to)) {
            // A gap is short by at least what the road alone takes beyond a full battery.
            let too_far = |least: f64| problem.on_route_percent(from, to) - 100.0 > least;
            if nearest.is_some_and(|(least, ..)| too_far(least)) {
                continue;
            }
            let hop = problem.drive(from, to);
            let short = hop.least - hop.most;
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
        for hop in problem.hops(reached[next]) {
            if !reached.contains(&hop.to) {
                reached.push(hop.to);
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
        Node::Site(node) => node + 1,
        Node::End => problem.sites(),
    };
    (first..problem.sites()).map(Node::Site).chain([Node::End])
}

fn describe(problem: &Problem, from: Node, to: Node, short: f64) -> Infeasible {
    let hop = problem.drive(from, to);
    let vehicle = &problem.trip.vehicle;
    let end = problem.place(to);
    let consumption = problem.trip.route.segment_at(end).map_or(0.0, |segment| segment.consumption.get());
    let missing = vehicle.stored(Soc::percent(short)).get();
    Infeasible {
        from: place(problem, from),
        to: place(problem, to),
        names: (name(problem, from), name(problem, to)),
        length: end - problem.place(from),
        needed: Soc::percent(hop.least),
        available: Soc::percent(hop.most),
        short: Soc::percent(short),
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

fn name(problem: &Problem, node: Node) -> String {
    match node {
        Node::Start => "the start".into(),
        Node::Site(node) => {
            let site = problem.site(node);
            format!("{} (km {:.1})", site.name, site.at.get())
        }
        Node::End => format!("the destination (km {:.1})", problem.trip.route.length().get()),
    }
}
