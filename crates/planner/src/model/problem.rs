//! A trip laid out for planning: sites in driving order, the legs between them in percent of the battery, and what stops cost.

use std::collections::HashMap;
use std::sync::Arc;

use spare_hour_core::charging::stall::Stall;
use spare_hour_core::driving::route::Leg as Drive;
use spare_hour_core::quantity::{Distance, Energy, Soc};
use spare_hour_core::trip::{Site, SiteIndex, Trip};
use typed_index_collections::TiVec;

use crate::StopSign;
use crate::model::leg::{Leg, Limits, Node, RoadTakes, SAME};
use crate::model::plan::Plan;
use crate::model::road_index::RoadIndex;
use crate::model::stop_cost::{StopCost, minutes_per_money};

pub(crate) struct Problem {
    pub(crate) trip: Arc<Trip>,
    /// For each site in driving order, its index in the trip.
    pub(crate) order: TiVec<RoadIndex, SiteIndex>,
    pub(crate) stalls: TiVec<RoadIndex, Arc<Stall>>,
    /// Most SoC on leaving a stall: the driver's ceiling, or just below 100 % when the curve never gets there.
    pub(crate) ceiling: f64,
    costs: TiVec<RoadIndex, [StopCost; 2]>,
    legs: TiVec<RoadIndex, Vec<Leg>>,
    from_start: Vec<Leg>,
}

/// Plans keep this far below the highest SoC that still gets a boost: a driver cannot aim better.
pub(crate) const BOOST_MARGIN: f64 = 1e-3;

impl Problem {
    /// The trip laid out; `None` when it was told to stop.
    pub(crate) fn new(trip: Arc<Trip>, stop: &StopSign) -> Option<Self> {
        let mut order: TiVec<RoadIndex, SiteIndex> = trip.indexed_sites().map(|(index, _)| index).collect();
        order.sort_by(|&a, &b| trip.site(a).at.get().total_cmp(&trip.site(b).at.get()));
        let stalls = stalls(&trip, &order);
        let cost = |&index: &SiteIndex| {
            let Site { price, overhead, .. } = *trip.site(index);
            [StopCost::with_ties_broken(&trip, price, overhead), StopCost::pure(&trip, price, overhead)]
        };
        let costs = order.iter().map(cost).collect();
        let ceiling = ceiling(&trip);
        let mut problem = Self { trip, order, stalls, ceiling, costs, legs: TiVec::new(), from_start: Vec::new() };
        problem.from_start = problem.legs_from(Node::Start);
        let legs = problem.road().map(|node| (!stop.is_raised()).then(|| problem.legs_from(Node::Site(node))));
        problem.legs = legs.collect::<Option<_>>()?;
        Some(problem)
    }

    /// The same trip where minutes of driving weigh so much, and stops cost something else.
    pub(crate) fn weighed(&self, minutes: f64, cost: impl Fn(RoadIndex) -> StopCost) -> Self {
        let lighter = |legs: &Vec<Leg>| legs.iter().map(|leg| leg.weighing(minutes)).collect::<Vec<_>>();
        Self {
            trip: Arc::clone(&self.trip),
            order: self.order.clone(),
            stalls: self.stalls.clone(),
            ceiling: self.ceiling,
            costs: self.road().map(|node| [cost(node); 2]).collect(),
            legs: self.legs.iter().map(lighter).collect(),
            from_start: lighter(&self.from_start),
        }
    }

    /// The sites in driving order.
    pub(crate) fn road(&self) -> impl DoubleEndedIterator<Item = RoadIndex> + use<> {
        (0..self.order.len()).map(RoadIndex)
    }

    pub(crate) fn sites(&self) -> usize {
        self.order.len()
    }

    pub(crate) fn site(&self, node: RoadIndex) -> &Site {
        self.trip.site(self.order[node])
    }

    /// The place in driving order of one of the trip's sites.
    pub(crate) fn node_of(&self, site: SiteIndex) -> Option<RoadIndex> {
        self.order.position(|&index| index == site)
    }

    /// The legs that can be driven out of a node, nearest first.
    pub(crate) fn legs(&self, from: Node) -> &[Leg] {
        match from {
            Node::Start => &self.from_start,
            Node::Site(node) => &self.legs[node],
            Node::End => &[],
        }
    }

    /// The leg between two nodes, if it can be driven.
    pub(crate) fn leg(&self, from: Node, to: Node) -> Option<&Leg> {
        self.legs(from).iter().find(|leg| leg.to == to)
    }

