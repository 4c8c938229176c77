//! A trip laid out for planning: sites in driving order, the hops between them in percent of the battery, and weights.

use std::collections::HashMap;
use std::sync::Arc;

use crate::model::plan::Plan;
use spare_hour_core::charging::stall::Stall;
use spare_hour_core::driving::route::Leg;
use spare_hour_core::quantity::{Distance, Energy, Soc};
use spare_hour_core::trip::{Site, Trip};

/// A place where a decision is made. Sites are counted in driving order.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Node {
    Start,
    Site(usize),
    End,
}

/// A drive from one node to another, energies in % of the usable capacity.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Hop {
    pub(crate) to: Node,
    /// SoC lost from departure to arrival.
    pub(crate) net: f64,
    /// Least SoC on departure that keeps every limit on the way and on arrival.
    pub(crate) least: f64,
    /// Most SoC on departure that keeps every limit on the way and on arrival.
    pub(crate) most: f64,
    pub(crate) minutes: f64,
}

/// What charging at a site costs: `per_minute` of charging, `per_percent` of SoC gained, `fixed` per stop.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Weights {
    pub(crate) per_minute: f64,
    pub(crate) per_percent: f64,
    pub(crate) fixed: f64,
}

pub(crate) struct Problem<'a> {
    pub(crate) trip: &'a Trip,
    /// For each site in driving order, its index in the trip.
    pub(crate) order: Vec<usize>,
    pub(crate) stalls: Vec<Arc<Stall>>,
    /// Most SoC on leaving a stall: the driver's ceiling, or just below 100 % when the curve never gets there.
    pub(crate) ceiling: f64,
    hops: Vec<Vec<Hop>>,
    from_start: Vec<Hop>,
}

/// Two SoC values nearer than this are one.
pub(crate) const SAME: f64 = 1e-9;
/// Plans keep this far below the highest SoC that still gets a boost: a driver cannot aim better.
pub(crate) const BOOST_MARGIN: f64 = 1e-3;

/// Where minutes tie, money decides, then the number of stops: weights too small to move a plan by a second.
const TIE_MONEY: f64 = 1e-6;
const TIE_STOP: f64 = 1e-9;

impl<'a> Problem<'a> {
    pub(crate) fn new(trip: &'a Trip) -> Self {
        let mut order: Vec<usize> = (0..trip.sites.len()).collect();
        order.sort_by(|&a, &b| trip.sites[a].at.get().total_cmp(&trip.sites[b].at.get()));
        let stalls = stalls(trip, &order);
        let mut problem =
            Self { trip, order, stalls, ceiling: ceiling(trip), hops: Vec::new(), from_start: Vec::new() };
        problem.from_start = problem.hops_from(Node::Start);
        problem.hops = (0..problem.order.len()).map(|node| problem.hops_from(Node::Site(node))).collect();
        problem
    }

    pub(crate) fn sites(&self) -> usize {
        self.order.len()
    }

    pub(crate) fn site(&self, node: usize) -> &Site {
        &self.trip.sites[self.order[node]]
    }

    /// The place in driving order of one of the trip's sites.
    pub(crate) fn node_of(&self, site: usize) -> Option<usize> {
        self.order.iter().position(|&index| index == site)
    }

    /// The hops that can be driven out of a node, nearest first.
    pub(crate) fn hops(&self, from: Node) -> &[Hop] {
        match from {
            Node::Start => &self.from_start,
            Node::Site(node) => &self.hops[node],
            Node::End => &[],
        }
    }

    /// The hop between two nodes, if it can be driven.
    pub(crate) fn hop(&self, from: Node, to: Node) -> Option<&Hop> {
        self.hops(from).iter().find(|hop| hop.to == to)
    }

    /// Weights that count what the trip's goal counts, with ties broken.
    pub(crate) fn weights(&self, node: usize) -> Weights {
        let money = self.minutes_per_money().unwrap_or(TIE_MONEY);
        self.weigh(node, money, TIE_STOP)
    }

    /// Weights that count exactly what the trip's goal counts: for the bound.
    pub(crate) fn pure_weights(&self, node: usize) -> Weights {
        self.weigh(node, self.minutes_per_money().unwrap_or(0.0), 0.0)
    }

    /// The goal's value of a plan: minutes, plus the minutes that its money is worth.
    pub(crate) fn goal_of(&self, plan: &Plan) -> f64 {
        plan.total.get() + self.minutes_per_money().map_or(0.0, |weight| weight * plan.cost)
    }

    /// Energy that leaves the plug for a gain in SoC.
    pub(crate) fn plug_energy(&self, points: f64) -> Energy {
        self.trip.vehicle.stored(Soc::percent(points)) * (1.0 / self.trip.vehicle.stored_share())
    }

    /// The highest SoC on arrival that the planner treats as boosted. Where it is the floor itself, a sliver above it, so
    /// that the bound has room for a charge that begins exactly there.
    pub(crate) fn boost_end(&self) -> Option<f64> {
        let end = self.trip.vehicle.boost.as_ref()?.max_start.get();
        let floor = self.trip.goal.floor.get();
        (end >= floor).then(|| end.max(floor + BOOST_MARGIN))
    }

    /// Whether an arrival is so near the end of the boost's range that a plan must not aim at it.
    pub(crate) fn on_boost_margin(&self, soc: f64) -> bool {
        self.boost_end().is_some_and(|end| soc > end - BOOST_MARGIN + SAME && soc <= end + SAME)
    }

    /// Least SoC on arrival at a node.
    pub(crate) fn floor(&self, node: Node) -> f64 {
        match node {
            Node::End => self.trip.goal.arrival.get(),
            _ => self.trip.goal.floor.get(),
        }
    }

    fn minutes_per_money(&self) -> Option<f64> {
        self.trip.goal.value_of_time_per_hour.map(|value| 60.0 / value)
    }

    fn weigh(&self, node: usize, money: f64, stop: f64) -> Weights {
        let site = self.site(node);
        Weights {
            per_minute: 1.0 + money * site.price.per_min,
            per_percent: money * site.price.per_kwh * self.plug_energy(1.0).get(),
            fixed: site.overhead.get() + money * site.price.per_session + stop,
        }
    }

    fn hops_from(&self, from: Node) -> Vec<Hop> {
        let first = match from {
            Node::Start => 0,
            Node::Site(node) => node + 1,
            Node::End => return Vec::new(),
        };
        let mut hops = Vec::new();
        for node in first..=self.order.len() {
            let to = if node == self.order.len() { Node::End } else { Node::Site(node) };
            let hop = self.drive(from, to);
            let least = if from == Node::Start { hop.least.max(self.trip.goal.start.get()) } else { hop.least };
            if least <= hop.most {
                hops.push(hop);
            } else if self.on_route_percent(from, to) > 100.0 {
                // Whoever goes further passes this place, with less than nothing left.
                break;
            }
        }
        hops
    }

    /// The hop between two nodes, whether or not it can be driven.
    pub(crate) fn drive(&self, from: Node, to: Node) -> Hop {
        let leg = self.way_off(from).then(self.on_route(from, to)).then(self.way_off(to));
        let percent = 100.0 / self.trip.vehicle.usable.get();
        let net = leg.net.get() * percent;
        let departure = if from == Node::Start { self.trip.goal.start.get() } else { self.ceiling };
        let to_be_charged = if to == Node::End { f64::INFINITY } else { self.ceiling + net };
        Hop {
            to,
            net,
            least: (self.floor(to) + net).max(leg.drawn.get() * percent),
            most: departure.min(100.0 - leg.returned.get() * percent).min(to_be_charged),
            minutes: leg.time.get(),
        }
    }

    fn on_route(&self, from: Node, to: Node) -> Leg {
        self.trip.route.between(self.place(from), self.place(to))
    }

    /// Net SoC lost on the route itself between two nodes.
    pub(crate) fn on_route_percent(&self, from: Node, to: Node) -> f64 {
        100.0 * (self.trip.route.net(self.place(from), self.place(to)) / self.trip.vehicle.usable)
    }

    /// Where a node's way leaves the route.
    pub(crate) fn place(&self, node: Node) -> Distance {
        match node {
            Node::Start => Distance::km(0.0),
            Node::Site(node) => self.site(node).at,
            Node::End => self.trip.route.length(),
        }
    }

    /// The drive between the route and a site's stall.
    fn way_off(&self, node: Node) -> Leg {
        let Node::Site(node) = node else {
            return Leg::default();
        };
        let site = self.site(node);
        match self.trip.route.segment_at(site.at) {
            Some(segment) => Leg::straight(site.off_route, site.off_route_speed, segment.consumption),
            None => Leg::default(),
        }
    }
}

/// The driver's ceiling; where power is 0 at 100 % that is never reached, so stay a hundredth of a percent below.
fn ceiling(trip: &Trip) -> f64 {
    let never_full = trip.vehicle.charge_curve.at(100.0) <= 0.0
        || trip.vehicle.boost.as_ref().is_some_and(|boost| boost.charge_curve.at(100.0) <= 0.0);
    trip.goal.ceiling.get().min(if never_full { 99.99 } else { 100.0 })
}

/// One stall per kind of limit, shared by the sites that have it.
fn stalls(trip: &Trip, order: &[usize]) -> Vec<Arc<Stall>> {
    let mut kinds: HashMap<(u64, Option<u64>), Arc<Stall>> = HashMap::new();
    let shared = |&index: &usize| {
        let site = &trip.sites[index];
        let kind = (site.max_power.get().to_bits(), site.max_current.map(|current| current.get().to_bits()));
        Arc::clone(kinds.entry(kind).or_insert_with(|| Arc::new(Stall::new(&trip.vehicle, site))))
    };
    order.iter().map(shared).collect()
}