    /// What a stop costs with ties broken: for choosing.
    pub(crate) fn cost(&self, node: RoadIndex) -> &StopCost {
        &self.costs[node][0]
    }

    /// What a stop costs and nothing else: for the bound.
    pub(crate) fn pure_cost(&self, node: RoadIndex) -> &StopCost {
        &self.costs[node][1]
    }

    /// What a charge costs from one SoC to another, without what is due once.
    pub(crate) fn charging_cost(&self, node: RoadIndex, arrive: f64, depart: f64) -> f64 {
        let minutes = self.stalls[node].minutes(Soc::percent(arrive), Soc::percent(depart)).get();
        self.cost(node).charge(minutes, depart - arrive)
    }

    /// The goal's value of a plan: minutes, plus the minutes that its money is worth.
    pub(crate) fn goal_of(&self, plan: &Plan) -> f64 {
        plan.total.get() + minutes_per_money(&self.trip).map_or(0.0, |weight| weight * plan.cost)
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
            Node::Site(node) if self.is_here(node) => self.lowest(),
            _ => self.trip.goal.floor.get(),
        }
    }

    /// Whether a charge is under way at a site: one stands there already, whatever is in the battery.
    fn is_here(&self, node: RoadIndex) -> bool {
        self.site(node).details.charging.is_some()
    }

    /// Least SoC with which any charge may begin.
    pub(crate) fn lowest(&self) -> f64 {
        let goal = &self.trip.goal;
        let here = self.road().any(|node| self.is_here(node));
        if here { goal.floor.get().min(goal.start.get()) } else { goal.floor.get() }
    }

    fn legs_from(&self, from: Node) -> Vec<Leg> {
        let first = match from {
            Node::Start => 0,
            Node::Site(RoadIndex(node)) => node + 1,
            Node::End => return Vec::new(),
        };
        let mut legs = Vec::new();
        for node in first..=self.order.len() {
            let to = if node == self.order.len() { Node::End } else { Node::Site(RoadIndex(node)) };
            let leg = self.drive(from, to);
            let can = if from == Node::Start { leg.allows(self.trip.goal.start.get()) } else { leg.can_be_driven() };
            if can {
                legs.push(leg);
            } else if self.on_route_percent(from, to) > 100.0 {
                // Whoever goes further passes this place, with less than nothing left.
                break;
            }
        }
        legs
    }

    /// The leg between two nodes, whether or not it can be driven.
    pub(crate) fn drive(&self, from: Node, to: Node) -> Leg {
        let drive = self.way_off(from).then(self.on_route(from, to)).then(self.way_off(to));
        let percent = 100.0 / self.trip.vehicle.usable.get();
        let points = |energy: Energy| energy.get() * percent;
        let road = RoadTakes {
            net: points(drive.net),
            drawn: points(drive.drawn),
            returned: points(drive.returned),
            longest_draw: points(drive.longest_draw),
            minutes: drive.time.get(),
        };
        let departure = if from == Node::Start { self.trip.goal.start.get() } else { self.ceiling };
        let most_arriving = if to == Node::End { f64::INFINITY } else { self.ceiling };
        let here = matches!(to, Node::Site(node) if self.is_here(node));
        let least_on_way = self.trip.goal.least_on_way().get();
        let on_way = if here { least_on_way.min(departure) } else { least_on_way };
        Leg::new(to, road, Limits { floor: self.floor(to), on_way, departure, most_arriving })
    }

    fn on_route(&self, from: Node, to: Node) -> Drive {
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
    fn way_off(&self, node: Node) -> Drive {
        let Node::Site(node) = node else {
            return Drive::default();
        };
        let site = self.site(node);
        match self.trip.route.segment_at(site.at) {
            Some(segment) => Drive::straight(site.off_route, site.off_route_speed, segment.consumption),
            None => Drive::default(),
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
fn stalls(trip: &Trip, order: &TiVec<RoadIndex, SiteIndex>) -> TiVec<RoadIndex, Arc<Stall>> {
    let mut kinds: HashMap<(u64, Option<u64>), Arc<Stall>> = HashMap::new();
    let shared = |&index: &SiteIndex| {
        let site = trip.site(index);
        if site.details.charging.is_some() {
            return Arc::new(Stall::new(&trip.vehicle, site));
        }
        let kind = (site.max_power.get().to_bits(), site.max_current.map(|current| current.get().to_bits()));
        Arc::clone(kinds.entry(kind).or_insert_with(|| Arc::new(Stall::new(&trip.vehicle, site))))
    };
    order.iter().map(shared).collect()
}
